"""``kilnchisel list``: one design and a list of names."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.units import parse_length


def add_to(commands: Any) -> None:
    """Add the command to the parser's."""
    names = commands.add_parser("list", help="check a job with every row of a list, or hand each over")
    names.add_argument("job", type=Path, help="whose words have {columns} in them")
    names.add_argument("list", type=Path, help=".csv, .xlsx, .ods; its first row names the columns")
    names.add_argument("-o", "--output", type=Path, metavar="FOLDER", help="without it rows are checked")
    names.add_argument(
        "--only", metavar="NAMES", default="picture", help="as in hand-over; default %(default)s"
    )
    names.add_argument(
        "--with",
        dest="how",
        action="append",
        default=[],
        metavar="NAME=VALUE",
        help="a choice of hand-over: draft=yes, size=600x400, flats=3mm,1mm",
    )
    names.add_argument("--name", default="", help="of each row's folder, default “{row} {first column}”")
    names.add_argument(
        "--fit",
        choices=("none", "size", "rows"),
        default="none",
        help="what is wider than --most: smaller, or first in two rows",
    )
    names.add_argument(
        "--most", metavar="LENGTH", default="0", help="how wide lettering with words of the list may be"
    )
    names.add_argument("--processes", type=int, default=1, help="default %(default)s")
    names.add_argument("--json", action="store_true", help="as JSON")


def listed(options: Any, opened: Callable[[Path], Any]) -> None:
    """Do what the command says. Raises KilnError."""
    from kilnchisel.core.lists.filling import columns_in
    from kilnchisel.core.lists.making import Plan, checked, made, worst_first
    from kilnchisel.core.lists.rows import read_list

    if not 1 <= options.processes <= 64:
        raise KilnError("From 1 to 64 processes make the rows.")
    job, names = opened(options.job), read_list(options.list)
    kinds = tuple(name.strip() for name in options.only.split(",") if name.strip())
    plan = Plan(
        options.name, options.fit, parse_length(options.most), kinds, _values(options.how)
    ).checked()
    if not columns_in(job) and not any("." in column for column in names.columns):
        columns = ", ".join(f"{{{column}}}" for column in names.columns[:6])
        raise KilnError(f"Nothing on {options.job.name} is of the list; write {columns} among its words.")
    found = []
    if options.output is None:
        rows = checked(job, names, plan)
    else:
        _refuse_unknown(plan)
        rows = made(job, names, options.output, plan, options.processes)
    for outcome in rows:
        found.append(outcome)
        if sys.stderr.isatty():
            end = "\n" if len(found) == len(names.rows) else ""
            print(f"\r{len(found)} of {len(names.rows)} rows  ", end=end, file=sys.stderr, flush=True)
    _tell(worst_first(found), names, as_json=options.json)


def _refuse_unknown(plan: Any) -> None:
    from kilnchisel.core.handover.presets import wanted_from
    from kilnchisel.core.handover.table import kinds_named

    kinds_named(",".join(plan.kinds))
    wanted_from(dict(plan.values))


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
    if as_json:
        rows = [
            {
                "row": one.row,
                "name": one.name,
                "fitted": list(one.fitted),
                "warnings": list(one.warnings),
                "refused": one.refused,
            }
            for one in outcomes
        ]
        print(json.dumps({"read": names.told, "rows": rows}, indent=1, ensure_ascii=False))
        return
    for one in outcomes:
        words = one.refused or "; ".join((*one.warnings, *one.fitted)) or "fits"
        print(f"{one.row}  {one.name}: {words}")
    bad = sum(not one.good for one in outcomes)
    print(f"{len(outcomes)} rows ({names.told}); {bad} to look at.")
