"""Values that share large parts, from one process to another: a part goes over once and is named from then
on by a number, until nothing on the sending side refers to it any more, or none of the last values held it.

What is named: large arrays, and values of the kinds that the sender is told.
"""

from __future__ import annotations

import collections
import io
import pickle
import weakref
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.infile import Place, place_of

LARGE_BYTES = 64 * 1024  # arrays from here on go over once


@dataclass(frozen=True)
class Parts:
    """A value as it goes over: numbers that mean nothing any more, new arrays, new things in the order in
    which they need each other, and the value itself."""

    gone: list[int]
    arrays: list[tuple[int, NDArray[Any] | Place]]  # where it is, of one that lies in a file
    things: list[tuple[int, bytes]]
    body: bytes


class Sender:
    """Turns values into parts. To be used from one thread."""

    def __init__(self, *kinds: type, kept: int) -> None:
        """``kept``: a part that none of the last so many values held is let go of over there."""
        self._kinds = frozenset(kinds)
        self._kept = kept
        self._turn = 0
        self._numbers: dict[int, tuple[weakref.ref[Any], int]] = {}
        self._used: dict[int, int] = {}  # by number: the turn in which it was part of a value
        self._gone: collections.deque[int] = collections.deque()
        self._next = 0

    def parts(self, value: Any) -> Parts:
        """The value, and what of it is new over there."""
        fresh = Parts([], [], [], b"")
        self._turn += 1
        body = self._bytes(value, fresh, None)
        for key, (_, number) in list(self._numbers.items()):
            if self._used.get(number, 0) <= self._turn - self._kept:
                self._drop(key, number)
        while self._gone:
            fresh.gone.append(self._gone.popleft())
        return Parts(fresh.gone, fresh.arrays, fresh.things, body)

    def _bytes(self, value: Any, fresh: Parts, itself: Any) -> bytes:
        buffer = io.BytesIO()
        _Pickler(buffer, lambda one: self._named(one, fresh, itself)).dump(value)
        return buffer.getvalue()

    def _named(self, one: Any, fresh: Parts, itself: Any) -> int | None:
        kind = type(one)
        if kind is np.ndarray:
            if one.nbytes < LARGE_BYTES or one.dtype == object:
                return None
        elif kind not in self._kinds or one is itself:
            return None
        known = self._numbers.get(id(one))
        if known is None or known[0]() is not one:
            self._next += 1
            known = (weakref.ref(one, self._dropper(id(one), self._next)), self._next)
            self._numbers[id(one)] = known
            if kind is np.ndarray:
                fresh.arrays.append((known[1], place_of(one) or np.ascontiguousarray(one)))
            else:  # after what it is made of
                fresh.things.append((known[1], self._bytes(one, fresh, one)))
        self._used[known[1]] = self._turn
        return known[1]

    def _dropper(self, key: int, number: int) -> Callable[[Any], None]:
        return lambda _: self._drop(key, number)

    def _drop(self, key: int, number: int) -> None:
        self._gone.append(number)
        self._used.pop(number, None)
        held = self._numbers.get(key)
        if held is not None and held[1] == number:
            del self._numbers[key]


class Receiver:
    """Turns the parts into values again."""

    def __init__(self) -> None:
        self.things: dict[int, Any] = {}

    def value(self, parts: Parts) -> Any:
        """The value that was sent."""
        for number in parts.gone:
            self.things.pop(number, None)
        for number, array in parts.arrays:
            self.things[number] = array.array() if isinstance(array, Place) else array
        for number, data in parts.things:
            self.things[number] = self._value(data)
        return self._value(parts.body)

    def _value(self, data: bytes) -> Any:
        unpickler = pickle.Unpickler(io.BytesIO(data))
        unpickler.persistent_load = self.things.__getitem__  # type: ignore[method-assign]
        return unpickler.load()


class _Pickler(pickle.Pickler):
    """Of what a dataclass has worked out for itself, only arrays and shapes go over; the rest (trees,
    tracers, meshes for drawing) is made again where it is wanted."""

    def __init__(self, buffer: io.BytesIO, named: Callable[[Any], int | None]) -> None:
        super().__init__(buffer, protocol=5)
        self.persistent_id = named  # type: ignore[method-assign]

    def reducer_override(self, one: Any) -> Any:
        kind = type(one)
        fields = getattr(kind, "__dataclass_fields__", None)
        if fields is None or isinstance(one, type) or "__reduce__" in vars(kind):
            return NotImplemented
        state = getattr(one, "__dict__", None)
        if state is None or len(state) == len(fields):
            return NotImplemented
        return _again, (kind, {name: part for name, part in state.items() if name in fields or _goes(part)})


def _again(kind: type, state: dict[str, Any]) -> Any:
    one: Any = object.__new__(kind)
    one.__dict__.update(state)
    return one


def _goes(part: Any) -> bool:
    if isinstance(part, tuple):
        return all(_goes(one) for one in part)
    array = isinstance(part, np.ndarray) and part.dtype != object
    return array or isinstance(part, shapely.Geometry | float)
