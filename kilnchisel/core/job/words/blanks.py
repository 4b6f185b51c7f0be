"""Blanks in words: what is lettered, and its sizes."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.aprons import APRON_SIZES
from kilnchisel.core.job.blank import (
    TITLES,
    Band,
    Blank,
    Bottle,
    Can,
    Globe,
    Jar,
    Medallion,
    Mug,
    Plaque,
    Tumbler,
)
from kilnchisel.core.job.boards import Board, Book, BoxSign, Plate, ShopFront, Wall, Window
from kilnchisel.core.job.bodies import (
    Apparel,
    Apron,
    Bank,
    Bracelet,
    Cap,
    Garment,
    Handle,
    Mesh3D,
    PeakedCap,
    Signet,
    ToteBag,
)
from kilnchisel.core.job.garments import measures_of
from kilnchisel.core.job.ringsizes import iso_size, japan_size, uk_size, us_size
from kilnchisel.core.job.totes import TOTE_SIZES
from kilnchisel.core.job.traits import size_of
from kilnchisel.core.job.vehicles import Aeroplane, BoxTruck, Coach, Hatchback, Hull, SailingHull, Van
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.units import format_angle, format_length, format_number

GARMENTS = {
    "t-shirt": "T-shirt",
    "long sleeve": "Long-sleeved shirt",
    "sweatshirt": "Sweatshirt",
    "hooded sweatshirt": "Hooded sweatshirt",
}


@by_kind(Blank)
def blank_words(blank: Any) -> str:
    """The Blank section in one sentence."""
    raise NotImplementedError


def blank_name(blank: Blank) -> str:
    """What a blank is called within a sentence."""
    return TITLES[blank.kind].lower() if blank.kind in TITLES else "body"


def _size(blank: Blank) -> str:
    width, height = size_of(blank)
    return f"{format_number(width)} × {format_length(height)}"


@blank_words.of(Tumbler, Jar, Bottle, Can, Cap, Bracelet, BoxSign, Book, Garment, Bank)
@blank_words.of(Hull, BoxTruck, SailingHull, Window)
def _plain(blank: Any) -> str:
    return f"{TITLES[blank.kind]}, {_size(blank)}"


@blank_words.of(Apparel)
def _apparel(blank: Apparel) -> str:
    m = measures_of(blank.garment, blank.size)
    flat = f"{format_number(m.chest)} × {format_length(m.length)} flat"
    return f"{GARMENTS[blank.garment]}, {blank.shown}, {blank.size} ({flat})"


@blank_words.of(ToteBag)
def _tote(blank: ToteBag) -> str:
    m = TOTE_SIZES[blank.size]
    flat = f"{format_number(m.wide)} × {format_length(m.high)}"
    return f"Tote bag, {blank.shown}, {blank.size} ({flat})"


@blank_words.of(Apron)
def _apron(blank: Apron) -> str:
    m = APRON_SIZES[blank.size]
    flat = f"{format_number(m.wide)} × {format_length(m.high)} flat"
    return f"Apron, {blank.shown}, {blank.size} ({flat})"


@blank_words.of(PeakedCap)
def _peaked_cap(blank: PeakedCap) -> str:
    return f"Cap, {format_length(blank.head_mm)} round the head, peak {format_length(blank.peak_mm)}"


@blank_words.of(Mug)
def _mug(blank: Mug) -> str:
    handle = f"handle at {format_angle(blank.handle_deg)}" if blank.handle else "no handle"
    return f"Mug, {_size(blank)}, {handle}"


@blank_words.of(Plaque)
def _plaque(blank: Plaque) -> str:
    shape = "Oval plaque" if blank.shape == "oval" else "Plaque"
    return f"{shape}, {_size(blank)}, {format_length(blank.thickness_mm)} thick"


@blank_words.of(Band)
def _band(blank: Band) -> str:
    inside = f"{format_length(blank.inner_mm)} inside{_sizes(blank.inner_mm)}"
    size = f"{inside}, {format_length(blank.width_mm)} wide"
    return f"{blank.profile[0].upper() + blank.profile[1:]} band, {size}"


@blank_words.of(Signet)
def _signet(blank: Signet) -> str:
    head = f"head {format_number(blank.head_mm)} × {format_length(blank.head_high_mm)}"
    return f"Signet ring, {format_length(blank.inner_mm)} inside{_sizes(blank.inner_mm)}, {head}"


@blank_words.of(Globe)
def _globe(blank: Globe) -> str:
    return f"Globe, {format_length(blank.diameter_mm)}, {'on a foot' if blank.foot else 'no foot'}"


@blank_words.of(Medallion)
def _medallion(blank: Medallion) -> str:
    size = f"{format_length(blank.diameter_mm)}, {format_length(blank.thickness_mm)} thick"
    return f"Medallion, {size}, field sunk {format_length(blank.sunk_mm)}"


@blank_words.of(Mesh3D)
def _mesh(blank: Mesh3D) -> str:
    return f"Mesh {blank.name}, {' × '.join(format_number(side, 1) for side in blank.size_mm)} mm"


@blank_words.of(Board)
def _board(blank: Board) -> str:
    words = [f"{blank.shape.capitalize()} sign board, {_size(blank)}"]
    words.append(f"{format_length(blank.thickness_mm)} thick")
    if blank.dome_mm:
        words.append(f"{'domed' if blank.dome_mm > 0 else 'dished'} {format_length(abs(blank.dome_mm))}")
    if blank.frame_mm:
        words.append("framed")
    return ", ".join(words)


@blank_words.of(Plate)
def _plate(blank: Plate) -> str:
    return f"{_plain(blank)}, {'no holes' if blank.holes == 'none' else f'{blank.holes} holes'}"


@blank_words.of(Wall)
def _wall(blank: Wall) -> str:
    bond = f" in {blank.bond} bond" if blank.surface == "brick" else ""
    return f"Wall of {blank.surface}{bond}, {_size(blank)}"


@blank_words.of(ShopFront)
def _shop_front(blank: ShopFront) -> str:
    return f"Shop front, {_size(blank)}, fascia {format_length(blank.fascia_mm)} high"


@blank_words.of(Handle)
def _handle(blank: Handle) -> str:
    bent = "straight" if blank.bend_deg == 0 else f"bent {format_angle(blank.bend_deg)}"
    return f"{_plain(blank)}, {bent}"


@blank_words.of(Hatchback)
def _hatchback(blank: Hatchback) -> str:
    return f"Hatchback, {blank.doors} doors, {_size(blank)}"


@blank_words.of(Coach)
def _coach(blank: Coach) -> str:
    return f"Coach, door on the {blank.door_on}, {_size(blank)}"


@blank_words.of(Aeroplane)
def _aeroplane(blank: Aeroplane) -> str:
    lengths = f"{format_length(blank.length_mm)} long, span {format_length(blank.span_mm)}"
    return f"Aeroplane, engines {blank.engines}, {lengths}"


@blank_words.of(Van)
def _van(blank: Van) -> str:
    kind = f"{blank.windows.capitalize()} van" if blank.windows == "panel" else "Minibus"
    return f"{kind}, {_size(blank)}"


def _sizes(inner_mm: float) -> str:
    """Ring sizes in brackets, for what goes on a finger: ISO, US, UK, Japan."""
    if not 12 <= inner_mm <= 25:
        return ""
    sizes = (
        f"ISO {format_number(iso_size(inner_mm), 1)}",
        f"US {format_number(round(us_size(inner_mm) * 4) / 4, 2)}",
        f"UK {uk_size(inner_mm)}",
        f"Japan {format_number(japan_size(inner_mm), 0)}",
    )
    return f" ({', '.join(sizes)})"
