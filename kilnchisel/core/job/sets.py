"""Sets: whole arrangements for a picture, each fitted to the piece in it, and those kept by name.

A set is lights, what the piece stands on or hangs from, what is behind, camera and exposure; every part can
be changed afterwards.
"""

from __future__ import annotations

from functools import lru_cache, partial
from typing import Annotated, Any, get_args

import numpy as np
from pydantic import Field

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import Blank
from kilnchisel.core.job.boards import BoxSign, ShopFront, Wall
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.crafts import Fitting, shines
from kilnchisel.core.job.edits import change, limits
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import OwnPlace, RoomName, Setting
from kilnchisel.core.job.setups import SETS, Manner, PictureSet, Piece
from kilnchisel.core.job.shelf import Named, Shelf
from kilnchisel.core.job.traits import deep_of, size_of, stance_among, stances_of, traits_of


def fitted(job: Job, name: str) -> Job:
    """The job in a set. Raises KilnError where there is none of this name, or the piece cannot stand in
    it."""
    chosen = named(name)
    if not chosen.suits(job.blank):
        offered = ", ".join(one.name for one in sets_for(job.blank))
        raise KilnError(f"This piece cannot stand in “{chosen.name}”. It can in: {offered}.")
    return change(job, ("setting",), _arranged(job, chosen))


def arrangements(job: Job) -> dict[str, Setting]:
    """The setting that each set would make of a job, by name."""
    return {one.name: _arranged(job, one) for one in sets_for(job.blank)}


def _arranged(job: Job, chosen: PictureSet) -> Setting:
    """The setting that a set makes of a job."""
    return _in_set(chosen, job.blank, job.setting, posts=_on_posts(job), shining=_shining(job))


def _in_set(chosen: PictureSet, blank: Blank, setting: Setting, *, posts: bool, shining: bool) -> Setting:
    stance = _stance(blank, chosen.manner, setting.stance)
    made = chosen.make(_piece(blank, stance, setting.spread, posts=posts))
    wanted = made.stance if chosen.manner == "any" else setting.stance
    update: dict[str, Any] = {
        "stance": _stance(blank, chosen.manner, wanted),
        "places": setting.places,
        "copies": setting.copies,
    }
    if shining:
        update["glow"] = setting.glow
    # in the dark a lamp is to look as bright as it is
    if chosen.manner not in ("any", "night") and not (shining and made.light.room == "dark"):
        update["exposure"] = "by itself"
    return made.model_copy(update=update)


def _shining(job: Job) -> bool:
    return any(shines(item.craft) for item in job.letterings)


def _on_posts(job: Job) -> bool:
    return any(isinstance(item.craft, Fitting) and item.craft.form == "posts" for item in job.letterings)


def named(name: str) -> PictureSet:
    """A set by its name. Raises KilnError naming those there are."""
    wanted = plain_name(name)
    known = next((one for one in all_sets() if plain_name(one.name) == wanted), None)
    if known is None:
        raise KilnError(
            f"There is no set “{name}”. There are: {', '.join(one.name for one in all_sets())}."
        )
    return known


def plain_name(name: str) -> str:
    """A name as it is looked for: small letters, single spaces for hyphens."""
    return " ".join(name.lower().replace("-", " ").split())


def all_sets() -> tuple[PictureSet, ...]:
    """Those that were kept by name, then those that are shipped."""
    own = tuple(PictureSet(one.name, "kept by you", "any", partial(_scaled, one)) for one in kept_sets())
    return own + tuple(SETS.values())


def sets_for(blank: Blank) -> tuple[PictureSet, ...]:
    """The sets a blank can stand in."""
    return tuple(one for one in all_sets() if one.suits(blank))


def home_set(blank: Blank) -> str:
    """The set that a blank is at home in; one that is too large for it goes into the open."""
    usual = traits_of(blank).set
    if SETS[usual].suits(blank):
        return usual
    return next(one.name for one in SETS.values() if one.manner != "night" and one.suits(blank))


def in_place(job: Job, room: str) -> Job:
    """The job in the light of a room or place, which is seen behind it. Raises KilnError naming them."""
    names: tuple[str, ...] = get_args(RoomName)
    wanted = plain_name(room)
    if wanted not in names:
        raise KilnError(f"There is no place “{room}”. There are: {', '.join(names)}.")
    return before_place(job, wanted)


