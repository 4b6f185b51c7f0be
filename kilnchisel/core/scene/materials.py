"""What each part of a crafted piece is made of: its finish, what its craft does to that, its wear."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from kilnchisel.core.colour import hex_to_linear, linear_to_hex
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.finishes.finish import (
    blockout_material,
    darkened,
    filled_with_light,
    frosted_film,
    let_through,
    letter_material,
    light_panel,
    lit_face,
    material_of,
    on_relief,
    over_ground,
    printed_picture,
    strip_material,
    support_material,
    tube_material,
)
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.finishes.wear import Marked, bare_of, worn
from kilnchisel.core.job.crafts import (
    Carved,
    Craft,
    CutThrough,
    Embroidered,
    Engraved,
    Fitting,
    Pressed,
    Printed,
    Raised,
    Relief,
    Standing,
    Tube,
    WovenPatch,
)
from kilnchisel.core.job.finish import Cloth, Ink, Stainless, Wear, Wood
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.platework import plated

UNWORN = Wear()


def material_of_part(
    job: Job,
    part: Part,
    slots: dict[str, Material],
    marks: dict[str, Marked],
    rounds: dict[str, float],
) -> Material:
    """The material of a part with its wear. ``slots``: the blank's materials by what they are for;
    ``marks``: the edges of its sides, where it is worn; ``rounds``: how far round each closed side is, mm.
    """
    material = _material(job, part, slots)
    if job.wear != UNWORN and part.role not in ("tube", "blockout", "support"):
        ground = None if part.lettering is None else slots["blank"]
        here = None if part.side is None else marks.get(part.side)
        bare = bare_of(material, ground)
        material = _worn(material, bare, job.wear) if here is None else worn(material, bare, job.wear, here)
    return _come_round(material, part, rounds)


@remembered
def _worn(material: Material, bare: Material, wear: Wear) -> Material:
    """Where no edges are: the same one each time, so that what stays is known to have stayed."""
    return worn(material, bare, wear, None)


def _come_round(material: Material, part: Part, rounds: dict[str, float]) -> Material:
    """A material whose texture meets itself where the surface of its part comes round again."""
    printed = part.layer is not None and part.layer.raster is not None
    if printed or (material.texture is None and not material.covers):
        return material
    # what is lettered changes at every step: of that only the side is asked, not the mesh
    around = (
        rounds.get(part.side, 0.0) if part.side is not None else part.mesh.round_mm if part.still else 0.0
    )
    return replace(material, round_mm=around) if around > 0 else material


def _material(job: Job, part: Part, slots: dict[str, Material]) -> Material:
    # in a photo that shows the blank itself all of it is as the photo has it
    if part.role == "number plate" and slots[part.role] is not slots["blank"]:
        return plated(job.plates, part.mesh, rear=part.side != "nose")
    if part.lettering is None or part.role == "blank":
        return slots[part.role]
    lettering = job.letterings[part.lettering]
    craft, finish, layer = lettering.craft, lettering.finish, part.layer
    own = own_material(craft, part.role, lettering)
    if own is not None:
        return own
    if layer is not None and layer.finish is not None:
        finish = layer.finish
    material = letter_material(finish, slots["blank"])
    if layer is not None and layer.raster is not None and not isinstance(craft, Relief):
        raster = layer.raster
        material = printed_picture(raster.pixels, raster.width_mm, raster.height_mm, material.alpha)
    return crafted(craft, material, part.role, slots["blank"])


@by_kind(Craft)
def own_material(craft: Any, role: str, lettering: Lettering) -> Material | None:
    """The material of a part that is not in the letters' finish; None for one that is."""
    raise NotImplementedError


@own_material.of(Pressed, Engraved, Raised, Carved, Relief, Fitting, Embroidered)
def _none_of_its_own(_: Any, role: str, lettering: Lettering) -> None:
    return None


@own_material.of(Tube)
def _of_tube(craft: Tube, role: str, lettering: Lettering) -> Material:
    if role == "tube":
        return tube_material(craft)
    return blockout_material() if role == "blockout" else support_material()


@own_material.of(Printed)
def _of_film(craft: Printed, role: str, lettering: Lettering) -> Material | None:
    if role != "carrier":
        return None
    return material_of(Ink(colour=craft.carrier_colour, gloss=getattr(lettering.finish, "gloss", 60.0)))


@own_material.of(WovenPatch)
def _of_patch(craft: WovenPatch, role: str, lettering: Lettering) -> Material | None:
    if role == "patch":
        return material_of(Cloth(colour=craft.ground_colour, weave="book cloth"))
    if role in ("overlock", "thread"):
        return _sewn(hex_to_linear(craft.border_colour))
    return None


@own_material.of(CutThrough)
def _behind_opening(craft: CutThrough, role: str, lettering: Lettering) -> Material | None:
    return light_panel(craft) if role == "tube" else None


@own_material.of(Standing)
def _of_standing(craft: Standing, role: str, lettering: Lettering) -> Material | None:
    if role == "support":
        return material_of(Wood() if craft.upright else Stainless(polish="satin"))
    if role == "tube":
        return strip_material(craft)
    if role == "return" and craft.return_finish is not None:
        return material_of(craft.return_finish)
    return None


@by_kind(Craft)
def crafted(craft: Any, material: Material, role: str, ground: Material) -> Material:
    """What a craft makes of the letters' material; ``ground``: of what they lie on."""
    raise NotImplementedError


@crafted.of(Pressed, Raised, Carved, Relief, Fitting, Tube, CutThrough)
def _as_it_is(_: Any, material: Material, role: str, ground: Material) -> Material:
    return material


THREAD_ALPHA, THREAD_DEEPER = 0.24, 0.86  # rayon: a sheen along the thread; darker between threads


@crafted.of(Embroidered)
def _thread(_: Embroidered, material: Material, role: str, ground: Material) -> Material:
    return _sewn(material.albedo)


def _sewn(colour: Any) -> Material:
    """Thread of a colour (3,), linear."""
    red, green, blue = (THREAD_DEEPER * float(c) for c in colour)
    return Material("coated", (red, green, blue), THREAD_ALPHA)


@crafted.of(WovenPatch)
def _woven(_: WovenPatch, material: Material, role: str, ground: Material) -> Material:
    """Thread of the letters' colour, in the weave."""
    return material_of(Cloth(colour=linear_to_hex(material.albedo), weave="book cloth"))


@crafted.of(Printed)
def _inked(craft: Printed, material: Material, role: str, ground: Material) -> Material:
    if material.kind == "glass":
        return frosted_film(material)
    material = on_relief(material, ground, craft.film_mm)
    if craft.lets_through and ground.shines and material.texture is None:
        return let_through(material, ground)
    if craft.underprint:
        return material
    under = np.array(hex_to_linear(craft.carrier_colour)) if craft.carrier_mm > 0 else ground.albedo
    return over_ground(material, under)


@crafted.of(Standing)
def _lit(craft: Standing, material: Material, role: str, ground: Material) -> Material:
    return lit_face(material, craft) if craft.face_lit and role == "letters" else material


@crafted.of(Engraved)
def _recessed(craft: Engraved, material: Material, role: str, ground: Material) -> Material:
    dark = darkened(material, craft.darkened)
    return dark if craft.glow <= 0 else filled_with_light(dark, craft)
