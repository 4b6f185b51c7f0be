"""Waiting for something that another thread or process does, never for a clock."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

PATIENCE = 110.0


def until(holds: Callable[[], Any], what: str, meanwhile: Callable[[], Any] = lambda: None) -> None:
    """Come back when something holds. Raises AssertionError that says what was waited for in vain."""
    end = time.monotonic() + PATIENCE
    while not holds():
        if time.monotonic() > end:
            raise AssertionError(f"waited {PATIENCE:.0f} s in vain for {what}")
        meanwhile()
        time.sleep(0.003)