def before_place(job: Job, room: str | OwnPlace) -> Job:
    """The job in the light of a place, which is seen behind it."""
    job = change(job, ("setting", "light", "room"), room)
    return change(job, ("setting", "ground", "behind"), "room")


def set_of(job: Job) -> str | None:
    """The name of the set that a job stands in just as it is made; None once it was changed."""
    return _set_name(job.blank, job.setting, kept_sets(), posts=_on_posts(job), shining=_shining(job))


@lru_cache(maxsize=8)
def _set_name(
    blank: Blank, setting: Setting, kept: tuple[KeptSet, ...], *, posts: bool, shining: bool
) -> str | None:
    """By all that a set depends on: it is asked for at every edit, and most leave that as it is."""
    for one in sets_for(blank):
        if _in_set(one, blank, setting, posts=posts, shining=shining) == setting:
            return one.name
    return None


def keep_set(job: Job, name: str) -> None:
    """Keep the job's setting under a name, in place of one that has it. Raises KilnError."""
    name = " ".join(name.split())
    if not name:
        raise KilnError("Give the set a name.")
    if plain_name(name) in SETS:
        raise KilnError(f"“{name}” is the name of a set that comes with the program; choose another.")
    stance = stance_among(job.blank, job.setting.stance)
    # for pieces in any number: how many there are belongs to the job, and so does its photo
    alone = job.setting.model_copy(update={"copies": (), "photo": None})
    radius = _piece(job.blank, stance, job.setting.spread, posts=False).radius
    _SHELF.save(KeptSet(name=name, radius_mm=radius, setting=alone))


class KeptSet(Named):
    """A setting kept by name, and the radius of the piece it was made for, mm."""

    radius_mm: Annotated[float, Field(gt=0)]
    setting: Setting


_SHELF = Shelf(KeptSet, "sets.json", "set")
kept_sets, forget_set = _SHELF.all, _SHELF.forget
LAMP_LENGTHS = ("distance_mm", "width_mm", "height_mm")
CAMERA_LENGTHS = ("distance_mm", "shift_mm", "rise_mm", "focus_mm")


def _scaled(kept: KeptSet, piece: Piece) -> Setting:
    """A kept setting for a piece of another size."""
    share = piece.radius / kept.radius_mm
    if abs(share - 1) < 1e-9:
        return kept.setting
    light = kept.setting.light
    lamps = tuple(_times(lamp, LAMP_LENGTHS, share) for lamp in light.lamps)
    return kept.setting.model_copy(
        update={
            "camera": _times(kept.setting.camera, CAMERA_LENGTHS, share),
            "light": light.model_copy(update={"lamps": lamps}),
        }
    )


def _times(value: Any, lengths: tuple[str, ...], share: float) -> Any:
    """A value with some of its lengths multiplied, within their limits."""
    made = {}
    for name in lengths:
        least, most = limits(type(value), name)
        made[name] = round(float(np.clip(getattr(value, name) * share, least, most)), 2)
    return value.model_copy(update=made)


def _stance(blank: Blank, manner: Manner, now: str) -> str:
    stances = stances_of(blank)
    if stances == ("worn",):
        return now  # no setting changes it
    if manner == "wall":
        return "hung" if "hung" in stances else stances[0]
    if manner in ("open", "road"):
        return "standing" if "standing" in stances else stances[0]
    if manner == "table" and now == "hung":
        return stances[0]
    return stance_among(blank, now)


LAND_SHOWN = 0.66  # of a bank, each way


def _piece(blank: Blank, stance: str, spread: tuple[float, float], *, posts: bool) -> Piece:
    """A blank as a set is told of it; ``spread``: as of ``Setting``, by which it is wider and deeper with
    its copies."""
    (wide, tall), deep = size_of(blank), deep_of(blank)
    if isinstance(blank, Bank):  # land goes on beyond the picture
        wide, deep = LAND_SHOWN * wide, LAND_SHOWN * deep
    wide += spread[0]
    if stance == "hung" or (traits_of(blank).lies and stance == "lying"):
        tall += spread[1]
    else:
        deep += spread[1]
    if traits_of(blank).lies and stance == "lying":
        return Piece(wide, tall, deep, lies=True)
    bracket = isinstance(blank, BoxSign) and blank.bracket
    return Piece(
        wide,
        deep,
        tall,
        posts=posts and stance == "standing",
        bracket=bracket,
        wall=isinstance(blank, Wall),
        front=isinstance(blank, ShopFront),
    )
