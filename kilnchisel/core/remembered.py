"""What has been made and may be wanted again: one memory for all stages, bounded in bytes.

``@remembered`` keeps a function's results by its arguments. What has not been asked for the longest goes
first; what one large scene is made of has room beside it, or each step of a move would make it all anew.
Two threads that want the same value at once get one: the second waits for the first. Arrays and outlines
that several results share are counted once.
"""

from __future__ import annotations

import functools
import inspect
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, fields
from typing import Any, ParamSpec, TypeVar

import numpy as np
import shapely

P = ParamSpec("P")
T = TypeVar("T")

MOST_BYTES = 128 * 2**20
LARGEST = 2  # times the largest result is kept, if that is more: the scene of a street alone may fill it
LEAST_KEPT = 24  # results that stay whatever their size: those of the job being worked on
GEOMETRY_BYTES, POINT_BYTES = 320, 16  # of an outline besides its points, and of each


@dataclass(frozen=True, eq=False)
class _Kept:
    value: Any
    leaves: dict[int, int]


class Store:
    """Results by key, in the order in which they were last asked for."""

    def __init__(self, most_bytes: int = MOST_BYTES, least: int = LEAST_KEPT) -> None:
        """``least``: so many results stay whatever their size."""
        self.most_bytes, self.least = most_bytes, least
        self.bytes = 0
        self._lock = threading.Lock()
        self._kept: OrderedDict[Any, _Kept] = OrderedDict()
        self._under_way: dict[Any, threading.Lock] = {}
        self._holders: dict[int, int] = {}  # how many results hold an array
        # of results, of all that each holds, shared or not: to go through the results hashes their keys
        self._weights: dict[int, int] = {}

    def __len__(self) -> int:
        return len(self._kept)

    def get(self, key: Any, make: Callable[[], T]) -> T:
        """The kept result, or what ``make`` gives. What it raises is not kept."""
        with self._lock:
            kept = self._kept.get(key)
            if kept is not None:
                self._kept.move_to_end(key)
                return kept.value  # type: ignore[no-any-return]
            turn = self._under_way.setdefault(key, threading.Lock())
        with turn:
            with self._lock:
                kept = self._kept.get(key)
            if kept is not None:
                return kept.value  # type: ignore[no-any-return]
            try:
                value = make()
                self._keep(key, _Kept(value, leaves_of((key, value))))
            finally:
                with self._lock:
                    self._under_way.pop(key, None)
        return value

    def __contains__(self, key: Any) -> bool:
        return key in self._kept

    def knows(self, key: Any, value: Any) -> None:
        """Take a result in that was made elsewhere, unless it is there."""
        with self._lock:
            if key in self._kept or key in self._under_way:
                return
        self._keep(key, _Kept(value, leaves_of((key, value))))

    def _keep(self, key: Any, kept: _Kept) -> None:
        dropped = []  # let go of outside the lock
        with self._lock:
            if key in self._kept:
                return
            self._kept[key] = kept
            self._weights[id(kept)] = sum(kept.leaves.values())
            for leaf, size in kept.leaves.items():
                held = self._holders.get(leaf, 0)
                self._holders[leaf] = held + 1
                self.bytes += 0 if held else size
            while len(self._kept) > self.least and self.bytes > self._most():
                old, gone = self._kept.popitem(last=False)
                dropped.append((old, gone))
                del self._weights[id(gone)]
                for leaf, size in gone.leaves.items():
                    self._holders[leaf] -= 1
                    if self._holders[leaf] == 0:
                        del self._holders[leaf]
                        self.bytes -= size

    def _most(self) -> int:
        if self.bytes <= self.most_bytes:
            return self.most_bytes
        return max(self.most_bytes, LARGEST * max(self._weights.values()))

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            dropped = self._kept
            self._kept, self._holders, self._weights, self.bytes = OrderedDict(), {}, {}, 0
        del dropped


STORE = Store()


def remembered(make: Callable[P, T]) -> Callable[P, T]:
    """Keep what a function gives by its arguments, which must be hashable."""

    @functools.wraps(make)
    def get(*args: P.args, **kwargs: P.kwargs) -> T:
        return STORE.get(_key(make, args, kwargs), lambda: make(*args, **kwargs))

    return get


def made_elsewhere(value: Any, function: Any, *args: Any, **kwargs: Any) -> None:
    """What a remembered ``function`` gives for these arguments, worked out in another process."""
    STORE.knows(_key(function.__wrapped__, args, kwargs), value)


def known(function: Any, *args: Any, **kwargs: Any) -> bool:
    """Whether a remembered ``function`` need not be worked out for these arguments."""
    return _key(function.__wrapped__, args, kwargs) in STORE


@functools.cache
def _parameters(make: Any) -> tuple[tuple[str, ...], dict[str, Any]]:
    """The names of a function's parameters, and what those are that need not be given."""
    given = inspect.signature(make).parameters
    return tuple(given), {name: one.default for name, one in given.items() if one.default is not one.empty}


def _key(make: Any, args: tuple[Any, ...], kwargs: dict[str, Any]) -> Any:
    """The same however the arguments are given: by place, by name, or left to what they are by default."""
    names, fixed = _parameters(make)
    rest = names[len(args) :]
    return (make, *args, *(kwargs.get(name, fixed.get(name)) for name in rest))


PLAIN = frozenset((int, float, str, bool, type(None)))  # what weighs nothing


def leaves_of(value: Any) -> dict[int, int]:
    """The arrays, outlines and bytes that a value holds: id -> size in bytes."""
    found: dict[int, int] = {}
    seen: set[int] = set()
    waiting = [value]
    shapes = []
    while waiting:
        one = waiting.pop()
        kind = type(one)
        if kind in PLAIN or id(one) in seen:
            continue
        seen.add(id(one))
        if kind is tuple or kind is list:
            waiting += one
        elif kind is np.ndarray:
            _array(one, found)
        elif issubclass(kind, shapely.Geometry):
            shapes.append(one)
        elif kind is dict:
            waiting += one.values()
        elif kind is bytes:
            found[id(one)] = len(one)
        elif hasattr(kind, "__dataclass_fields__"):
            # what it has worked out for itself since, too
            waiting += vars(one).values() if hasattr(one, "__dict__") else _slots(one)
    if shapes:  # all at once: there may be hundreds of letters
        sizes = GEOMETRY_BYTES + POINT_BYTES * shapely.get_num_coordinates(np.array(shapes, dtype=object))
        found.update(zip(map(id, shapes), sizes.tolist(), strict=True))
    return found


def _slots(one: Any) -> list[Any]:
    return [getattr(one, field.name) for field in fields(one)]


def _array(array: Any, found: dict[int, int]) -> None:
    if array.dtype == object:
        shapes = [one for one in array.ravel().tolist() if isinstance(one, shapely.Geometry)]
        points = int(shapely.get_num_coordinates(shapes).sum()) if shapes else 0
        found[id(array)] = array.nbytes + GEOMETRY_BYTES * len(shapes) + POINT_BYTES * points
        return
    whole = array
    while isinstance(whole.base, np.ndarray):
        whole = whole.base
    found[id(whole)] = whole.nbytes
