"""The person's choice of finish to a material."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.finishes import textures, woods
from kilnchisel.core.finishes.amounts import evenly, flecks, patches
from kilnchisel.core.finishes.gas import face_radiance, fill_radiance, strip_radiance, tube_radiance
from kilnchisel.core.finishes.material import GLASS_KEEPS, WATER_IOR, Cover, Material, Texture
from kilnchisel.core.finishes.metals import gold_colour, gold_index, metal_colour, metal_index
from kilnchisel.core.job.blank import Vessel
from kilnchisel.core.job.boards import BoxSign
from kilnchisel.core.job.crafts import CutThrough, Engraved, Standing, Tube
from kilnchisel.core.job.finish import (
    AsBlank,
    Cloth,
    Enamel,
    Foam,
    Glass,
    Gold,
    Grass,
    Ink,
    Leather,
    Masonry,
    Metal,
    OwnFinish,
    Paint,
    PaintedWood,
    Paper,
    Plastic,
    Rubber,
    Slate,
    Stone,
    Wood,
)
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

SLATE_COLOUR = "#4b4e50"


@by_kind(OwnFinish)
def material_of(finish: Any) -> Material:
    """The material of a finish (not AsBlank, which has none of its own)."""
    raise NotImplementedError


def letter_material(finish: Any, ground: Material) -> Material:
    """The material of letters that lie on ``ground``."""
    return ground if isinstance(finish, AsBlank) else material_of(finish)


def tube_material(craft: Tube) -> Material:
    """The glass of a tube, lit or not: coated glass is white when it is off, that of neon clear."""
    if craft.lit:
        return _shining(Material("coated", (0.5, 0.5, 0.5), 0.05), tube_radiance(craft))
    if craft.form == "rope":
        return Material("coated", (0.8, 0.8, 0.78), 0.3)
    if craft.colour in ("neon red", "argon blue"):
        return Material("glass", (0.2, 0.23, 0.24), 0.01)  # as dense as a rod looks
    return Material("coated", (0.82, 0.82, 0.8), 0.05)


def strip_material(craft: Standing) -> Material:
    """The strip of light behind standing letters."""
    return _shining(Material("matte", (0.8, 0.8, 0.8)), strip_radiance(craft))


def light_panel(craft: CutThrough) -> Material:
    """An evenly lit panel behind openings."""
    return _shining(Material("matte", (0.8, 0.8, 0.8)), face_radiance(craft))


def filled_with_light(material: Material, craft: Engraved) -> Material:
    """A recess that glows."""
    return _shining(material, fill_radiance(craft))


def lit_face(material: Material, craft: Standing | BoxSign) -> Material:
    """A front that light comes through: what it sends is tinted by its own colour."""
    return _shining(material, face_radiance(craft) * _tint_of(material))


def _tint_of(material: Material) -> Array:
    """A material's own colour, its strongest part 1, (3,)."""
    return np.asarray(material.base) / max(float(np.max(material.base)), 1e-6)


LAMP_RADIANCE = 60.0  # of a lamp at full light, over that of a white wall in the open
SHOP_LIT = 30.0  # per cent: of the lamp in a shop


def lamp_in_a_room(material: Material, lit: float) -> Material:
    """The lamp behind a window, ``lit`` per cent."""
    if lit <= 0:
        return material
    return _shining(material, LAMP_RADIANCE * lit / 100 * _tint_of(material))


def let_through(material: Material, ground: Material) -> Material:
    """A film on a face that shines: light comes through in the film's colour."""
    return _shining(material, np.asarray(ground.emission) * np.asarray(material.base))


def contents_of(vessel: Vessel, wall: Material) -> dict[str, Material]:
    """What is in a vessel, where it meets the air and where it wets the wall: a clear liquid is bent at as
    light goes from glass to it; of what is not clear its colour is seen."""
    colour = hex_to_linear(vessel.contents_colour)
    if not vessel.liquid:
        made = Material("coated", colour, 0.05)
        return {"contents": made, "wetted": wall}
    # light goes in and out through wetted walls: each keeps its half of the colour
    mild = 1.0 - vessel.contents_clear / 100 * 0.4
    r, g, b = (float(max(c, 0.004) ** (mild / (2 * GLASS_KEEPS))) for c in colour)
    top = Material("glass", (r, g, b), 0.01, ior=WATER_IOR)
    if wall.kind != "glass":
        return {"contents": top, "wetted": wall}
    return {"contents": top, "wetted": replace(wall, base=(r, g, b), before_ior=WATER_IOR)}


