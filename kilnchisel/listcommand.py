"""``kilnchisel list``: one design and a list of names."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.units import parse_length
from kilnchisel.idle import refuse_idle, refuse_idle_choices

FITS = ("none", "size", "rows")


def add_to(commands: Any) -> None:
    """Add the command to the parser's."""
    names = commands.add_parser("list", help="check a job with every row of a list, or hand each over")
    names.add_argument("job", type=Path, help="whose words have {columns} in them")
    names.add_argument("list", type=Path, help=".csv, .xlsx, .ods; its first row names the columns")
    names.add_argument(
        "-o",
        "--output",
        type=Path,
        metavar="FOLDER|PDF|JOB",
        help="a folder for each row's; a .pdf of all to be approved; a .kcj keeps what is chosen here with "
        "the job; without it rows are checked",
    )
    names.add_argument("--only", metavar="NAMES", help="as in hand-over; default picture")
    names.add_argument(
        "--with",
        dest="how",
        action="append",
        default=[],
        metavar="NAME=VALUE",
        help="a choice of hand-over: draft=yes, size=600x400, flats=3mm,1mm",
    )
    names.add_argument("--name", help="of each row's folder, default “{row} {first column}”")
    names.add_argument(
        "--fit", choices=FITS, help="what is wider than --most: smaller, or first in two rows"
    )
    names.add_argument("--most", metavar="LENGTH", help="how wide lettering with words of the list may be")
    names.add_argument("--row", type=int, metavar="N", help="that --put is for, the first being 1")
    names.add_argument(
        "--put",
        action="append",
        default=[],
        metavar="PATH=VALUE",
        help="put a field of this row right by hand: letterings.1.content.cap_height_mm=7",
    )
    names.add_argument("--as-listed", action="store_true", help="take back what was put right in --row")
    names.add_argument(
        "--on",
        metavar="SIZE",
        help="all rows together on a roll (330mm) or sheets (600x300mm): labels (--only sheet), film "
        "(plotter), plates (router)",
    )
    names.add_argument("--margin", help="of the sheets they lie on; default 10mm")
    names.add_argument(
        "--by-camera", action="store_true", help="a .pdf shows rows as the job's camera does"
    )
    names.add_argument("--gap", help="between them; default 6mm")
    names.add_argument("--processes", type=int, metavar="N", help="default 1")
    names.add_argument(
        "--scheduler", metavar="ADDRESS", help="of Dask: tcp://host:8786, whose workers do it"
    )
    names.add_argument("--json", action="store_true", help="as JSON")
    names.add_argument("--progress", action="store_true", help="say the share done on stderr")


def listed(options: Any, opened: Callable[[Path], Any], writable: Callable[[Path], None]) -> None:
    """Do what the command says. Raises KilnError."""
    from kilnchisel.core.lists.engines import Processes, Scheduler
    from kilnchisel.core.lists.filling import refuse_unlisted
    from kilnchisel.core.lists.making import checked, made
    from kilnchisel.core.lists.outcomes import worst_first
    from kilnchisel.core.lists.rows import read_list

    _refuse_idle(options)
    processes = Processes(1 if options.processes is None else options.processes)
    engine = processes if options.scheduler is None else Scheduler(options.scheduler)
    job, names = opened(options.job), read_list(options.list)
    job = job.model_copy(update={"listing": _listing(job, names, options)})
    refuse_unlisted(job, names, options.job.name)
    beside, output = options.list.parent, options.output
    if output is not None and output.suffix.lower() == ".kcj":
        _keep(job, output, writable)
        return
    if options.put or options.as_listed:
        raise KilnError("What is put right is kept with the job: -o JOB.kcj")

    def say(share: float) -> None:
        if options.progress:
            print(f"{share:.4f} ", file=sys.stderr, flush=True)
        elif sys.stderr.isatty():
            end = "\n" if share >= 1 else ""
            print(f"\r{round(share * len(names.rows))} rows  ", end=end, file=sys.stderr, flush=True)

    if options.on is not None:
        found = _together(job, names, beside, options, say)
    elif output is not None and output.suffix.lower() == ".pdf":
        found = _approval(job, names, engine, options, writable, say)
    else:
        found = []
        here = output is None and engine is processes and processes.count == 1
        rows = (
            checked(job, names, beside, None if here else engine)
            if output is None
            else made(job, names, beside, output, engine)
        )
        for outcome in rows:
            found.append(outcome)
            say(len(found) / len(names.rows))
    _tell(worst_first(found), names, as_json=options.json)


def _refuse_idle(options: Any) -> None:
    """Raises KilnError for a choice that would change nothing here."""
    form = "" if options.output is None else options.output.suffix.lower()
    by_engines = options.on is None and form != ".kcj"
    by_hand = bool(options.put or options.as_listed)
    refuse_idle(
        options,
        ("row", by_hand, "with --put or --as-listed"),
        ("by_camera", form == ".pdf", "with -o FILE.pdf"),
        ("margin", options.on is not None, "with --on"),
        ("gap", options.on is not None, "with --on"),
        ("processes", by_engines, "where rows are made one by one"),
        ("scheduler", by_engines, "where rows are made one by one"),
        ("processes", options.scheduler is None, "without --scheduler"),
        ("on", form == "", "with -o FOLDER"),
    )


