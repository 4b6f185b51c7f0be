"""Crafts in words: how a lettering is made."""

from __future__ import annotations

from typing import Any

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
from kilnchisel.core.job.words.finishes import colour_word
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.units import format_length, format_number


@by_kind(Craft)
def craft_words(craft: Any) -> str:
    """ "Engraved 0.3 mm deep, darkened 60 %"."""
    raise NotImplementedError


@craft_words.of(Printed)
def _printed(craft: Printed) -> str:
    bare = "" if craft.underprint else ", no white under it"
    cut = f", die-cut {format_length(craft.carrier_mm)} outside" if craft.carrier_mm > 0 else ""
    return f"Printed, {format_length(craft.film_mm, decimals=3)} film{bare}{cut}"


@craft_words.of(Engraved)
def _engraved(craft: Engraved) -> str:
    dark = f", darkened {format_number(craft.darkened)} %" if craft.darkened > 0 else ""
    dark = f", filled with {craft.glow_colour} light" if craft.glow > 0 else dark
    floor = {
        "flat": "",
        "v": f", V floor of {format_number(craft.angle_deg)}°",
        "round": ", round floor",
    }
    return f"Engraved {format_length(craft.depth_mm)} deep{floor[craft.floor]}{dark}"


@craft_words.of(Pressed)
def _pressed(craft: Pressed) -> str:
    return f"Pressed {format_length(craft.depth_mm)} deep, soft over {format_length(craft.soft_mm)}"


@craft_words.of(Tube)
def _tube(craft: Tube) -> str:
    colour = colour_word(craft.own_colour) if craft.colour == "own" else craft.colour
    form = "LED rope" if craft.form == "rope" else "tube" if "neon" in colour else "neon tube"
    unlit = "" if craft.lit else ", unlit"
    return f"{colour.capitalize()} {form} of {format_length(craft.tube_mm)}{unlit}"


@craft_words.of(Carved)
def _carved(craft: Carved) -> str:
    way = "sunk" if craft.base_mm < 0 else "raised"
    texture = (
        "smooth" if craft.texture == "smooth" else f"{craft.texture} {format_length(craft.depth_mm)} deep"
    )
    return f"Carved, {way} {format_length(abs(craft.base_mm))}, {texture}"


@craft_words.of(Relief)
def _relief(craft: Relief) -> str:
    return f"Relief {'sunk' if craft.sunk else 'of'} {format_length(craft.height_mm)} from the picture"


@craft_words.of(CutThrough)
def _cut_through(craft: CutThrough) -> str:
    if craft.fill == "inlay":
        return f"Inlaid flush, pocket {format_length(craft.depth_mm)} deep"
    behind = {"nothing": "", "panel": ", a panel behind", "light": ", light behind"}[craft.behind]
    sunk = ", countersunk" if craft.sink_mm > 0 else ""
    return f"Cut through{sunk}{behind}"


@craft_words.of(Standing)
def _standing(craft: Standing) -> str:
    lit = {"none": "", "halo": ", lit from behind", "face": ", lit", "both": ", lit"}[craft.light]
    off = f", {format_length(craft.standoff_mm)} off" if craft.standoff_mm > 0 else ""
    off = ", upright on the ground" if craft.upright else off
    return f"Standing letters {format_length(craft.thickness_mm)} thick{off}{lit}"


@craft_words.of(WovenPatch)
def _patch(craft: WovenPatch) -> str:
    edge = "sealed" if craft.border_mm == 0 else f"overlocked {format_length(craft.sewn_mm)} wide"
    return f"Woven patch, {format_length(craft.margin_mm)} round the letters, {edge}"


@craft_words.of(Embroidered)
def _embroidered(craft: Embroidered) -> str:
    under = "" if craft.underlay else ", without underlay"
    return f"Embroidered, threads {format_length(craft.density_mm)} apart{under}"


@craft_words.of(Fitting)
def _fitting(craft: Fitting) -> str:
    return {
        "posts": f"{craft.count} {craft.section} posts of {format_length(craft.size_mm)}",
        "backing": f"Backing panel {format_length(craft.size_mm)} thick",
        "caps": f"Screw caps of {format_length(craft.size_mm)}",
        "eyes": f"Eyes of {format_length(craft.size_mm)}, chains {format_length(craft.length_mm)}",
    }[craft.form]


@craft_words.of(Raised)
def _raised(craft: Raised) -> str:
    edge = "" if craft.edge == "square" else f", {craft.edge}"
    return f"Raised {format_length(craft.height_mm)}{edge}"
