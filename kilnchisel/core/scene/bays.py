"""Ground in the open that was laid in bays, as concrete is: with joints between, none quite of its
neighbour's tone. It tells how large what stands on it is; it is there for pictures alone.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.coarse import matrix_in
from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.job.setting import Ground
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.boxes import boxes
from kilnchisel.core.scene.grounds import Base
from kilnchisel.core.scene.items import Item

Array = NDArray[Any]

BAY_MM = 5000.0  # from joint to joint, each way: as is laid without steel (common practice)
JOINT_MM = 24.0  # sealed with bitumen, and stained beside it
SEEN = 0.0022  # of the piece's radius: so wide a joint is at least, that it is seen beside it
REACH = 6.0  # radii of the piece, round it
LIFT = 1e-4  # of the piece's radius: what is laid on the ground lies so far above it
TONES = (0.90, 0.95, 1.06)  # of bays that are not of the ground's own
PLAIN = 0.4  # of the bays are
STAINED = 0.42  # the tone of a joint
SEED = 29


def bays_of(base: Base | None, ground: Ground, radius: float) -> tuple[Item, ...]:
    """The bays of another tone than the ground's, and the joints of all, for a piece of this radius, mm;
    nothing where it is not laid in bays."""
    if base is None or base.fades is None or ground.form != "bays":
        return ()
    # in steps: so that pieces of like size share them
    half = int(np.ceil(REACH * radius / BAY_MM))
    size = BAY_MM * half / REACH
    frame = base.frame.tobytes()  # remembered with it: a mesh that is made anew is drawn anew
    made = [
        (f"bays {number}", _toned(base.material, tone), _bays(half, LIFT * size, number, frame))
        for number, tone in enumerate(TONES)
    ]
    bitumen = _toned(base.material, STAINED * base.material.tint)
    made.append(
        ("joints", replace(bitumen, texture=None), _joints(half, 2 * LIFT * size, SEEN * size, frame))
    )
    return tuple(Item(name, None, mesh, material, mask="ground") for name, material, mesh in made)


def _toned(material: Material, tone: Any) -> Material:
    red, green, blue = (float(part) for part in tone * np.asarray(material.base))
    return replace(material, base=(red, green, blue))


@remembered
def _bays(half: int, lift: float, number: int, frame: bytes) -> Mesh:
    """Those of one tone, of ``half`` bays each way, each from anywhere in its texture."""
    rng = np.random.default_rng(SEED)
    shares = [(1 - PLAIN) / len(TONES)] * len(TONES) + [PLAIN]
    tone = rng.choice(len(shares), size=(2 * half, 2 * half), p=shares)
    shifts = rng.uniform(0, BAY_MM, (2 * half, 2 * half, 2))
    low = BAY_MM * (np.argwhere(tone == number) - half)
    low = np.column_stack([low, np.full(len(low), lift)])
    made = boxes(low, low + (BAY_MM, BAY_MM, 0.0), "top", shifts=shifts[tone == number])
    return made.moved(matrix_in(frame))


@remembered
def _joints(half: int, lift: float, least: float, frame: bytes) -> Mesh:
    wide, end = max(JOINT_MM, least), BAY_MM * half
    at = BAY_MM * np.arange(-half, half + 1)
    low = np.stack([at - wide / 2, np.full(len(at), -end), np.full(len(at), lift)], axis=1)
    high = np.stack([at + wide / 2, np.full(len(at), end), np.full(len(at), lift)], axis=1)
    turned = [1, 0, 2]
    low, high = (np.concatenate([ends, ends[:, turned]]) for ends in (low, high))
    return boxes(low, high, "top").moved(matrix_in(frame))
