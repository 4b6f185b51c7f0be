"""What is written on the number plates of vehicles: a film over the plate, as wide as it needs to be."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.colour import LUMA, hex_to_linear
from kilnchisel.core.finishes.finish import material_of
from kilnchisel.core.finishes.material import Amount, Cover, Material
from kilnchisel.core.finishes.wear import fill
from kilnchisel.core.job.finish import Plastic
from kilnchisel.core.job.model import Plates
from kilnchisel.core.job.trims import TRIMS
from kilnchisel.core.job.wording import ShippedFace, Wording
from kilnchisel.core.lettering.content import outline_of_content
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

CAP_SHARE, WIDE_SHARE = 0.7, 0.92  # of a plate's height and width: 77 mm of 110, common practice
APART_SHARE = 0.05  # between letters, of the plate's height
PIXELS_PER_MM, FINER = 2.0, 4
DARK, PALE = Plastic(colour="#141516", gloss=55), Plastic(colour="#f3f2ec", gloss=55)
DIM = 0.18  # luminance of a plate below which its letters are pale
ALONG = 0.7  # of its normal that a plate has along the vehicle


def plated(plates: Plates, mesh: Mesh, *, rear: bool) -> Material:
    """The material of a number plate with what is written on it. ``mesh``: the plate, its uv in mm."""
    uv = mesh.uv[np.abs(mesh.normals[:, 0]) > ALONG]
    low, high = uv.min(axis=0).round(1), uv.max(axis=0).round(1)
    box = (float(low[0]), float(low[1]), float(high[0]), float(high[1]))
    colour = plates.rear_colour if rear else plates.colour
    return _plated(" ".join(plates.registration.split()), colour, box)


@remembered
def _plated(words: str, colour: str, box: tuple[float, float, float, float]) -> Material:
    """The same one each time, so that what stays is known to have stayed."""
    material = material_of(TRIMS["number plate"].model_copy(update={"colour": colour}))
    if not words:
        return material
    size = (box[2] - box[0], box[3] - box[1])
    letters = PALE if float(hex_to_linear(colour) @ LUMA) < DIM else DARK
    amount = Amount(_written(words, *size), size, box[:2], repeats=False)
    return replace(material, covers=(Cover(material_of(letters), amount),))


def _written(words: str, wide: float, tall: float) -> Array:
    """How much of a plate of this size, mm, the words cover (h, w), row 0 below."""
    wording = Wording(
        text=words,
        face=ShippedFace(name="bebas-neue"),
        cap_height_mm=CAP_SHARE * tall,
        letter_spacing_mm=APART_SHARE * tall,
    )
    ink = outline_of_content(wording).ink
    left, low, right, high = ink.bounds
    narrow = min(WIDE_SHARE * wide / (right - left), 1.0)
    middle = np.array([(left + right) / 2, (low + high) / 2])
    there = shapely.transform(ink, lambda xy: (xy - middle) * (narrow, 1.0) + (wide / 2, tall / 2))
    columns, rows = (round(PIXELS_PER_MM * x) for x in (wide, tall))
    whole = np.zeros((rows * FINER, columns * FINER), dtype=np.float32)
    fill(whole, there, (0.0, 0.0), np.full(2, PIXELS_PER_MM * FINER), 1.0)
    return np.asarray(whole.reshape(rows, FINER, columns, FINER).mean(axis=(1, 3)))