def _shining(material: Material, radiance: Array) -> Material:
    r, g, b = (float(x) for x in radiance)
    return replace(material, emission=(r, g, b))


def blockout_material() -> Material:
    """The paint over glass that joins letters, and the boots over its ends."""
    return Material("coated", (0.012, 0.012, 0.013), 0.35)


def support_material() -> Material:
    """The clear plastic of tube supports, as it looks in front of a wall."""
    return Material("coated", (0.42, 0.43, 0.43), 0.12)


def darkened(material: Material, percent: float) -> Material:
    """A recess filled with patina or paint residue: darker and duller, by 0 to 100 %."""
    if percent <= 0:
        return material
    share = percent / 100
    r, g, b = (float(c) * (1 - 0.9 * share) for c in material.base)
    alpha = material.alpha + (max(material.alpha, 0.45) - material.alpha) * share
    # what lies in the recess is no metal any more: an index of 1 lets it be as dark as it is, where that
    # of gold would leave its red at half
    return replace(material, base=(r, g, b), alpha=alpha, across=0.0, metal_n=(1.0, 1.0, 1.0))


def over_ground(material: Material, under: Array) -> Material:
    """Ink without white under it: what comes back has gone through it and met the ground, linear RGB."""
    r, g, b = (float(c) for c in np.asarray(material.base) * np.clip(under, 0, 1))
    return replace(material, base=(r, g, b))


SMOOTHED_MM = 0.12  # a film so thick lies smoothly on cloth, wood or stone


def on_relief(material: Material, ground: Material, film_mm: float) -> Material:
    """A film that takes the relief of what it lies on, the less the thicker it is; common practice: ink
    from the screen, 0.03 to 0.06 mm, shows the weave, a transfer of 0.1 mm hardly."""
    share = round(100 * (1 - film_mm / SMOOTHED_MM))
    if share <= 0 or material.texture is not None or ground.texture is None:
        return material
    return replace(material, texture=_seen_through(ground.texture, share), grain_deg=ground.grain_deg)


@remembered
def _seen_through(texture: Texture, percent: int) -> Texture:
    share = percent / 100
    tint = 1 + 0.3 * share * (texture.tint / texture.mean_tint - 1)
    return Texture(texture.tile_mm, tint.astype(np.float32), texture.slope * np.float32(share))


def gloss_alpha(percent: float) -> float:
    """Gloss 0..100 % to GGX alpha: 100 is a mirror-like coat, 0 is flat."""
    return float(0.035 + 0.6 * (1 - percent / 100) ** 1.5)


@material_of.of(Enamel)
def _enamel(finish: Enamel) -> Material:
    return Material("coated", hex_to_linear(finish.colour), gloss_alpha(finish.gloss), textures.enamel())


@material_of.of(Ink, Paint)
def _ink(finish: Ink | Paint) -> Material:
    return _with_effect(
        Material("coated", hex_to_linear(finish.colour), gloss_alpha(finish.gloss)), finish.effect
    )


def _with_effect(material: Material, effect: str) -> Material:
    """A paint or ink with what is mixed into it. Metallic: fine aluminium all through. Pearl: mica that
    shines paler than the colour. Fleck: flakes that are seen one by one. Reflective: a film of prisms."""
    if effect == "plain":
        return material
    if effect == "reflective":
        film = Material("metal", _paler(material.base, 0.25), 0.3)
        return replace(
            material,
            texture=textures.prisms(),
            covers=(Cover(film, evenly(0.35)),),
            sends_back=PRISMS_SEND_BACK,
        )
    if effect == "metallic":
        flakes = Material("metal", _paler(material.base, 0.08), 0.28)
        return replace(material, covers=(Cover(flakes, evenly(0.78)),))
    if effect == "pearl":
        mica = Material("metal", _paler(material.base, 0.5), 0.34)
        return replace(material, covers=(Cover(mica, evenly(0.3)),))
    flake = Material("metal", metal_colour("aluminium"), 0.22)
    return replace(material, covers=(Cover(flake, flecks(0.06)),))


