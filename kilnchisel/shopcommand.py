"""The commands ``hand-over`` and ``cut``: what a job gives out of the house, and the simulated router."""

from __future__ import annotations

import dataclasses
import json
import re
import sys
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.options import OPTIONS
from kilnchisel.core.units import parse_length
from kilnchisel.idle import refuse_all_but, refuse_idle, refuse_idle_choices
from kilnchisel.photocommand import tell_others

MAP_SIZES = next(option.known for option in OPTIONS if option.name == "map-size")


def add_to(commands: Any) -> None:
    """Add both to a parser's commands."""
    hand = commands.add_parser("hand-over", help="write what a job is made and sold from into a folder")
    hand.add_argument("job", type=Path)
    hand.add_argument("--list", action="store_true", help="what this job can give, and why not the rest")
    hand.add_argument("-o", "--output", type=Path, metavar="FOLDER")
    hand.add_argument(
        "--only", metavar="NAMES", help="with commas between; without it all that it can give"
    )
    hand.add_argument("--json", action="store_true", help="the list as JSON")
    hand.add_argument("--progress", action="store_true", help="say the share done on stderr")
    hand.add_argument("--preset", metavar="NAME", help="begin with what is kept under a name")
    hand.add_argument("--keep", metavar="NAME", help="keep what is chosen here under a name")
    for option in OPTIONS:
        words = ": ".join([", ".join(option.kinds), option.words.lower()])
        hint = f" ({option.hint})" if option.hint else ""
        usual = f"; default {option.usual}" if option.usual else ""
        if option.sort == "flag":
            hand.add_argument(f"--{option.name}", action="store_true", help=words + hint)
        elif option.name == "size":
            hand.add_argument("--size", action="append", help=f"{words}, or of maps: 1k to 8k{usual}")
        else:
            known = f": {', '.join(option.known)}" if option.known else ""
            hand.add_argument(f"--{option.name}", metavar="VALUE", help=words + hint + known + usual)
    cut = commands.add_parser("cut", help="run a router's program through simulated stock")
    cut.add_argument("program", type=Path)
    cut.add_argument("--stock", metavar="WxHxT", help="mm: 600x300x30; without it what the program says")
    cut.add_argument(
        "--tool",
        action="append",
        metavar="N=CUTTER",
        help='"1=flat 6mm", "2=ball 3mm", "3=v 60° 12mm", "4=flat 3mm flute 12mm shank 6mm"',
    )
    cut.add_argument("--against", type=Path, metavar="JOB", help="measure it against this job's piece")
    cut.add_argument("--side", help="which of its sides, where the program does not say")
    cut.add_argument("--cell", metavar="LENGTH", help="how fine the stock is looked at")
    cut.add_argument("-o", "--output", type=Path, metavar="FILE.png", help="what is left, seen from above")
    cut.add_argument(
        "--seen", type=Path, metavar="FILE.png", help="with --against: the job's picture as cut"
    )
    cut.add_argument("--samples", type=int, default=0, help="of that a pixel; 0: the quick picture")
    cut.add_argument("--json", action="store_true", help="as JSON")


def hand_over(options: Any, opened: Any) -> None:
    """Do what the command says. ``opened``: reads a job. Raises KilnError."""
    from kilnchisel.core.handover.presets import Preset, keep_preset, preset_named, wanted_from
    from kilnchisel.core.handover.table import KINDS, kinds_named
    from kilnchisel.core.handover.table import hand_over as written

    job = opened(options.job)
    refuse_idle(options, ("json", options.list, "with --list"))
    if options.list:
        refuse_all_but(options, "--list", "list", "json")
        missing = {kind.name: kind.missing(job) for kind in KINDS}
        if options.json:
            rows = [
                {"name": k.name, "title": k.title, "formats": k.formats, "missing": missing[k.name]}
                for k in KINDS
            ]
            print(json.dumps(rows, indent=1, ensure_ascii=False))
            return
        for kind in KINDS:
            why = f"  (not: {missing[kind.name]})" if missing[kind.name] else ""
            print(f"{kind.name:<10} {kind.title:<26} {kind.formats}{why}")
        return
    if options.output is None:
        raise KilnError("Say which folder: -o FOLDER; --list says what there is.")
    begun = preset_named(options.preset) if options.preset else Preset((), {})
    only = options.only or ",".join(begun.kinds)
    kinds = kinds_named(only) if only else tuple(k for k in KINDS if not k.missing(job))
    refuse_idle_choices(_values(options), [kind.name for kind in kinds])
    values = begun.values | _values(options)
    wanted = wanted_from(values)
    if options.keep:
        keep_preset(options.keep, Preset(tuple(kind.name for kind in kinds), values))
    told = _told if options.progress else lambda share: None
    for path in written(job, options.output, kinds, wanted, progress=told):
        print(path)
    tell_others(job)


def _values(options: Any) -> dict[str, str]:
    """What was said on the command line, by name; a size of maps may be said as a size."""
    found: dict[str, str] = {}
    for option in OPTIONS:
        said = getattr(options, option.name.replace("-", "_"))
        if option.name == "size":
            for one in said or ():
                found["map-size" if one.lower() in MAP_SIZES else "size"] = one
        elif said not in (None, False):
            found[option.name] = "yes" if said is True else str(said)
    return found


def _told(share: float) -> None:
    print(f"{share:.3f} {100 * share:.0f} %", file=sys.stderr, flush=True)