def _together(job: Any, names: Any, beside: Path, options: Any, say: Callable[[float], None]) -> Any:
    from kilnchisel.core.lists.together import together
    from kilnchisel.core.shop.paths.shelves import bed_written

    if options.output is None or options.output.suffix:
        raise KilnError("Say into which folder: -o FOLDER")
    if options.margin is not None and job.listing.kinds == ("plotter",):
        raise KilnError("--margin changes nothing here; film is cut within its weeding box.")
    bed = bed_written(options.on, options.margin or "10mm", options.gap or "6mm")
    paths, found = together(job, names, beside, options.output, bed, progress=say)
    for path in paths if not options.json else ():
        print(path)
    return found


def _approval(
    job: Any,
    names: Any,
    engine: Any,
    options: Any,
    writable: Callable[[Path], None],
    say: Callable[[float], None],
) -> Any:
    from kilnchisel.core.handover.presets import wanted_from
    from kilnchisel.core.lists.approval import approval
    from kilnchisel.core.lists.outcomes import listing_of
    from kilnchisel.core.writing import write_whole

    writable(options.output)
    wanted = wanted_from(dict(listing_of(job).choices))
    data, found = approval(
        job,
        names,
        options.list.parent,
        engine,
        wanted.head,
        wanted.paper,
        by_camera=options.by_camera,
        progress=say,
    )
    write_whole(options.output, data)
    return found


def _listing(job: Any, names: Any, options: Any) -> Any:
    """How rows are made: as the job says, but for what is said here. Raises KilnError."""
    from pydantic import ValidationError

    from kilnchisel.core.job.edits import refusal
    from kilnchisel.core.job.listing import Listing
    from kilnchisel.core.lists.outcomes import checked_listing, listing_of

    listing = listing_of(job)
    fits = (options.fit or listing.fit) != "none"
    refuse_idle(options, ("most", fits, "with --fit size or --fit rows"))
    said: dict[str, Any] = {"file": options.list.name}
    if options.only is not None:
        said["kinds"] = tuple(name.strip() for name in options.only.split(",") if name.strip())
    if options.how:
        said["choices"] = _values(options.how)
        pdf = options.output is not None and options.output.suffix.lower() == ".pdf"
        kinds = said.get("kinds", listing.kinds)
        refuse_idle_choices(dict(said["choices"]), (*kinds, *(("proof",) if pdf else ())))
    for name in ("name", "fit"):
        if getattr(options, name) is not None:
            said[name] = getattr(options, name)
    if options.most is not None:
        said["most_mm"] = parse_length(options.most)
    try:
        listing = Listing(**(dict(listing) | said))
    except ValidationError as error:
        raise KilnError(refusal(error)) from None
    if options.put or options.as_listed:
        listing = _put_right(job, listing, names, options)
    return checked_listing(listing)


def _put_right(job: Any, listing: Any, names: Any, options: Any) -> Any:
    from kilnchisel.core.lists.filling import filled
    from kilnchisel.core.lists.outcomes import right_by_hand

    if options.row is None or not 1 <= options.row <= len(names.rows):
        raise KilnError(f"Say which row, from 1 to {len(names.rows)}: --row N")
    cells = names.rows[options.row - 1]
    fields = {} if options.as_listed else dict(right_by_hand(listing).get(cells, ()))
    for text in options.put:
        path, equals, value = text.partition("=")
        if not equals:
            raise KilnError(f"“{text[:60]}” should be a path, an equals sign and a value.")
        fields[path.strip()] = value
    put = tuple(fields.items())
    plain = {column: value for column, value in names.row(options.row - 1).items() if "." not in column}
    filled(job, plain, options.row, by_hand=put)  # refused now rather than later
    return listing.put_right(cells, put)


def _keep(job: Any, path: Path, writable: Callable[[Path], None]) -> None:
    from kilnchisel.core.handover.packing import save_packed

    writable(path)
    save_packed(job, path)
    print(path)


def _values(texts: list[str]) -> tuple[tuple[str, str], ...]:
    from kilnchisel.core.handover.options import USUAL

    found = []
    for text in texts:
        name, equals, value = text.partition("=")
        if not equals or name.strip() not in USUAL:
            raise KilnError(f"“{text[:40]}” is no choice; there is {', '.join(USUAL)}.")
        found.append((name.strip(), value.strip()))
    return tuple(found)


def _tell(outcomes: list[Any], names: Any, *, as_json: bool) -> None:
    from kilnchisel.core.lists.outcomes import told_as

    if as_json:
        rows = [told_as(one) for one in outcomes]
        print(json.dumps({"read": names.told, "rows": rows}, indent=1, ensure_ascii=False))
        return
    for one in outcomes:
        words = one.refused or "; ".join((*one.warnings, *one.done)) or "fits"
        print(f"{one.row}  {one.name}: {words}")
    bad = sum(not one.good for one in outcomes)
    there = len(names.rows) - len(outcomes)
    before = f"; {there} are there as they would be made" if there else ""
    print(f"{len(outcomes)} rows ({names.told}); {bad} to look at{before}.")