PRISMS_SEND_BACK = 0.4  # common practice: corner prisms return some 30 to 60 % of what enters them


def _paler(base: tuple[float, float, float], share: float) -> tuple[float, float, float]:
    r, g, b = (c + (0.9 - c) * share for c in base)
    return r, g, b


POLISHES: dict[str, tuple[float, float, Callable[[], Texture]]] = {  # roughness along, across; texture
    "polished": (0.06, 0.0, textures.metal_satin),
    "satin": (0.17, 0.0, textures.metal_satin),
    "brushed": (0.1, 0.36, textures.metal_brushed),
    "hammered": (0.11, 0.0, textures.metal_hammered),
    "blasted": (0.42, 0.0, textures.metal_satin),
}
# what time puts on a metal: copper carbonates and sulphates are green, silver sulphide brown black, the
# oxides of iron and bronze brown; gold, chromium and titanium keep, and only lose their shine
PATINAS = {
    "copper": "#7f9a8a",
    "bronze": "#56705f",
    "brass": "#5a4d33",
    "silver": "#3b342c",
    "aluminium": "#a5a7a6",
    "stainless": "#8a6a4e",
}
OLD_METAL = "#6d675c"


@material_of.of(Metal)
def _metal(finish: Metal) -> Material:
    kind = finish.kind  # type: ignore[attr-defined]
    alpha, across, texture = POLISHES[finish.polish]
    if isinstance(finish, Gold):
        colour, index = gold_colour(finish.carat, finish.alloy), gold_index(finish.carat, finish.alloy)
    else:
        colour, index = metal_colour(kind), metal_index(kind)
    made = Material("metal", colour, alpha, texture(), finish.grain_deg, index, across=across)
    if finish.uneven > 0:
        made = replace(
            made,
            texture=_unevenly(texture(), round(finish.uneven / 100, 2)),
            dullest=max(alpha, 0.02 + 0.5 * (finish.dullest / 100) ** 2),
        )
    if finish.patina > 0:
        crust = Material("matte", hex_to_linear(PATINAS.get(kind, OLD_METAL)), 0.6)
        made = replace(made, covers=(Cover(crust, patches(finish.patina)),))
    return made


@remembered
def _unevenly(texture: Texture, share: float) -> Texture:
    """A polish's own texture, duller in places."""
    dull = textures.metal_uneven().dull
    assert dull is not None
    return replace(texture, dull=np.clip(share * dull * 1.6, 0, 1).astype(np.float32))


@material_of.of(Leather)
def _leather(finish: Leather) -> Material:
    return Material("coated", hex_to_linear(finish.colour), gloss_alpha(finish.gloss), textures.pebbled())


@material_of.of(Plastic)
def _plastic(finish: Plastic) -> Material:
    return Material("coated", hex_to_linear(finish.colour), gloss_alpha(finish.gloss))


@material_of.of(Rubber)
def _rubber(finish: Rubber) -> Material:
    return Material("coated", hex_to_linear(finish.colour), 0.55, textures.fibre())


@material_of.of(Stone)
def _stone(finish: Stone) -> Material:
    return Material("coated", hex_to_linear(finish.colour), gloss_alpha(finish.gloss), textures.granite())


@material_of.of(Wood)
def _wood(finish: Wood) -> Material:
    if finish.surface == "charred":
        r, g, b = (0.018 + 0.05 * c for c in hex_to_linear(finish.colour))
        return Material("coated", (r, g, b), 0.4, woods.charred(), finish.grain_deg)
    figure = woods.wood(finish.ring_mm, finish.pores)
    # the figure darkens: the colour given is that of the wood as a whole
    base = np.array(hex_to_linear(finish.colour)) / figure.mean_tint
    if finish.surface == "oiled":
        base = base**1.25 * 0.86  # oil deepens what is dark more than what is light
    r, g, b = (float(min(c, 1.0)) for c in base)
    if finish.surface == "lacquered":
        figure = _under_lacquer(figure)
    kind: Any = "matte" if finish.surface == "bare" and finish.gloss < 5 else "coated"
    alpha = gloss_alpha(max(finish.gloss, 70.0) if finish.surface == "lacquered" else finish.gloss)
    return Material(kind, (r, g, b), alpha, figure, finish.grain_deg)


