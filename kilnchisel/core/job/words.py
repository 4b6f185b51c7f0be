"""The job in plain sentences: one for each section of the ticket, and words for an edit."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.artwork import Artwork, Picture, Shape
from kilnchisel.core.job.blank import TITLES, Band, Blank, Globe, Medallion, Mug, Plaque, size_of
from kilnchisel.core.job.boards import Board, Plate, Wall
from kilnchisel.core.job.bodies import Handle, Mesh3D, Signet, Van
from kilnchisel.core.job.crafts import (
    Carved,
    Craft,
    CutThrough,
    Engraved,
    Fitting,
    Pressed,
    Printed,
    Relief,
    Standing,
    Tube,
)
from kilnchisel.core.job.edits import field_label
from kilnchisel.core.job.finish import SPECIES, AsBlank, Glass, Gold, Masonry, Metal, Wear, Wood
from kilnchisel.core.job.lettering import Content, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.ringsizes import iso_size, japan_size, uk_size, us_size
from kilnchisel.core.job.wording import Circle, Column, Curve, Face, FileFace, Slope, Wording
from kilnchisel.core.units import format_angle, format_length, format_number

COLOURS = {
    "black": (20, 20, 20),
    "white": (250, 250, 248),
    "cream": (239, 230, 208),
    "grey": (128, 128, 128),
    "red": (176, 40, 40),
    "brick": (160, 75, 55),
    "orange": (215, 125, 45),
    "ochre": (190, 150, 70),
    "yellow": (235, 205, 80),
    "olive": (120, 125, 60),
    "green": (60, 125, 70),
    "pine": (40, 75, 65),
    "teal": (35, 125, 120),
    "sky blue": (130, 175, 215),
    "blue": (45, 85, 165),
    "midnight": (29, 42, 77),
    "violet": (105, 75, 145),
    "rose": (205, 130, 140),
    "brown": (95, 65, 45),
    "sand": (210, 185, 150),
    "gold": (200, 160, 70),
    "silver": (190, 192, 196),
}


def colour_word(text: str) -> str:
    """The nearest everyday name of a #rrggbb colour."""
    r, g, b = (int(text[i : i + 2], 16) for i in (1, 3, 5))
    return min(
        COLOURS,
        key=lambda name: sum((a - c) ** 2 for a, c in zip((r, g, b), COLOURS[name], strict=True)),
    )


def finish_words(finish: Any) -> str:
    """A finish in a few words: "cream enamel", "brushed brass"."""
    if isinstance(finish, AsBlank):
        return "as the blank"
    if isinstance(finish, Metal):
        kind = finish.kind  # type: ignore[attr-defined]
        metal = "stainless steel" if kind == "stainless" else kind
        if isinstance(finish, Gold) and finish.carat < 24:
            metal = f"{format_number(finish.carat)} ct {finish.alloy} gold"
        old = ", with patina" if finish.patina >= 10 else ""
        return f"{finish.polish} {metal}{old}"
    if finish.kind == "slate":
        return "oiled slate" if finish.oiled >= 20 else "slate"
    if isinstance(finish, Wood):
        named = (name for name, known in SPECIES.items() if known[0] == finish.colour)
        kind = next(named, f"{colour_word(finish.colour)} wood")
        return kind if finish.surface == "bare" else f"{finish.surface} {kind}"
    if isinstance(finish, Glass):
        return "frosted glass" if finish.frosted >= 20 else "glass"
    if isinstance(finish, Masonry):
        stone = finish.surface
        return stone if colour_word(finish.colour) == stone else f"{colour_word(finish.colour)} {stone}"
    colour = colour_word(finish.colour)
    effect = getattr(finish, "effect", "plain")
    if effect != "plain":
        return f"{colour} {effect} {finish.kind}"
    return f"{colour} {getattr(finish, 'surface', finish.kind)}"


def wear_words(wear: Wear) -> str:
    """ "edges rubbed, dirt in recesses"; nothing for a new piece."""
    words = {
        "edges rubbed": wear.rubbed,
        "dirt in recesses": wear.dirt,
        "scratched": wear.scratched,
        "uneven colour": wear.noise,
    }
    return ", ".join(word for word, amount in words.items() if amount > 0)


