"""Tables by kind: one entry for each kind of a family on each floor of the house, and none forgotten.

A family is a union of values that are told apart by ``kind``: blanks, crafts, finishes, contents. What a
floor makes of them is a table: an entry for each class, registered beside the others. A kind without an
entry is an error that names it, and a test goes through all tables there are.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import singledispatch
from typing import Annotated, Any, Generic, TypeVar, get_args, get_origin

T = TypeVar("T")
Entry = TypeVar("Entry", bound=Callable[..., Any])


class UnknownKind(TypeError):
    """A table was asked for a kind that it has no entry for."""


class Table(Generic[T]):
    """A function that is told by the class of its first argument, with an entry for each kind of a
    family."""

    def __init__(self, described: Callable[..., T], family: Any) -> None:
        self.family = family
        self.__doc__, self.__name__ = described.__doc__, described.__name__
        self.__module__ = described.__module__

        def otherwise(one: Any, *_: Any, **__: Any) -> T:
            raise UnknownKind(f"{self.__name__} has no entry for {type(one).__name__}.")

        self._none = otherwise
        self._entries = singledispatch(otherwise)

    def __call__(self, one: Any, *args: Any, **kwargs: Any) -> T:
        return self._entries.dispatch(type(one))(one, *args, **kwargs)

    def of(self, *kinds: type) -> Callable[[Entry], Entry]:
        """The entry of these classes, and of what derives from them."""

        def entry(made: Entry) -> Entry:
            for kind in kinds:
                self._entries.register(kind, made)
            return made

        return entry

    @property
    def forgotten(self) -> list[str]:
        """The kinds of its family that it has no entry for."""
        return [
            one.__name__ for one in classes_of(self.family) if self._entries.dispatch(one) is self._none
        ]


TABLES: list[Table[Any]] = []


def by_kind(family: Any) -> Callable[[Callable[..., T]], Table[T]]:
    """Make a function a table for a family. The function gives name, documentation and what it returns;
    its own body is not run."""

    def table(described: Callable[..., T]) -> Table[T]:
        made = Table(described, family)
        TABLES.append(made)
        return made

    return table


def classes_of(family: Any) -> tuple[type, ...]:
    """The classes of a union, those of unions within it too."""
    if get_origin(family) is Annotated:
        return classes_of(get_args(family)[0])
    parts = get_args(family)
    return tuple(one for part in parts for one in classes_of(part)) if parts else (family,)


def named(family: Any) -> dict[str, Any]:
    """The classes of a union by their ``kind``, in the union's order."""
    classes: tuple[Any, ...] = classes_of(family)
    return {one.model_fields["kind"].default: one for one in classes}
