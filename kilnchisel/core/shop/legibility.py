"""How far letters can be read, and how they stand out from their ground."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.colour import contrast_ratio
from kilnchisel.core.finishes.finish import darkened, letter_material, material_of
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.job.crafts import Engraved, Tube
from kilnchisel.core.job.finish import AsBlank
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.lettering.outline import Layer
from kilnchisel.core.units import MM_PER_INCH

FOOT_MM = 12 * MM_PER_INCH
MUTCD_FEET_PER_INCH = 30.0  # MUTCD 2009, 2A.13
BEST_FEET_PER_INCH = 10.0  # the sign trade's table of best impact: common practice


def legible_m(cap_mm: float) -> float:
    """How far capitals of this height can be read, m (MUTCD: 30 ft for an inch)."""
    return cap_mm / MM_PER_INCH * MUTCD_FEET_PER_INCH * FOOT_MM / 1000


def best_m(cap_mm: float) -> float:
    """From how far capitals of this height impress most, m (common practice: 10 ft for an inch)."""
    return cap_mm / MM_PER_INCH * BEST_FEET_PER_INCH * FOOT_MM / 1000


def contrast_of(job: Job, index: int, layers: tuple[Layer, ...]) -> float | None:
    """The least contrast between letters and what they stand on; None where both are one material.

    They stand on the lettering below them where that covers most of their ground, on their own backing
    where they have one, else on the blank.
    """
    lettering = job.letterings[index]
    craft = lettering.craft
    if isinstance(craft, Tube) or (isinstance(craft, Engraved) and craft.glow > 0):
        return None  # it shines
    blank = material_of(job.finish)
    ground = _below(job, index, blank)
    backing = next((layer for layer in layers if layer.kind == "backing"), None)
    if backing is not None:
        ground = letter_material(backing.finish or lettering.finish, blank)
    ratios = []
    for layer in layers:
        if layer.kind != "letters" or layer.raster is not None:
            continue
        finish = layer.finish or lettering.finish
        dark = isinstance(lettering.craft, Engraved) and lettering.craft.darkened > 0
        if isinstance(finish, AsBlank) and not dark:
            continue
        material = letter_material(finish, blank)
        if dark and isinstance(lettering.craft, Engraved):
            material = darkened(material, lettering.craft.darkened)
        ratios.append(contrast_ratio(_seen(material), _seen(ground)))
    return min(ratios) if ratios else None


COVERED = 0.5  # of the letters' ink: what lies below more of it than this is their ground


def _below(job: Job, index: int, blank: Material) -> Material:
    """The material of the topmost lettering under this one, the blank's where there is none."""
    laid = lettering_laid(job, index)
    if laid.ink.is_empty:
        return blank
    for other in reversed(range(index)):
        below = job.letterings[other]
        beside = below.hidden or below.lay.side != job.letterings[index].lay.side
        if beside or isinstance(below.content, Wording):
            continue
        # letters cut out of it count as well: the ground is what is round them
        ink = shapely.convex_hull(lettering_laid(job, other).ink)
        if shapely.intersection(ink, laid.ink).area > COVERED * laid.ink.area:
            return letter_material(below.finish, blank)
    return blank


def _seen(material: Material) -> NDArray[Any]:
    return np.asarray(np.clip(material.albedo, 0.0, 1.0), dtype=float)
