"""What is wanted of a hand-over from what was said, and presets of that, kept by name."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.letterhead import Letterhead
from kilnchisel.core.handover.mapfiles import MapOrder
from kilnchisel.core.handover.options import OPTIONS, USUAL, Option
from kilnchisel.core.handover.paper.sheets import paper_named
from kilnchisel.core.handover.pictures import parse_size
from kilnchisel.core.handover.table import KINDS, Wanted
from kilnchisel.core.paths import state_folder
from kilnchisel.core.shop.amounts import hours_written
from kilnchisel.core.shop.paths.knife import Knife
from kilnchisel.core.shop.paths.nesting import Stock, sheet_written
from kilnchisel.core.shop.paths.routerwork import Routing
from kilnchisel.core.units import parse_length
from kilnchisel.core.writing import write_whole


def wanted_from(values: Mapping[str, str]) -> Wanted:
    """What is wanted by these values, those that are not named as usual; a flag is on where it says
    anything. Raises KilnError with what cannot be."""
    said = USUAL | {name: value.strip() for name, value in values.items() if name in USUAL}

    for option in OPTIONS:
        if option.sort == "choice":
            said[option.name] = _chosen(option, said[option.name])

    def lengths(name: str) -> tuple[float, ...]:
        return tuple(parse_length(one) for one in said[name].split(","))

    def whole(name: str, least: int) -> int:
        if not said[name].isdigit() or int(said[name]) < least:
            words = next(option.words for option in OPTIONS if option.name == name)
            raise KilnError(f"“{said[name][:20]}” is no number for {words.lower()}; {least} is the least.")
        return int(said[name])

    wanted = Wanted(
        size=parse_size(said["size"]),
        samples=whole("samples", 1),
        draft=bool(said["draft"]),
        knife=Knife(
            offset_mm=parse_length(said["knife"]),
            overcut_mm=parse_length(said["overcut"]),
            weeding_mm=parse_length(said["weeding"]),
            roll_mm=parse_length(said["roll"]),
        ),
        routing=Routing(
            flats_mm=lengths("flats"),
            balls_mm=lengths("balls"),
            scallop_mm=parse_length(said["scallop"]),
            tabs=whole("tabs", 0),
            inch=bool(said["inch"]),
            numbered=bool(said["numbered"]),
            arcs=bool(said["arcs"]),
            coolant=bool(said["coolant"]),
            change=said["change"],
            sheet=_sheet(said),
            inlay_deg=float(said["inlays"].removeprefix("v")) if said["inlays"] != "upright" else 0.0,
            blank=bool(said["blank"]),
        ),
        kerf_mm=parse_length(said["kerf"]),
        paper=paper_named(said["paper"]),
        maps=MapOrder(said["map-size"], said["maps"], said["normals"], bool(said["atlas"])),
        head=Letterhead(
            said["heading"].replace("\\n", "\n"),
            Path(said["logo"]) if said["logo"] else None,
            said["revision"],
            said["date"],
        ),
        rates=Path(said["rates"]) if said["rates"] else None,
        work=tuple(hours_written(said["work"])),
        proofs=tuple(name.strip() for name in said["proofs"].split(",") if name.strip()),
    )
    wanted.checked()
    return wanted


def _chosen(option: Option, text: str) -> str:
    """One of the choices there are, however it is written. Raises KilnError for another."""
    for known in option.known:
        if known.lower() == text.lower():
            return known
    there = ", ".join(option.known)
    raise KilnError(f"“{text[:20]}” is no choice for {option.words.lower()}; there is {there}.")


def _sheet(said: Mapping[str, str]) -> Stock | None:
    """The sheets that letters are laid on; None where there are none."""
    if not said["sheet"]:
        return None
    wide, tall = sheet_written(said["sheet"])
    margin, gap = parse_length(said["margin"]), parse_length(said["gap"])
    if not (0 <= margin <= min(wide, tall) / 2 and 0 <= gap <= 500):
        raise KilnError("A sheet's margin is at most half of it, and letters are at most 500 mm apart.")
    return Stock(wide, tall, margin, gap, "along" if said["grain"] == "along" else "none")


@dataclass(frozen=True)
class Preset:
    """Kinds and how they are made, kept for the next job."""

    kinds: tuple[str, ...]
    values: dict[str, str]


MOST_PRESETS = 60
LONGEST_NAME = 60


def presets() -> dict[str, Preset]:
    """What is kept, by name; what cannot be read is left out."""
    try:
        kept = json.loads(_file().read_text())
    except (OSError, ValueError):
        return {}
    known = {kind.name for kind in KINDS}
    found = {}
    for name, one in kept.items() if isinstance(kept, dict) else ():
        kinds, values = (one.get("kinds"), one.get("values")) if isinstance(one, dict) else (None, None)
        if isinstance(kinds, list) and isinstance(values, dict):
            mine = {k: str(v) for k, v in values.items() if k in USUAL}
            found[str(name)] = Preset(tuple(kind for kind in kinds if kind in known), mine)
    return found


def keep_preset(name: str, preset: Preset | None) -> None:
    """Keep a preset under a name, or with None let go of it. Raises KilnError."""
    name = " ".join(name.split())
    if not name or len(name) > LONGEST_NAME:
        raise KilnError(f"A preset needs a name of at most {LONGEST_NAME} letters.")
    kept = presets()
    if preset is None:
        kept.pop(name, None)
    else:
        if len(kept) >= MOST_PRESETS and name not in kept:
            raise KilnError(f"{MOST_PRESETS} presets are kept at most; let go of one first.")
        kept[name] = preset
    data = {name: {"kinds": one.kinds, "values": one.values} for name, one in kept.items()}
    write_whole(_file(), json.dumps(data, indent=1, ensure_ascii=False).encode())


def preset_named(name: str) -> Preset:
    """A preset by its name. Raises KilnError where there is none."""
    kept = presets()
    if name not in kept:
        there = ", ".join(kept) or "none yet"
        raise KilnError(f"There is no preset “{name}”; there is: {there}.")
    return kept[name]


def _file() -> Path:
    return state_folder() / "presets.json"
