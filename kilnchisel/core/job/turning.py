"""One kind turned into another: what both have is kept, and what the trade would change goes along."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import KINDS
from kilnchisel.core.job.crafts import Craft
from kilnchisel.core.job.edits import change, read
from kilnchisel.core.job.finish import AsBlank, Ink, LetterFinish, Stainless
from kilnchisel.core.job.fresh import with_blank
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Arrangement, Circle, Curve, Slope, Wording
from kilnchisel.core.kinds import named

Where = tuple[str | int, ...]
FINISHES = named(LetterFinish)
CRAFTS = named(Craft)
ARRANGEMENTS = named(Arrangement)


def in_finish(finish: Any, kind: str) -> Any:
    """Another finish, in the same colour where both have one. Raises KilnError for a kind there is not."""
    made = _of(FINISHES, "finish", kind)()
    if hasattr(made, "colour") and hasattr(finish, "colour"):
        return made.model_copy(update={"colour": finish.colour})
    return made


def with_craft(job: Job, index: int, kind: str) -> Job:
    """Another way of making. Ink lies on the surface only; cut or raised letters take the blank's."""
    lettering = job.letterings[index]
    if lettering.craft.kind == kind:
        return job
    finish: Any = lettering.finish
    if kind == "printed" and isinstance(finish, AsBlank):
        finish = Ink()
    elif kind == "fitting" and isinstance(finish, Ink | AsBlank):
        finish = Stainless(polish="satin")
    elif kind != "printed" and isinstance(finish, Ink):
        finish = AsBlank()
    made = lettering.model_copy(update={"craft": _of(CRAFTS, "craft", kind)(), "finish": finish})
    return change(job, ("letterings", index), made)


def with_arrangement(wording: Wording, kind: str, width_mm: float) -> Wording:
    """Words in another arrangement, sized so that they look right on it at once. ``width_mm``: how wide
    they are now."""
    if wording.arrangement.kind == kind:
        return wording
    made: Any = _of(ARRANGEMENTS, "arrangement", kind)()
    width = max(width_mm, wording.cap_height_mm)
    if isinstance(made, Circle):
        # half a turn for one row, and never so small that letters stand on each other
        radius = max(width / 3.0, 2.2 * wording.cap_height_mm)
        made = made.model_copy(update={"radius_mm": round(radius, 1)})
    elif isinstance(made, Curve | Slope):
        share = width / 120.0
        points = tuple((round(x * share, 1), round(y * share, 1)) for x, y in made.points)
        made = made.model_copy(update={"points": points})
    return wording.model_copy(update={"arrangement": made})


def turned(job: Job, path: Where, kind: str, width_mm: Callable[[Job, int], float]) -> Job:
    """The job with the value at ``path``, which has kinds, turned into another. ``width_mm``: how wide a
    lettering's words are. Raises KilnError for a kind there is not."""
    name, index = path[-1], path[1] if len(path) > 1 else None
    if name == "blank":
        return with_blank(job, str(_of(KINDS, "blank", kind).model_fields["kind"].default))
    if name == "craft" and isinstance(index, int):
        return with_craft(job, index, kind)
    if name == "arrangement" and isinstance(index, int):
        made = with_arrangement(read(job, path[:-1]), kind, width_mm(job, index))
        return change(job, path, made.arrangement)
    if str(name).endswith("finish"):
        return change(job, path, in_finish(read(job, path), kind))
    family = named(type(read(job, path[:-1])).model_fields[str(name)].annotation)
    if len(family) == 1:  # one class whose kind is a word
        return change(job, (*path, "kind"), kind)
    return change(job, path, _of(family, str(name), kind)())


def _of(family: dict[str, Any], word: str, kind: str) -> Any:
    if kind not in family:
        raise KilnError(f"There is no {word} “{kind}”; there are {', '.join(family)}.")
    return family[kind]
