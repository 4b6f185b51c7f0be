"""What does the rows: processes of this machine, or the workers of a Dask scheduler, on however many.

Either way what is lost when one of them ends is done again, and a row that ends them each time is left out.
"""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import threading
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from itertools import islice
from typing import Any, Protocol

from kilnchisel.core.errors import KilnError
from kilnchisel.core.faults import sentence_of
from kilnchisel.core.lists.outcomes import Order, Outcome
from kilnchisel.core.lists.working import Answer, Common, done

Stop = Callable[[], bool]
Chunk = tuple[Order, ...]

TRIES = 3  # a row that is alone when its process ends is tried so often
AHEAD = 3  # chunks to a process that wait
CHECKED_AT_ONCE = 20  # rows
PATIENCE_S, WAITED_S = 20.0, 0.5
ENDED = "What makes it has ended each time."


class Engine(Protocol):
    """Does orders, in no order. Raises KilnError where it cannot go on."""

    def each(self, common: Common, orders: Iterator[Order], stop: Stop) -> Iterator[Answer]: ...


def _chunks(common: Common, orders: Iterator[Order]) -> Iterator[Chunk]:
    """Orders as they go over: what is quickly done several at once."""
    size = CHECKED_AT_ONCE if common.does == "check" else 1
    while chunk := tuple(islice(orders, size)):
        yield chunk


def _left_out(order: Order) -> Answer:
    return Answer(Outcome(order.number, order.name, refused=ENDED))


class Processes:
    """So many on this machine."""

    def __init__(self, count: int) -> None:
        if not 1 <= count <= 64:
            raise KilnError("From 1 to 64 processes make the rows.")
        self.count = count

    def each(self, common: Common, orders: Iterator[Order], stop: Stop) -> Iterator[Answer]:
        """Those whose process ends are done again, each alone, so that it is known which one ends it."""
        chunks = _chunks(common, orders)
        suspects: deque[tuple[Order, int]] = deque()
        more = True
        while (more or suspects) and not stop():
            running: dict[Future[list[Answer]], Chunk] = {}
            with ProcessPoolExecutor(
                self.count, multiprocessing.get_context("spawn"), _begun, (common,)
            ) as pool:
                try:
                    while suspects and not stop():
                        order, _ = suspects[0]
                        answers = pool.submit(_done, (order,)).result()
                        suspects.popleft()
                        yield from answers
                    while (more or running) and not stop():
                        while more and len(running) < self.count * AHEAD:
                            chunk = next(chunks, None)
                            more = chunk is not None
                            if chunk is not None:
                                running[pool.submit(_done, chunk)] = chunk
                        ended, _ = wait(running, timeout=WAITED_S, return_when=FIRST_COMPLETED)
                        for one in ended:
                            answers = one.result()
                            del running[one]
                            yield from answers
                except BrokenProcessPool:
                    if suspects:
                        order, tried = suspects.popleft()
                        if tried + 1 < TRIES:
                            suspects.append((order, tried + 1))
                        else:
                            yield _left_out(order)
                    for chunk in running.values():
                        suspects.extend((order, 0) for order in chunk)
                pool.shutdown(wait=False, cancel_futures=True)


_common: list[Common] = []  # of a process of the pool


def _begun(common: Common) -> None:
    _common[:] = [common]
    threading.Thread(target=_end_with_parent, daemon=True).start()


def _end_with_parent() -> None:
    """One that nobody waits for any more does not go on with its row."""
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)


def _done(orders: Chunk) -> list[Answer]:
    return done(_common[0], orders)


class Scheduler:
    """The workers of a Dask scheduler: ``tcp://host:8786``. This program is installed where they run."""

    def __init__(self, address: str) -> None:
        self.address = address

    def each(self, common: Common, orders: Iterator[Order], stop: Stop) -> Iterator[Answer]:
        """What a worker had is done by another one; the scheduler says which rows end them."""
        client = self._client()
        try:
            yield from self._each(client, common, _chunks(common, orders), stop)
        finally:
            with contextlib.suppress(Exception):  # what has gone cannot be taken leave of
                client.close(timeout=1)

    def _client(self) -> Any:
        from distributed import Client

        try:
            client = Client(self.address, timeout=PATIENCE_S, set_as_default=False)
        except Exception:  # whatever its transports raise
            raise KilnError(f"There is no scheduler at {self.address[:80]} that answers.") from None
        try:
            client.wait_for_workers(1, timeout=PATIENCE_S)
        except Exception:
            client.close(timeout=1)
            raise KilnError(f"The scheduler at {self.address[:80]} has no workers.") from None
        return client

    def _each(self, client: Any, common: Common, chunks: Iterator[Chunk], stop: Stop) -> Iterator[Answer]:
        from distributed import wait
        from distributed.scheduler import KilledWorker

        head = client.submit(
            _same, common, pure=False
        )  # what is submitted can be made anew when it is lost
        running: dict[Any, Chunk] = {}
        again: deque[Chunk] = deque()
        more = True
        while (more or again or running) and not stop():
            while (more or again) and len(running) < AHEAD * max(sum(client.nthreads().values()), 1):
                chunk = again.popleft() if again else next(chunks, None)
                if chunk is None:
                    more = False
                    break
                running[client.submit(done, head, chunk, pure=False)] = chunk
            with contextlib.suppress(TimeoutError), client.as_current():
                wait(list(running), timeout=WAITED_S, return_when="FIRST_COMPLETED")
            if client.status != "running":
                raise KilnError(f"The scheduler at {self.address[:80]} has gone; start again to go on.")
            for future in [one for one in running if one.status != "pending"]:
                chunk = running.pop(future)
                if future.status == "finished":
                    yield from future.result()
                elif future.status != "error":  # lost with what held it
                    again.append(chunk)
                elif not isinstance(error := future.exception(), KilledWorker):
                    raise KilnError(f"A worker cannot do it: {sentence_of(error)}")
                elif len(chunk) > 1:
                    again.extend((order,) for order in chunk)
                else:
                    yield _left_out(chunk[0])
        for future in running:
            future.cancel()


def _same(common: Common) -> Common:
    return common
