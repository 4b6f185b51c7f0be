"""What is typed and would change nothing is refused, never passed over."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.options import OPTIONS, counting_for

Rule = tuple[str, bool, str]  # an option's name, whether it counts here, and where it does, in words


def given(options: Any, name: str) -> bool:
    """Whether an option was typed, as something else than what it is without."""
    return bool(getattr(options, name) != options.usual(name))


def refuse_idle(options: Any, *rules: Rule) -> None:
    """Raises KilnError for an option that was typed and does not count."""
    for name, counts, where in rules:
        if given(options, name) and not counts:
            written = "--" + name.replace("_", "-")
            raise KilnError(f"{written} changes nothing here; it counts {where}.")


def refuse_all_but(options: Any, what: str, *counting: str, jobless: bool = False) -> None:
    """Raises KilnError for any option that was typed and is not among what counts with ``what``.
    ``jobless``: no job counts either."""
    if jobless and options.job is not None:
        raise KilnError(f"{options.job} changes nothing with {what}.")
    own = {"command", "job", "usual", *counting}
    for name in vars(options):
        if name not in own and given(options, name):
            raise KilnError(f"--{name.replace('_', '-')} changes nothing with {what}.")


def refuse_idle_choices(values: Iterable[str], kinds: Sequence[str]) -> None:
    """Raises KilnError for a choice of hand-over that counts for none of these kinds."""
    counting = counting_for(kinds)
    for option in OPTIONS:
        if option.name in values and option.name not in counting:
            where = ", ".join(option.kinds)
            raise KilnError(f"--{option.name} changes nothing here; it counts for {where}.")
