"""Libraries that are loaded when something of them is first used, not when the program starts."""

from __future__ import annotations

import functools
import importlib
import threading
from collections.abc import Callable
from typing import Any


class Later:
    """Stands for a module until it is used."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._module: Any = None

    def __getattr__(self, what: str) -> Any:
        if self._module is None:
            self._module = importlib.import_module(self._name)
        return getattr(self._module, what)


ndimage: Any = Later("scipy.ndimage")
spatial: Any = Later("scipy.spatial")
sparse: Any = Later("scipy.sparse")
csgraph: Any = Later("scipy.sparse.csgraph")
sparse_linalg: Any = Later("scipy.sparse.linalg")
interpolate: Any = Later("scipy.interpolate")
optimize: Any = Later("scipy.optimize")
fft: Any = Later("scipy.fft")
special: Any = Later("scipy.special")


def compiled(**options: bool) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """A function that is compiled (numba's njit, with its options) when it is first called."""

    def of(plain: Callable[..., Any]) -> Callable[..., Any]:
        lock = threading.Lock()
        made: list[Callable[..., Any]] = []

        @functools.wraps(plain)
        def call(*arguments: Any) -> Any:
            if not made:
                with lock:
                    if not made:
                        import numba

                        njit: Any = numba.njit
                        made.append(njit(**options)(plain))
            return made[0](*arguments)

        return call

    return of