def craft_words(craft: Craft) -> str:
    """ "Engraved 0.3 mm deep, darkened 60 %"."""
    if isinstance(craft, Printed):
        bare = "" if craft.underprint else ", no white under it"
        cut = f", die-cut {format_length(craft.carrier_mm)} outside" if craft.carrier_mm > 0 else ""
        return f"Printed, {format_length(craft.film_mm, decimals=3)} film{bare}{cut}"
    if isinstance(craft, Engraved):
        dark = f", darkened {format_number(craft.darkened)} %" if craft.darkened > 0 else ""
        dark = f", filled with {craft.glow_colour} light" if craft.glow > 0 else dark
        floor = {
            "flat": "",
            "v": f", V floor of {format_number(craft.angle_deg)}°",
            "round": ", round floor",
        }
        return f"Engraved {format_length(craft.depth_mm)} deep{floor[craft.floor]}{dark}"
    if isinstance(craft, Pressed):
        return f"Pressed {format_length(craft.depth_mm)} deep, soft over {format_length(craft.soft_mm)}"
    if isinstance(craft, Tube):
        colour = colour_word(craft.own_colour) if craft.colour == "own" else craft.colour
        form = "LED rope" if craft.form == "rope" else "tube" if "neon" in colour else "neon tube"
        unlit = "" if craft.lit else ", unlit"
        return f"{colour.capitalize()} {form} of {format_length(craft.tube_mm)}{unlit}"
    if isinstance(craft, Carved):
        way = "sunk" if craft.base_mm < 0 else "raised"
        texture = (
            "smooth"
            if craft.texture == "smooth"
            else f"{craft.texture} {format_length(craft.depth_mm)} deep"
        )
        return f"Carved, {way} {format_length(abs(craft.base_mm))}, {texture}"
    if isinstance(craft, Relief):
        return f"Relief {'sunk' if craft.sunk else 'of'} {format_length(craft.height_mm)} from the picture"
    if isinstance(craft, CutThrough):
        if craft.fill == "inlay":
            return f"Inlaid flush, pocket {format_length(craft.depth_mm)} deep"
        behind = {"nothing": "", "panel": ", a panel behind", "light": ", light behind"}[craft.behind]
        sunk = ", countersunk" if craft.sink_mm > 0 else ""
        return f"Cut through{sunk}{behind}"
    if isinstance(craft, Standing):
        lit = {"none": "", "halo": ", lit from behind", "face": ", lit", "both": ", lit"}[craft.light]
        off = f", {format_length(craft.standoff_mm)} off" if craft.standoff_mm > 0 else ""
        off = ", upright on the ground" if craft.upright else off
        return f"Standing letters {format_length(craft.thickness_mm)} thick{off}{lit}"
    if isinstance(craft, Fitting):
        return {
            "posts": f"{craft.count} {craft.section} posts of {format_length(craft.size_mm)}",
            "backing": f"Backing panel {format_length(craft.size_mm)} thick",
            "caps": f"Screw caps of {format_length(craft.size_mm)}",
            "eyes": f"Eyes of {format_length(craft.size_mm)}, chains {format_length(craft.length_mm)}",
        }[craft.form]
    edge = "" if craft.edge == "square" else f", {craft.edge}"
    return f"Raised {format_length(craft.height_mm)}{edge}"


def one_line(lettering: Lettering) -> str:
    """The words of a lettering on one line, or what it is."""
    content = lettering.wording
    if isinstance(content, Wording):
        return _rows_of(content) or "no words"
    if isinstance(content, Shape):
        return f"{content.form.form} badge" if content.form.kind == "badge" else content.form.kind
    return content.name or ("picture" if isinstance(content, Picture) else "artwork")


def _rows_of(wording: Wording) -> str:
    return " / ".join(row for row in wording.text.split("\n") if row.strip())