@remembered
def _under_lacquer(figure: Texture) -> Texture:
    """A wood whose pores are filled: its relief is gone but for a breath."""
    return replace(figure, slope=figure.slope * np.float32(0.12))


WEAVES = {"book cloth": textures.weave, "cotton": textures.knit, "canvas": textures.canvas}
MASONRIES = {
    "brick": (textures.rough_stone, 0.7),
    "concrete": (textures.concrete, 0.6),
    "plaster": (textures.plaster, 0.6),
}


@material_of.of(Cloth)
def _cloth(finish: Cloth) -> Material:
    return Material("matte", hex_to_linear(finish.colour), 0.6, WEAVES[finish.weave](), finish.grain_deg)


@material_of.of(Paper)
def _paper(finish: Paper) -> Material:
    return Material("matte", hex_to_linear(finish.colour), 0.6, textures.fibre())


@material_of.of(Masonry)
def _masonry(finish: Masonry) -> Material:
    texture, alpha = MASONRIES[finish.surface]
    return Material("matte", hex_to_linear(finish.colour), alpha, texture())


LEAST_FROST, FROST = 0.08, 0.42  # roughness of glass that is hardly frosted, and how much rougher it gets


@material_of.of(Glass)
def _glass(finish: Glass) -> Material:
    alpha = 0.0 if finish.frosted <= 0 else LEAST_FROST + FROST * finish.frosted / 100
    return Material("glass", hex_to_linear(finish.colour), max(alpha, 0.01))


def frosted_film(material: Material) -> Material:
    """Glass as a film on glass: what frosts it scatters light to both sides."""
    return replace(material, film=float(np.clip((material.alpha - LEAST_FROST) / FROST, 0.0, 1.0)))


@material_of.of(Foam)
def _foam(finish: Foam) -> Material:
    return Material("matte", hex_to_linear(finish.colour), 0.6, textures.cells())


BANK_TILE_MM = 11_000.0  # of mown grass over a bank


@material_of.of(Grass)
def _grass(finish: Grass) -> Material:
    return Material("matte", hex_to_linear(finish.colour), 0.8, textures.lawn(BANK_TILE_MM))


@material_of.of(PaintedWood)
def _painted_wood(finish: PaintedWood) -> Material:
    grain = _faded(round(finish.grain))
    return Material(
        "coated", hex_to_linear(finish.colour), gloss_alpha(finish.gloss), grain, finish.grain_deg
    )


@remembered
def _faded(percent: int) -> Texture:
    """The wood texture with its figure and relief at ``percent`` of full strength."""
    full = woods.wood(woods.RINGS_MM, 50.0)
    share = np.float16(percent / 100)
    return replace(full, tint=1 - share + share * full.tint, slope=full.slope * share)


@material_of.of(Slate)
def _slate(finish: Slate) -> Material:
    share = finish.oiled / 100
    r, g, b = (c * (1 - 0.62 * share) for c in hex_to_linear(SLATE_COLOUR))
    return Material("coated", (r, g, b), 0.52 - 0.27 * share, textures.slate())


def printed_picture(pixels: Array, width_mm: float, height_mm: float, alpha: float) -> Material:
    """Colour artwork as ink: linear RGB (h, w, 3), row 0 the lower edge, over so many mm."""
    key = id(pixels)
    if key not in _PICTURES:
        # a texture's tile is square: the picture lies at its lower left, the rest is never seen
        side = max(pixels.shape[:2])
        tint = np.ones((side, side, 3), dtype=np.float32)
        tint[: pixels.shape[0], : pixels.shape[1]] = pixels
        tile = max(width_mm, height_mm)
        slope = np.zeros((4, 4, 2), dtype=np.float32)
        if len(_PICTURES) >= 8:
            _PICTURES.pop(next(iter(_PICTURES)))
        _PICTURES[key] = (pixels, Texture(tile, tint, slope))
    return Material("coated", (1.0, 1.0, 1.0), alpha, _PICTURES[key][1])


_PICTURES: dict[int, tuple[Array, Texture]] = {}