def cut(options: Any, opened: Any) -> None:
    """Do what the command says. Raises KilnError."""
    from kilnchisel.core.intake.gate import bytes_of
    from kilnchisel.core.shop.machines.router import route
    from kilnchisel.core.shop.machines.rs274 import read_program

    refuse_idle(
        options,
        ("side", options.against is not None, "with --against"),
        ("samples", options.seen is not None, "with --seen"),
    )
    data = bytes_of(options.program, 512 * 2**20, "program")
    program = read_program(data, options.program.name)
    stock = _stock(options.stock) if options.stock else program.stock
    if stock is None:
        raise KilnError("Say how large the stock is: --stock 600x300x30")
    cell = parse_length(options.cell) if options.cell else None
    done = route(program, stock, _tools(options.tool or ()), cell)
    assert done is not None
    found: dict[str, Any] = {
        "stock_mm": list(stock),
        "cell_mm": round(done.heights.cell_mm, 4),
        "removed_mm3": round(done.removed_mm3, 2),
        "deepest_mm": round(float(-done.heights.values.min()), 4),
        "seconds": round(done.seconds, 1),
        "cut_mm": round(done.cut_mm, 1),
        "travel_mm": round(done.travel_mm, 1),
        "troubles": [{"line": one.line, "says": one.says} for one in done.troubles],
    }
    if options.output is not None:
        from kilnchisel.core.handover.pictures import png_bytes
        from kilnchisel.core.shop.machines.shown import shaded
        from kilnchisel.core.writing import write_whole

        if options.output.suffix.lower() != ".png":
            raise KilnError(f"“{options.output.name}” should end in .png: what is left is a picture.")
        write_whole(options.output, png_bytes(shaded(done.heights), options.program.name))
    if options.against is not None:
        found["against"] = _against(options, opened, done, program)
    if options.seen is not None:
        _seen(options, opened, done, program)
    if options.json:
        print(json.dumps(found, indent=2, ensure_ascii=False))
        return
    minutes, seconds = divmod(round(done.seconds), 60)
    print(f"{found['removed_mm3']:,.0f} mm³ cut away, {found['deepest_mm']:g} mm deep at most.")
    cut_m, travel_m = done.cut_mm / 1000, done.travel_mm / 1000
    print(f"{minutes} min {seconds} s; {cut_m:,.2f} m of cut, {travel_m:,.2f} m of travel.")
    if "against" in found:
        against = found["against"]
        for name, word in (("over", "Too deep"), ("under", "Left standing")):
            off = against[name]
            print(
                f"{word}: {off['most_mm']:g} mm at most, at {off['at_mm'][0]:g}, {off['at_mm'][1]:g}; "
                f"{off['area_mm2']:g} mm² by more than 0.05 mm."
            )
    for one in done.troubles:
        print(f"{f'Line {one.line}: ' if one.line else ''}{one.says}.")


def _seen(options: Any, opened: Any, done: Any, program: Any) -> None:
    """Write the picture of the job as it was cut."""
    from kilnchisel.core.handover.cutpicture import scene_as_cut
    from kilnchisel.core.handover.pictures import PictureOrder, made_picture, png_bytes
    from kilnchisel.core.handover.sidemaps import plain_job
    from kilnchisel.core.writing import write_whole

    if options.against is None:
        raise KilnError("Say in which job's picture it is seen: --against JOB")
    if options.seen.suffix.lower() != ".png":
        raise KilnError(f"“{options.seen.name}” should end in .png.")
    job = plain_job(opened(options.against))
    setup = _setup(options, program)
    order = PictureOrder(samples=max(options.samples, 1), draft=options.samples < 1)
    scene = scene_as_cut(job, done.heights, done.stock[2], setup)
    made = made_picture(job, order, scene=scene)
    assert made is not None
    write_whole(options.seen, png_bytes(made.pixels, job.name))


def _setup(options: Any, program: Any) -> Any:
    """How a program's stock lies to the side that it is for. Raises KilnError."""
    from kilnchisel.core.shop.paths.setup import Setup

    setup = program.setup or Setup()
    setup = dataclasses.replace(setup, side=options.side or setup.side)
    if not setup.side:
        raise KilnError("Say against which side of the piece it is measured: --side front")
    return setup


def _against(options: Any, opened: Any, done: Any, program: Any) -> dict[str, Any]:
    from kilnchisel.core.shop.machines.against import compared

    setup = _setup(options, program)
    made = compared(done, opened(options.against), setup)

    def told(off: Any) -> dict[str, Any]:
        return {
            "most_mm": round(off.most_mm, 4),
            "at_mm": [round(v, 2) for v in off.at],
            "area_mm2": round(off.area_mm2, 2),
        }

    return {
        "side": setup.side,
        "over": told(made.over),
        "under": told(made.under),
        "wanted_mm3": round(made.wanted_mm3, 2),
        "removed_mm3": round(made.removed_mm3, 2),
    }


def _stock(text: str) -> tuple[float, float, float]:
    parts = re.split("[x×]", text.lower().replace(" ", ""))
    if len(parts) != 3:
        raise KilnError(f"“{text[:40]}” is no stock; write its width, height and thickness: 600x300x30")
    wide, tall, thick = (parse_length(part) for part in parts)
    return wide, tall, thick


def _tools(texts: Any) -> dict[int, Any]:
    from kilnchisel.core.shop.paths.tools import tool_written

    found = {}
    for text in texts:
        number, _, cutter = text.partition("=")
        if not number.strip().isdigit() or not cutter:
            raise KilnError(f"“{text[:40]}” names no cutter; write it as 1=flat 6mm.")
        found[int(number)] = tool_written(cutter)
    return found