def content_words(content: Content) -> str:
    """The Wording section in one sentence."""
    if isinstance(content, Shape):
        return _shape_words(content)
    if isinstance(content, Artwork | Picture):
        name = content.name or ("picture" if isinstance(content, Picture) else "artwork")
        wide = "true size" if content.width_mm is None else f"{format_length(content.width_mm)} wide"
        return f"{'Picture' if isinstance(content, Picture) else 'Artwork'} {name}, {wide}"
    words = _rows_of(content) or "No words"
    if content.fit is not None:
        size = f"fitted to {format_length(content.fit.width_mm)} by {content.fit.by}"
    else:
        size = f"capitals {format_length(content.cap_height_mm)}"
    parts = [words, face_words(content.face), size]
    way = content.arrangement
    if isinstance(way, Circle):
        parts.append(f"round a circle of {format_length(way.radius_mm)} radius")
    elif isinstance(way, Column):
        parts.append("one letter to a row")
    elif isinstance(way, Curve):
        parts.append("along a curve")
    elif isinstance(way, Slope):
        parts.append("up a slope")
    if content.stencil is not None:
        parts.append(f"stencil bridges {format_length(content.stencil.bridge_mm)}")
    if content.contour is not None:
        parts.append("double contour" if content.contour.second_mm > 0 else "contour line")
    if content.backing is not None:
        parts.append("backing")
    return ", ".join(parts)


def _shape_words(shape: Shape) -> str:
    form = shape.form
    sizes = [
        f"{name.removesuffix('_mm').replace('_', ' ')} {format_length(getattr(form, name))}"
        for name in type(form).model_fields
        if name.endswith("_mm")
    ]
    return f"{one_line(Lettering(wording=shape)).capitalize()}, {', '.join(sizes)}"


def face_words(face: Face) -> str:
    """The name of a face: "EB Garamond"."""
    if isinstance(face, FileFace):
        return face.family or face.path
    return " ".join(
        part.upper() if part in ("eb", "biz", "ems") else part.capitalize() for part in face.name.split("-")
    )


def edge_word(blank: Blank) -> str:
    """What the second finish of a blank is for."""
    return {
        "plaque": "edge",
        "jar": "lid",
        "bottle": "cap",
        "can": "rims and lids",
        "band": "inside",
        "globe": "foot",
        "board": "edge and frame",
        "box sign": "case",
        "wall": "joints",
        "handle": "ferrule",
        "signet": "inside",
        "bracelet": "inside",
        "van": "hubs and lamps",
        "garment": "collar and hem",
        "bank": "cut ground",
    }.get(blank.kind, "rim")


def detail_word(blank: Blank) -> str | None:
    """What the third finish of a blank is for; None where it has no such part."""
    parts = {
        "van": "windows and tyres",
        "book": "pages",
        "box sign": "bracket",
        "hull": "windows" if getattr(blank, "window_rows", 0) else None,
        "handle": "bristles" if getattr(blank, "head", "") == "brush" else None,
        "band": "inlay" if getattr(blank, "inlay_mm", 0) else None,
        "board": "border line" if getattr(blank, "line_mm", 0) else None,
    }
    return parts.get(blank.kind)


NO_RIM = ("book", "hull", "cap", "mesh")  # blanks without a part of the second finish


def has_rim(blank: Blank) -> bool:
    """Whether a blank has parts that take the second finish."""
    if blank.kind == "wall":
        return getattr(blank, "surface", "") != "plaster"
    if blank.kind == "plate":
        return getattr(blank, "rim_mm", 0) > 0
    return blank.kind not in NO_RIM


def _rim_words(job: Job) -> str:
    """The second finish of a blank, where it is what that part is made of."""
    if job.blank.kind == "wall" and isinstance(job.rim_finish, Masonry):
        return f"{colour_word(job.rim_finish.colour)} mortar"
    return finish_words(job.rim_finish)


def sentence(job: Job, section: str, index: int | None) -> str:
    """A ticket section, folded: its values in one sentence."""
    lettering = None if index is None else job.letterings[index]
    if section == "blank":
        return _blank(job)
    if section == "finish":
        words = finish_words(job.finish)
        if has_rim(job.blank):
            words += f", its {edge_word(job.blank)} {_rim_words(job)}"
        if detail_word(job.blank) is not None:
            words += f", its {detail_word(job.blank)} {finish_words(job.detail_finish)}"
        if lettering is not None:
            alike = isinstance(lettering.finish, AsBlank)
            letters = "finished" if alike else "in"
            on = TITLES[job.blank.kind].lower() if job.blank.kind in TITLES else "body"
            words = f"Letters {letters} {finish_words(lettering.finish)}; {on} in {words}"
        worn = wear_words(job.wear)
        words += f"; {worn}" if worn else ""
        return words[0].upper() + words[1:]
    if section == "setting":
        return _setting(job)
    if section == "hand-over":
        return "Mockup picture, solid for making"
    if lettering is None:
        return "No lettering yet"
    if section == "wording":
        return content_words(lettering.wording)
    if section == "lay":
        return _lay(job, lettering)
    return craft_words(lettering.craft)


