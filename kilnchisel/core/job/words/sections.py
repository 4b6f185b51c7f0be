"""Each section of the ticket in a sentence, and words for an edit."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from kilnchisel.core.job.blank import Mug
from kilnchisel.core.job.boards import ShopFront, Wall
from kilnchisel.core.job.crafts import Embroidered
from kilnchisel.core.job.edits import field_label
from kilnchisel.core.job.finish import AsBlank, Masonry
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job, Made
from kilnchisel.core.job.sets import set_of
from kilnchisel.core.job.setting import StudioLight
from kilnchisel.core.job.traits import detail_word, rim_word
from kilnchisel.core.job.words.blanks import blank_name, blank_words
from kilnchisel.core.job.words.contents import content_words, one_line
from kilnchisel.core.job.words.crafts import craft_words
from kilnchisel.core.job.words.finishes import colour_word, finish_words, wear_words
from kilnchisel.core.units import format_angle, format_length, format_number


def sentence(job: Job, section: str, index: int | None) -> str:
    """A section of the ticket, folded: its values in one sentence."""
    if section in WHOLE:
        return WHOLE[section](job, None if index is None else job.letterings[index])
    return "No lettering yet" if index is None else OF_ONE[section](job, job.letterings[index])


def _finish(job: Job, lettering: Lettering | None) -> str:
    words = finish_words(job.finish)
    rim, detail = rim_word(job.blank), detail_word(job.blank)
    if rim is not None:
        words += f", its {rim} {_rim_words(job)}"
    if detail is not None:
        words += f", its {detail} {finish_words(job.detail_finish)}"
    if lettering is not None:
        letters = "finished" if isinstance(lettering.finish, AsBlank) else "in"
        made = finish_words(lettering.finish)
        if isinstance(lettering.craft, Embroidered):
            made = made.replace(" ink", " thread")
        words = f"Letters {letters} {made}; {blank_name(job.blank)} in {words}"
    worn = wear_words(job.wear)
    words += f"; {worn}" if worn else ""
    return words[0].upper() + words[1:]


def _rim_words(job: Job) -> str:
    """The second finish of a blank, where it is what that part is made of."""
    if isinstance(job.blank, Wall | ShopFront) and isinstance(job.rim_finish, Masonry):
        return f"{colour_word(job.rim_finish.colour)} mortar"
    return finish_words(job.rim_finish)


def _lay(job: Job, lettering: Lettering) -> str:
    lay = lettering.lay
    turn = f", turned {format_angle(lay.turn_deg)}" if lay.turn_deg else ""
    turn += ", mirrored" if lay.mirrored else ""
    if isinstance(job.blank, Mug):
        degrees = lay.along_mm / (job.blank.diameter_mm / 2) * 57.29577951308232
        return (
            f"{lay.side.capitalize()}, {format_angle(degrees)} round, "
            f"{format_length(lay.across_mm, decimals=1)} up{turn}"
        )
    along, across = (
        _off_middle(*pair)
        for pair in (
            (lay.along_mm, "right of", "left of"),
            (lay.across_mm, "above", "below"),
        )
    )
    place = " and ".join(words for words in (along, across) if words)
    return f"{lay.side.capitalize()}, {f'{place} the middle' if place else 'in the middle'}{turn}"


def _off_middle(mm: float, beyond: str, before: str) -> str:
    shown = format_length(abs(mm), decimals=1)
    return "" if shown == "0 mm" else f"{shown} {beyond if mm > 0 else before}"


def piece_words(piece: Made) -> str:
    """What a piece is, in a few words: what is lettered on it, or what it is."""
    names = [one_line(item) for item in piece.letterings if not item.hidden]
    return f"“{names[0]}” on the {blank_name(piece.blank)}" if names else f"the {blank_name(piece.blank)}"


def _setting(job: Job) -> str:
    setting = job.setting
    if setting.photo is not None:
        told = {"rectangle": "a rectangle", "lines": "lines", "rims": "a rim and a foot"}
        by = told.get(setting.photo.told.kind, "its horizon")
        others = len(job.others)
        more = f", with {others} other piece{'' if others == 1 else 's'}" if others else ""
        return f"In the photo {setting.photo.name}, by {by}{more}"
    away = format_length(setting.camera.distance_mm / 1000, "mm", 2).removesuffix(" mm")
    name = set_of(job)
    if name is not None:
        return f"{name.capitalize()}, seen from {away} m"
    ground = "" if setting.ground.kind == "none" else f"{setting.ground.kind}, "
    return f"{light_words(job).capitalize()}, {ground}seen from {away} m"


ROOM_WORDS = {
    "studio": "studio light",
    "workshop": "workshop light",
    "dark": "in the dark",
    "even": "even light",
}


def light_words(job: Job) -> str:
    """The light of a setting in a few words."""
    light = job.setting.light
    on = sum(lamp.on for lamp in light.lamps)
    named = light.room if isinstance(light.room, str) else light.room.name
    room = ROOM_WORDS.get(named, named)
    return f"{room}, {on} {'light' if on == 1 else 'lights'}" if light.lamps else room


def lamp_words(lamp: StudioLight) -> str:
    """A light that is set up, in a few words."""
    if not lamp.on:
        return f"{lamp.kind}, off"
    sides = ("front", "right", "back", "left")
    side = sides[round((lamp.turn_deg % 360) / 90) % 4]
    return f"{lamp.kind}, {side}, {lamp.tilt_deg:g}° up"


# the sections that are the whole job's, and those of the chosen lettering
WHOLE: dict[str, Callable[[Job, Lettering | None], str]] = {
    "blank": lambda job, _: blank_words(job.blank),
    "finish": _finish,
    "setting": lambda job, _: _setting(job),
    "hand-over": lambda job, _: "Mockup picture, solid for making",
}
OF_ONE: dict[str, Callable[[Job, Lettering], str]] = {
    "wording": lambda _, lettering: content_words(lettering.content),
    "lay": _lay,
    "craft": lambda _, lettering: craft_words(lettering.craft),
}


def edit_words(path: tuple[str | int, ...], value: Any) -> str:
    """Words for an undo step: "depth 0.3 mm"."""
    name = str(next(step for step in reversed(path) if isinstance(step, str)))
    label, unit = field_label(name)
    if isinstance(value, bool):
        return f"{label.lower()} {'on' if value else 'off'}"
    if isinstance(value, int | float):
        return f"{label.lower()} {format_number(value)}{unit}"
    if isinstance(value, str) and len(value) <= 24 and "\n" not in value:
        return f"{label.lower()} {value}"
    return label.lower()
