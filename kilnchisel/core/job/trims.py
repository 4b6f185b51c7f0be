"""Finishes that no one chooses: what tyres, lamps, plates, screws are of, on every blank alike."""

from __future__ import annotations

from typing import Any, Literal, get_args

import numpy as np

from kilnchisel.core.colour import hex_to_linear, linear_to_hex
from kilnchisel.core.job.finish import (
    Brass,
    Chrome,
    Cloth,
    Enamel,
    Glass,
    Paint,
    Paper,
    Plastic,
    Rubber,
    Stainless,
    Stone,
    Wood,
)
from kilnchisel.core.job.model import Job

Trim = Literal[
    "tyre",
    "trim",
    "under",
    "reflector",
    "clear lens",
    "white lens",
    "red lens",
    "amber lens",
    "number plate",
    "steel",
    "brass",
    "pane",
    "dark pane",
    "room wall",
    "lamp",
    "stone",
    "white paint",
    "boulder",
    "bush",
    "leaf",
    "bisque",
    "head band",
    "blue cloth",
    "ochre cloth",
    "cream glaze",
    "blue glaze",
    "rust glaze",
    "hanger wood",
    "pooled",
    "wetted",
    "contents",
    "seat",
    "cabin",
]

TRIMS: dict[str, Any] = {
    "tyre": Rubber(colour="#1d1d1e"),
    "trim": Plastic(colour="#26282a", gloss=28),
    "under": Rubber(colour="#101011"),
    "reflector": Chrome(),
    "clear lens": Plastic(colour="#7d868b", gloss=100),
    "white lens": Plastic(colour="#dfe3e4", gloss=98),
    "red lens": Plastic(colour="#7e1014", gloss=98),
    "amber lens": Plastic(colour="#bf6414", gloss=98),
    "number plate": Plastic(colour="#f3f2ec", gloss=60),
    "steel": Stainless(polish="satin"),
    "brass": Brass(polish="satin"),
    "pane": Glass(colour="#f3faf6"),
    "dark pane": Plastic(colour="#14191b", gloss=100),
    "room wall": Paper(colour="#a3937c"),
    "lamp": Enamel(colour="#fff2dc"),
    "stone": Stone(colour="#b4ab99", gloss=4),
    "boulder": Stone(colour="#857f74", gloss=2),
    "bush": Rubber(colour="#1a2412"),
    "leaf": Plastic(colour="#4d6832", gloss=12),
    "bisque": Paper(colour="#cdb9a0"),
    "head band": Cloth(colour="#8c2f2a"),
    "blue cloth": Cloth(colour="#31465f"),
    "ochre cloth": Cloth(colour="#b58a3c"),
    "cream glaze": Enamel(colour="#e6dcc6"),
    "blue glaze": Enamel(colour="#2f5573"),
    "rust glaze": Enamel(colour="#9a4d2d"),
    "hanger wood": Wood(),
    "seat": Cloth(colour="#6b6863"),
    "cabin": Plastic(colour="#413f3d", gloss=10),
    "white paint": Paint(colour="#e9e5da", gloss=55),
}
POOLED = 0.84  # where glaze has run together it is deeper: of its lightness
SLOTS = ("blank", "rim", "detail", *get_args(Trim))
assert {*TRIMS, "pooled", "wetted", "contents"} == set(get_args(Trim))


# what is seen on the ground, or in a vessel, and made by nobody: it is in pictures, not in solids
SCENERY = ("boulder", "bush", "leaf", "contents")


def finishes_of(job: Job) -> dict[str, Any]:
    """What a job's blank is of, by what the parts are for."""
    chosen = {"blank": job.finish, "rim": job.rim_finish, "detail": job.detail_finish}
    own = {"pooled": _deeper(job.finish), "wetted": job.finish, "contents": Enamel()}
    return chosen | TRIMS | own


def _deeper(finish: Any) -> Any:
    """A finish where it lies thicker."""
    if not isinstance(finish, Enamel):
        return finish
    deeper = np.array(hex_to_linear(finish.colour)) * POOLED
    return finish.model_copy(update={"colour": linear_to_hex(deeper)})
