"""Readings: measures of a lettering, computed, never typed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.crafts.piece import relief_mm
from kilnchisel.core.job.model import Job
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.strokes import thinnest_stroke_mm
from kilnchisel.core.units import format_angle, format_length


@dataclass(frozen=True)
class Reading:
    """One measure: a stable key, the words for it, the value and its unit ("mm", "°")."""

    key: str
    label: str
    value: float
    unit: str

    @property
    def shown(self) -> str:
        if self.unit == "°":
            return format_angle(self.value)
        places = 2 if abs(self.value) < 10 else 1
        return format_length(self.value, "mm", places)


def readings(job: Job, index: int) -> tuple[Reading, ...]:
    """The readings of one lettering. Raises KilnError when it cannot be drawn."""
    lettering = job.letterings[index]
    laid = lettering_laid(job, index)
    found = [Reading("cap_height", "Capital height", lettering.wording.cap_height_mm, "mm")]
    if laid.ink.is_empty:
        return tuple(found)
    closed = laid.side.period is not None
    found.append(Reading("width", "Width round" if closed else "Width", laid.width_mm, "mm"))
    if laid.degrees is not None:
        found.append(Reading("degrees", "Goes round", laid.degrees, "°"))
    found.append(Reading("height", "Height", laid.height_mm, "mm"))
    found += _room(laid)
    stroke = thinnest_stroke_mm(laid.outline)
    if stroke is not None:
        found.append(Reading("thinnest_stroke", "Thinnest stroke", stroke, "mm"))
    relief = relief_mm(lettering.craft)
    found.append(Reading("relief", "Above surface" if relief > 0 else "Below surface", abs(relief), "mm"))
    return tuple(found)


def _room(laid: Laid) -> list[Reading]:
    room = laid.room
    found = []
    if room.tail_mm is None:
        found += [
            Reading("left", "To left edge", room.left_mm, "mm"),
            Reading("right", "To right edge", room.right_mm, "mm"),
        ]
    else:
        found.append(Reading("tail", "Left round the back", room.tail_mm, "mm"))
    found += [
        Reading("above", "To upper edge", room.above_mm, "mm"),
        Reading("below", "To lower edge", room.below_mm, "mm"),
    ]
    for zone in room.zones:
        value = -zone.reaches_in_mm if zone.reaches_in_mm > 0 else zone.gap_mm
        found.append(Reading(f"to_{zone.name}", f"To the {zone.name}", value, "mm"))
    return found


def measured(job: Job) -> dict[str, Any]:
    """All readings and checks of a job, ready for JSON; lengths in mm, angles in degrees."""
    from kilnchisel.core.shop.checks import checks

    letterings = []
    for index, lettering in enumerate(job.letterings):
        letterings.append(
            {
                "text": lettering.wording.text,
                "side": lettering.lay.side,
                "craft": lettering.craft.kind,
                "readings": {
                    reading.key + ("_deg" if reading.unit == "°" else "_mm"): round(reading.value, 4)
                    for reading in readings(job, index)
                },
                "checks": [
                    {
                        "key": check.key,
                        "level": check.level,
                        "says": check.says,
                        "source": check.source,
                        "amount_mm": None if check.amount_mm is None else round(check.amount_mm, 4),
                    }
                    for check in checks(job, index)
                ],
            }
        )
    return {"job": job.name, "blank": job.blank.kind, "letterings": letterings}