def _blank(job: Job) -> str:
    blank = job.blank
    if isinstance(blank, Mug):
        size = f"Mug, {format_number(blank.diameter_mm)} × {format_length(blank.height_mm)}"
        return (
            f"{size}, handle at {format_angle(blank.handle_deg)}" if blank.handle else f"{size}, no handle"
        )
    if isinstance(blank, Plaque):
        shape = "Oval plaque" if blank.shape == "oval" else "Plaque"
        size = f"{format_number(blank.width_mm)} × {format_length(blank.height_mm)}"
        return f"{shape}, {size}, {format_length(blank.thickness_mm)} thick"
    if isinstance(blank, Band):
        inside = f"{format_length(blank.inner_mm)} inside{_sizes(blank.inner_mm)}"
        size = f"{inside}, {format_length(blank.width_mm)} wide"
        return f"{blank.profile[0].upper() + blank.profile[1:]} band, {size}"
    if isinstance(blank, Signet):
        head = f"head {format_number(blank.head_mm)} × {format_length(blank.head_high_mm)}"
        return f"Signet ring, {format_length(blank.inner_mm)} inside{_sizes(blank.inner_mm)}, {head}"
    if isinstance(blank, Globe):
        return f"Globe, {format_length(blank.diameter_mm)}, {'on a foot' if blank.foot else 'no foot'}"
    if isinstance(blank, Medallion):
        size = f"{format_length(blank.diameter_mm)}, {format_length(blank.thickness_mm)} thick"
        return f"Medallion, {size}, field sunk {format_length(blank.sunk_mm)}"
    return _other_blank(blank)


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


def _other_blank(blank: Blank) -> str:
    width, height = size_of(blank)
    size = f"{format_number(width)} × {format_length(height)}"
    if isinstance(blank, Mesh3D):
        return f"Mesh {blank.name}, {' × '.join(format_number(side, 1) for side in blank.size_mm)} mm"
    words = [f"{TITLES[blank.kind]}, {size}"]
    if isinstance(blank, Board):
        words[0] = f"{blank.shape.capitalize()} sign board, {size}"
        words.append(f"{format_length(blank.thickness_mm)} thick")
        if blank.dome_mm:
            words.append(
                f"{'domed' if blank.dome_mm > 0 else 'dished'} {format_length(abs(blank.dome_mm))}"
            )
        if blank.frame_mm:
            words.append("framed")
    elif isinstance(blank, Plate):
        words.append("no holes" if blank.holes == "none" else f"{blank.holes} holes")
    elif isinstance(blank, Wall):
        words[0] = f"Wall of {blank.surface}, {size}"
    elif isinstance(blank, Handle):
        words.append("straight" if blank.bend_deg == 0 else f"bent {format_angle(blank.bend_deg)}")
    elif isinstance(blank, Van):
        words[0] = (
            f"{blank.windows.capitalize()} van, {size}" if blank.windows == "panel" else f"Minibus, {size}"
        )
    return ", ".join(words)


def _lay(job: Job, lettering: Lettering) -> str:
    lay = lettering.lay
    turn = f", turned {format_angle(lay.turn_deg)}" if lay.turn_deg else ""
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


def _setting(job: Job) -> str:
    setting = job.setting
    light = {
        "studio": "Studio light",
        "daylight": "Daylight",
        "workshop": "Workshop light",
        "dark": "In the dark",
    }
    away = format_length(setting.camera.distance_mm / 1000, "mm", 2).removesuffix(" mm")
    return f"{light[setting.light.room]}, {setting.ground.kind}, seen from {away} m"


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
