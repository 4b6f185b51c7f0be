"""Which fields each section shows for a job. A control without effect is not listed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import detail_word, rim_word
from kilnchisel.ui.ticket.blank import blank_specs
from kilnchisel.ui.ticket.craft import craft_specs
from kilnchisel.ui.ticket.fields import Spec
from kilnchisel.ui.ticket.finishes import SURFACES, finish_specs, wear_specs
from kilnchisel.ui.ticket.lay import lay_specs
from kilnchisel.ui.ticket.setting import setting_specs
from kilnchisel.ui.ticket.wording import wording_specs


@dataclass(frozen=True)
class Asked:
    """What fields are asked for: of a job's chosen lettering, if there is one. ``opened``: the groups that
    are unfolded; ``letter``: the chosen one."""

    job: Job
    index: int | None
    opened: frozenset[str] = frozenset()
    letter: int | None = None


def _finish(asked: Asked) -> list[Spec]:
    job, index = asked.job, asked.index
    fields = []
    if index is not None:
        letters = ("letterings", index, "finish")
        extra = (
            (("ink", "Ink"),)
            if isinstance(job.letterings[index].craft, Printed)
            else (("as the blank", "As the blank"),)
        )
        fields += finish_specs(job, letters, "Letters", extra + SURFACES)
    fields += finish_specs(job, ("finish",), "Blank", SURFACES)
    for path, word in (("rim_finish", rim_word(job.blank)), ("detail_finish", detail_word(job.blank))):
        if word is not None:
            fields += finish_specs(job, (path,), word.capitalize(), SURFACES)
    return [*fields, *wear_specs(job)]


def _setting(asked: Asked) -> list[Spec]:
    return setting_specs(asked.job, asked.opened)


def _wording(asked: Asked) -> list[Spec]:
    if asked.index is None:
        return []
    return wording_specs(asked.job, asked.index, asked.opened, asked.letter)


def _lay(asked: Asked) -> list[Spec]:
    return [] if asked.index is None else lay_specs(asked.job, ("letterings", asked.index))


def _craft(asked: Asked) -> list[Spec]:
    return [] if asked.index is None else craft_specs(asked.job, ("letterings", asked.index))


# the sections in their order: what each is called, and its fields; hand-over has a form of its own
TABLE: dict[str, tuple[str, Callable[[Asked], list[Spec]]]] = {
    "blank": ("Blank", lambda asked: blank_specs(asked.job)),
    "wording": ("Wording", _wording),
    "lay": ("Lay", _lay),
    "craft": ("Craft", _craft),
    "finish": ("Finish", _finish),
    "setting": ("Setting", _setting),
    "hand-over": ("Hand-over", lambda _: []),
}
SECTIONS = tuple(TABLE)
TITLES = {key: title for key, (title, _) in TABLE.items()}


def specs(
    job: Job,
    section: str,
    index: int | None,
    opened: frozenset[str] = frozenset(),
    letter: int | None = None,
) -> list[Spec]:
    """The fields of a section. ``opened``: groups that are unfolded; ``letter``: the chosen one."""
    return TABLE[section][1](Asked(job, index, opened, letter))
