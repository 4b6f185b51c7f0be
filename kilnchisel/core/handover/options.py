"""How what is handed over is made, as a person says it: each choice by name, with its words and for which
kinds it counts. The window and the command line read this table alike; it loads nothing."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

PICTURES = ("picture", "cut-out", "proof")
PAPERED = ("proof", "sheet", "work-sheet", "holes", "bending")
HEADED = ("proof", "work-sheet")
MAPPED = ("maps", "textured", "sheet")


@dataclass(frozen=True)
class Option:
    """One choice: its name as an argument, its words, what it is where nobody says, for which kinds it
    counts. ``sort``: how it is given; ``known``: what there is to choose from; ``hint``: more words."""

    name: str
    words: str
    usual: str
    kinds: tuple[str, ...]
    sort: Literal["text", "choice", "flag", "file"] = "text"
    known: tuple[str, ...] = ()
    hint: str = ""


OPTIONS = (
    Option(
        "size", "Picture size", "1600x1000", PICTURES, hint="pixels, or mm in print with pixels an inch"
    ),
    Option("samples", "Samples a pixel", "128", PICTURES),
    Option("draft", "The quick picture", "", PICTURES, "flag"),
    Option("map-size", "Texels along a side", "2k", MAPPED, "choice", ("1k", "2k", "4k", "8k")),
    Option("maps", "Maps as", "png", ("maps",), "choice", ("png", "png16", "tiff", "exr", "exr32")),
    Option("atlas", "All sides on one sheet", "", ("maps",), "flag"),
    Option(
        "normals",
        "Green of normals",
        "y-up",
        ("maps",),
        "choice",
        ("y-up", "y-down", "both"),
        "up, down, or one of each",
    ),
    Option("paper", "Paper", "A4", PAPERED, "choice", ("A4", "A3", "Letter", "Tabloid")),
    Option("heading", "Heading", "", HEADED, hint="the shop; \\n begins a line"),
    Option("logo", "Logo", "", HEADED, "file", hint="a PNG or JPEG"),
    Option("revision", "Revision", "A", HEADED),
    Option("date", "Date", "", HEADED, hint="as it is written; today's where it is empty"),
    Option("proofs", "Proofs to choose from", "", ("proof",), hint="names with commas between, or all"),
    Option("rates", "Rates", "", ("work-sheet",), "file", hint="CSV: rows of what, price, unit"),
    Option("work", "Work by hand", "", ("work-sheet",), hint="design 1.5h, painting 45min"),
    Option("roll", "Roll of film", "610mm", ("plotter",), hint="its width"),
    Option("knife", "Knife", "0.25mm", ("plotter",), hint="from pivot to tip; 0: it does not drag"),
    Option("overcut", "Overcut", "0.5mm", ("plotter",), hint="beyond a line's start"),
    Option("weeding", "Weeding lines", "0mm", ("plotter",), hint="apart; 0: none"),
    Option("flats", "Flat cutters", "6mm,3mm,1mm,0.5mm", ("router", "work-sheet")),
    Option("balls", "Ball ends", "3mm,1mm", ("router", "work-sheet"), hint="for reliefs"),
    Option("scallop", "Scallops", "0.02mm", ("router",), hint="what may be left between lines"),
    Option("tabs", "Tabs", "4", ("router",), hint="to each outline"),
    Option(
        "inlays",
        "Inlays cut",
        "upright",
        ("router",),
        "choice",
        ("upright", "v30", "v60", "v90"),
        "or by a V of so many degrees: no gap, sharp corners",
    ),
    Option("blank", "The blank cut out too", "", ("router", "work-sheet"), "flag"),
    Option("inch", "Programs in inches", "", ("router",), "flag"),
    Option("numbered", "Line numbers", "", ("router",), "flag"),
    Option("arcs", "Arcs as G2, G3", "", ("router",), "flag"),
    Option("coolant", "Coolant on", "", ("router",), "flag"),
    Option("change", "Change of cutters", "m6", ("router",), "choice", ("m6", "stop")),
    Option("sheet", "Sheet of stock", "", ("router", "laser"), hint="1220x610mm: letters are laid on such"),
    Option("margin", "Its margin", "10mm", ("router", "laser"), hint="all round a sheet of stock"),
    Option("gap", "Between letters", "8mm", ("router", "laser"), hint="on a sheet of stock"),
    Option("grain", "Its grain", "none", ("router", "laser"), "choice", ("none", "along")),
    Option("kerf", "Kerf", "0.15mm", ("laser",), hint="how wide the beam cuts"),
)
USUAL = {option.name: option.usual for option in OPTIONS}


def counting_for(kinds: Iterable[str]) -> set[str]:
    """The names of the choices that count for some of these kinds."""
    wanted = set(kinds)
    return {option.name for option in OPTIONS if wanted & set(option.kinds)}
