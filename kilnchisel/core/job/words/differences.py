"""What two states of a job differ in, in words: "capitals 9 → 11 mm", "gold leaf instead of ink"."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.base import Value
from kilnchisel.core.job.edits import field_label, limits
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job, Work
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.job.words.blanks import blank_name
from kilnchisel.core.job.words.contents import content_name, face_words, one_line
from kilnchisel.core.job.words.crafts import craft_words
from kilnchisel.core.job.words.finishes import colour_word, finish_words, wear_words
from kilnchisel.core.job.words.sections import sentence
from kilnchisel.core.units import format_number

LABELS = {"cap_height_mm": ("capitals", " mm"), "along_mm": ("along", " mm"), "across_mm": ("up", " mm")}
SHORT = 24  # letters of a lettering's name before what is different of it
FINISHES = ("finish", "rim_finish", "detail_finish")
NAMELESS = ("seed",)


def differences(before: Work, after: Work) -> tuple[str, ...]:
    """What is different in the later of two states; empty where nothing is."""
    found: list[str] = []
    if type(before.blank) is not type(after.blank):
        found.append(f"{blank_name(after.blank)} instead of {blank_name(before.blank)}")
    else:
        found += _of_fields(before.blank, after.blank)
    for name in FINISHES:
        old, new = getattr(before, name), getattr(after, name)
        if old != new:
            found.append(_instead(finish_words(old), finish_words(new), name, old, new))
    if before.wear != after.wear:
        found.append(
            f"{wear_words(after.wear) or 'as new'} instead of {wear_words(before.wear) or 'as new'}"
        )
    found += _of_fields(before.plates, after.plates)
    found += _of_letterings(before.letterings, after.letterings)
    found += _of_setting(before, after)
    if len(before.others) != len(after.others):
        found.append(f"other pieces {len(before.others)} → {len(after.others)}")
    elif before.others != after.others:
        found.append("the other pieces")
    return tuple(dict.fromkeys(one for one in found if one))


def _instead(old: str, new: str, name: str, before: Any, after: Any) -> str:
    """One description for another; where they read alike what of it is different."""
    if old != new:
        return f"{new} instead of {old}"
    inner = _of_fields(before, after) if type(before) is type(after) else []
    return ", ".join(inner) or f"another {field_label(name)[0].lower()}"


def _of_letterings(before: tuple[Lettering, ...], after: tuple[Lettering, ...]) -> list[str]:
    if len(before) != len(after):
        old, new = ([one_line(item) for item in items] for items in (before, after))
        added = [f"“{name[:SHORT]}” added" for name in new if name not in old]
        gone = [f"“{name[:SHORT]}” left out" for name in old if name not in new]
        return added + gone or [f"letterings {len(before)} → {len(after)}"]
    found = []
    for old_one, new_one in zip(before, after, strict=True):
        named = "" if len(before) == 1 else f"“{one_line(old_one)[:SHORT]}”: "
        found += [named + words for words in _of_lettering(old_one, new_one)]
    return found


def _of_lettering(before: Lettering, after: Lettering) -> list[str]:
    found: list[str] = []
    if before.hidden != after.hidden:
        found.append("hidden" if after.hidden else "shown")
    if before.content != after.content:
        found += _of_content(before.content, after.content)
    if before.finish != after.finish:
        found.append(
            _instead(
                finish_words(before.finish),
                finish_words(after.finish),
                "finish",
                before.finish,
                after.finish,
            )
        )
    if before.craft != after.craft:
        if type(before.craft) is type(after.craft):
            found += _of_fields(before.craft, after.craft)
        else:
            old, new = (craft_words(one.craft).split(",")[0] for one in (before, after))
            found.append(f"{new[:1].lower() + new[1:]} instead of {old[:1].lower() + old[1:]}")
    if before.lay != after.lay:
        found += _of_fields(before.lay, after.lay)
    return found


def _of_content(before: Any, after: Any) -> list[str]:
    if not (isinstance(before, Wording) and isinstance(after, Wording)):
        if type(before) is type(after) and content_name(before) == content_name(after):
            return _of_fields(before, after)
        return [f"{content_name(after)} instead of {content_name(before)}"]
    found = []
    if before.text != after.text:
        old, new = (" ".join(one.text.split())[:40] for one in (before, after))
        found.append(f"“{old}” → “{new}”")
    if before.face != after.face:
        found.append(f"{face_words(after.face)} instead of {face_words(before.face)}")
    return found + _of_fields(before, after, leave=("text", "face"))


def _of_setting(before: Work, after: Work) -> list[str]:
    old, new = before.setting, after.setting
    if old == new:
        return []
    told = [sentence(Job(**dict(work)), "setting", None) for work in (before, after)]
    found = []
    alike = all(getattr(old, name) == getattr(new, name) for name in ("light", "ground", "photo"))
    if alike and old.camera != new.camera:
        found.append("seen from elsewhere")
    elif told[0] != told[1]:
        found.append(f"{told[1][:1].lower() + told[1][1:]} instead of {told[0][:1].lower() + told[0][1:]}")
    if old.copies != new.copies:
        found.append(f"{len(new.copies) + 1} in the picture instead of {len(old.copies) + 1}")
    return found or ["another light or ground"]


def _of_fields(before: Any, after: Any, leave: tuple[str, ...] = ()) -> list[str]:
    """What of two values of one kind is different, field by field."""
    found = []
    for name in type(before).model_fields:
        old, new = getattr(before, name), getattr(after, name)
        if old != new and name not in leave:
            found += _of_field(name, old, new, percent=limits(type(before), name) == (0, 100))
    return found


def _of_field(name: str, old: Any, new: Any, *, percent: bool = False) -> list[str]:
    label, unit = LABELS.get(name) or field_label(name)
    unit = " %" if percent else unit
    label = label.lower()
    if isinstance(old, bool) and isinstance(new, bool):
        return [label if new else f"no {label}"]
    if isinstance(old, int | float) and isinstance(new, int | float):
        if name in NAMELESS:
            return [f"another {label}"]
        places = 3 if min(abs(old), abs(new)) < 1 else 2
        return [f"{label} {format_number(old, places)} → {format_number(new, places)}{unit}"]
    if isinstance(old, str) and isinstance(new, str):
        if new.startswith("#"):
            return [f"{colour_word(new)} instead of {colour_word(old)}"]
        return [f"{label} {new or 'none'} instead of {old or 'none'}"]
    if isinstance(old, Value) and type(old) is type(new):
        return _of_fields(old, new)
    kinds = [getattr(one, "kind", "") for one in (old, new)]
    if all(kinds) and kinds[0] != kinds[1]:
        return [f"{kinds[1]} instead of {kinds[0]}"]
    return [f"another {label}" if new else f"no {label}"]
