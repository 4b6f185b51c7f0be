"""One test of many things as many tests, each with its own name, its own time and its own failure."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable
from typing import Any, TypeVar

T = TypeVar("T", bound=type)


def each(things: Iterable[str]) -> Callable[[Callable[..., None]], Any]:
    """A test that takes a name beside the case: one for every name, by ``spread``."""

    def of(test: Callable[..., None]) -> Any:
        test.things = tuple(things)  # type: ignore[attr-defined]
        return test

    return of


def by_turns(*lists: Iterable[Any]) -> list[tuple[Any, ...]]:
    """The first of each list together, the second of each, and so on to the longest's end, the shorter
    ones from their beginnings again."""
    full = [list(one) for one in lists]
    return [tuple(one[k % len(one)] for one in full) for k in range(max(map(len, full)))]


def spread(case: T) -> T:
    """Make the tests of a case that are for ``each`` into one for every name."""
    for name, test in list(vars(case).items()):
        for thing in getattr(test, "things", ()):

            @functools.wraps(test)
            def one(self: Any, test: Any = test, thing: str = thing) -> None:
                test(self, thing)

            setattr(case, f"{name}_{thing.replace(' ', '_').replace('-', '_')}", one)
        if hasattr(test, "things"):
            delattr(case, name)
    return case
