"""The mockup in a process of its own: it never stops the program's other threads, and may end alone.

``Afar`` is the program's side; ``python -m kilnchisel.core.picture.afar`` is the other. Textures and large
arrays go over once and are named by number from then on, until nothing here refers to them any more.
"""

from __future__ import annotations

import os
import pickle
import queue
import select
import sys
import threading
import time
import traceback
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

from kilnchisel.core.allocation import give_back, settle_allocator
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes.material import Amount, Texture
from kilnchisel.core.intake import gate
from kilnchisel.core.picture.refined import Refined, Wish
from kilnchisel.core.remembered import STORE
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View
from kilnchisel.core.sending.process import Process, spawned
from kilnchisel.core.sending.things import Receiver, Sender
from kilnchisel.core.sending.wire import sent, taken, way_back

LOOK_S = 0.02  # how often it is asked whether the picture is still wanted
PATIENCE_S = 20.0  # for the end of a picture that is not wanted any more
BEHIND = 10  # nice
COMPILED_FOR = 8  # scenes: what was compiled for them is then let go of (50 MB after seven jobs)
KEPT_SCENES = 3  # what none of so many took is let go of over there
# what is behind a piece, as one picture takes it; the rest comes over
KEPT_BYTES, KEPT_LEAST = 24 * 2**20, 4


@dataclass(frozen=True)
class Order:
    """A picture that is wanted. ``looks``: sample counts at which one is wanted on the way."""

    number: int
    view: View
    size: tuple[int, int]
    samples: int
    looks: tuple[int, ...] | None
    wish: Wish | None = None


class Afar:
    """Mockups made elsewhere. To be used from one thread; ``ahead`` and ``close`` from any."""

    def __init__(self) -> None:
        self._process: Process | None = None
        self._sender = self._fresh_sender()
        self._scene: Scene | None = None
        self._number = 0
        self._closed = False
        self._starting = threading.Lock()

    @staticmethod
    def _fresh_sender() -> Sender:
        return Sender(Texture, Amount, kept=KEPT_SCENES)

    def ahead(self) -> None:
        """Start the process, so that it is ready when a picture is wanted. Comes back at once."""
        with self._starting:
            if self._closed or (self._process is not None and self._process.runs()):
                return
            self._sender, self._scene = self._fresh_sender(), None
            self._process = spawned([sys.executable, "-m", "kilnchisel.core.picture.afar"])

    def refine(
        self,
        scene: Scene,
        view: View,
        size: tuple[int, int],
        samples: int,
        stop: Callable[[], bool] = lambda: False,
        progress: Callable[[float], None] = lambda share: None,
        looks: tuple[int, ...] | None = None,
        wish: Wish | None = None,
    ) -> Iterator[Refined]:
        """As ``Mockup(scene).refine``. Raises KilnError where the tracer gives up or its process ends."""
        self.ahead()
        try:
            yield from self._answers(scene, view, size, samples, stop, progress, looks, wish)
        except GeneratorExit:
            self._send(("stop", self._number))
            raise
        except (OSError, EOFError, ValueError, pickle.UnpicklingError):
            if self._closed:
                return
            self._end()
            raise KilnError(
                "What makes the mockup has ended: it may have run out of memory. It starts again with the "
                "next picture; the draft is not concerned."
            ) from None

    def _answers(
        self,
        scene: Scene,
        view: View,
        size: tuple[int, int],
        samples: int,
        stop: Callable[[], bool],
        progress: Callable[[float], None],
        looks: tuple[int, ...] | None,
        wish: Wish | None,
    ) -> Iterator[Refined]:
        self._number += 1
        if scene is not self._scene:
            # what is only for drafts need not go over
            self._send(("scene", self._sender.parts(replace(scene, proxy=None))))
            self._scene = scene
        self._send(("refine", Order(self._number, view, size, samples, looks, wish)))
        given_up: float | None = None
        while True:
            if given_up is None and stop():
                self._send(("stop", self._number))
                given_up = time.monotonic() + PATIENCE_S
            reply = self._reply(given_up)
            if reply is None:
                continue
            kind, number, value = reply
            if number != self._number:
                continue  # of a picture that nobody listened to until its end
            if kind == "end":
                return
            if kind == "refused":
                self._scene = None
                raise KilnError(value)
            if kind == "fault":
                self._scene = None
                raise RuntimeError(value)
            if kind == "progress":
                progress(value)
            elif given_up is None:
                yield value

    def _reply(self, given_up: float | None) -> tuple[str, int, Any] | None:
        """The next answer, None when there is none yet. Raises EOFError when there will be none."""
        process = self._process
        if process is None:
            raise EOFError
        if not select.select([process.answers], [], [], LOOK_S)[0]:
            if given_up is not None and time.monotonic() > given_up:
                raise EOFError
            return None
        reply: tuple[str, int, Any] = taken(process.answers, time.monotonic() + PATIENCE_S)
        return reply

    def _send(self, message: tuple[Any, ...]) -> None:
        if self._process is None:
            raise EOFError
        sent(self._process.orders, message)

    def _end(self) -> None:
        process, self._process, self._scene = self._process, None, None
        if process is not None:
            process.end()

    def close(self) -> None:
        """End the process."""
        self._closed = True
        if self._process is not None:
            self._process.kill()


# the other side


def main() -> None:
    """Make what is asked for until the pipe ends."""
    os.nice(BEHIND)
    settle_allocator()
    gate.end_idle_readers()
    answers = way_back()
    orders: queue.SimpleQueue[tuple[Any, ...]] = queue.SimpleQueue()
    stopped: set[int] = set()
    threading.Thread(target=_listen, args=(orders, stopped), daemon=True).start()
    from kilnchisel.core.picture.mockup import LOOKS, Mockup
    from kilnchisel.core.picture.tracing import Textures, drop_compiled, tracer

    tracer()
    STORE.most_bytes, STORE.least = KEPT_BYTES, KEPT_LEAST
    receiver = Receiver()
    scene: Scene | None = None
    mockup: Mockup | None = None
    had: Textures | None = None
    scenes = 0
    while True:
        kind, *values = orders.get()
        if kind == "scene":
            had = had if mockup is None else mockup.traced.textures
            scene, mockup = receiver.value(values[0]), None
            scenes += 1
            if scenes % COMPILED_FOR == 0:
                drop_compiled()
            continue
        order: Order = values[0]

        def send(what: str, value: Any, number: int = order.number) -> None:
            sent(answers, (what, number, value))

        def stop(number: int = order.number) -> bool:
            return number in stopped

        def progress(share: float, send: Any = send) -> None:
            send("progress", share)

        try:
            if mockup is None and scene is not None and not stop():
                mockup, had = Mockup(scene, had), None
            if mockup is not None:
                looks = LOOKS if order.looks is None else order.looks
                states = mockup.refine(
                    order.view, order.size, order.samples, stop, progress, looks, order.wish
                )
                for state in states:
                    send("state", state)
            send("end", None)
        except KilnError as error:
            send("refused", str(error))
        except Exception:
            send("fault", traceback.format_exc())
        stopped.discard(order.number)
        give_back()


def _listen(orders: queue.SimpleQueue[tuple[Any, ...]], stopped: set[int]) -> None:
    """Take orders while a picture is made. The end of the pipe is the end of the program that asks."""
    while True:
        try:
            message = taken(0)
        except EOFError:
            os._exit(0)
        if message[0] == "stop":
            stopped.add(message[1])
            continue
        orders.put(message)


if __name__ == "__main__":
    main()
