"""``kilnchisel proof``: keep alternatives of a job, go back to them, compare them, try a range."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.idle import refuse_all_but, refuse_idle

NOW = "now"  # what the job is at present is called among proofs
TRIED = "420x280"
PICTURED = ("close", "size", "samples")


def add_to(commands: Any) -> None:
    """Add the command to the parser's."""
    proof = commands.add_parser("proof", help="keep alternatives of a job, take them up, compare, try")
    proof.add_argument("job", type=Path)
    proof.add_argument("-o", "--output", type=Path, help="the job file, or a picture (.png)")
    proof.add_argument("--list", action="store_true", help="the proofs, and what differs from now")
    proof.add_argument("--json", action="store_true", help="the list as JSON")
    proof.add_argument("--keep", nargs="?", const="", metavar="NAME", help="keep the job as it is now")
    proof.add_argument("--note", metavar="TEXT", help="with --keep, or to the proof of --of")
    proof.add_argument("--of", metavar="NAME", help="the proof that --note, --rename or --move is of")
    proof.add_argument("--rename", metavar="NAME", help="its new name")
    proof.add_argument("--move", type=int, metavar="N", help="its new place, the first being 1")
    proof.add_argument("--take", metavar="NAME", help="make the job as this proof has it")
    proof.add_argument("--let-go", metavar="NAME", help="drop a proof")
    proof.add_argument(
        "--compare", metavar="NAMES", help=f"two to six side by side, commas between; “{NOW}” is the job"
    )
    proof.add_argument(
        "--try",
        dest="tried",
        metavar="PATH=VALUES",
        help="values in a field: letterings.1.craft.depth_mm=0.2..1/5, …face=A;B. A picture shows them, a "
        "job keeps each as a proof",
    )
    proof.add_argument("--close", type=int, metavar="N", help="pictures are filled by this lettering")
    proof.add_argument("--size", help=f"of each picture, pixels; default {TRIED}")
    proof.add_argument("--samples", type=int, default=0, help="a pixel; 0, the default: quick pictures")


def proof(options: Any, opened: Callable[[Path], Any], writable: Callable[[Path], None]) -> None:
    """Do what the command says. Raises KilnError."""
    from kilnchisel.core.job.proofs import kept, let_go, moved, noted, number_of, renamed, taken_up

    _refuse_idle(options)
    job = opened(options.job)
    if options.list or not any(_asked(options)):
        _list(job, as_json=options.json)
        return
    if options.output is None:
        raise KilnError("Say where it is to be written: -o FILE")
    writable(options.output)
    if options.compare is not None:
        _compare(job, options)
        return
    if options.tried is not None:
        _try(job, options)
        return
    if options.let_go is not None:
        job = let_go(job, number_of(job, options.let_go))
    if options.of is not None:
        number = number_of(job, options.of)
        if options.note is not None:
            job = noted(job, number, options.note)
        if options.rename is not None:
            job = renamed(job, number, options.rename)
        if options.move is not None:
            job = moved(job, number, options.move - 1)
    if options.take is not None:
        job = taken_up(job, number_of(job, options.take))
    if options.keep is not None:
        note = options.note if options.of is None else None
        job = kept(job, options.keep, note or "", _picture(job, options))
    _save(job, options.output)


def _refuse_idle(options: Any) -> None:
    """Raises KilnError for a choice that would change nothing here."""
    keeps, of, tried = (getattr(options, name) is not None for name in ("keep", "of", "tried"))
    pictured = keeps or options.compare is not None or tried
    if options.list or not any(_asked(options)):
        refuse_all_but(options, "the list", "list", "json")
    elif options.compare is not None or tried:
        one = "compare" if options.compare is not None else "tried"
        refuse_all_but(options, "--compare" if one == "compare" else "--try", one, "output", *PICTURED)
    refuse_idle(
        options,
        ("json", options.list or not any(_asked(options)), "with the list"),
        ("note", keeps or of, "with --keep or --of"),
        ("rename", of, "with --of"),
        ("move", of, "with --of"),
        *((name, pictured, "with --keep, --compare or --try") for name in PICTURED),
    )


def _asked(options: Any) -> list[bool]:
    names = ("keep", "note", "of", "rename", "move", "take", "let_go", "compare", "tried")
    return [getattr(options, name) is not None for name in names]


def _save(job: Any, path: Path) -> None:
    from kilnchisel.core.handover.packing import save_packed

    if path.suffix.lower() != ".kcj":
        raise KilnError(f"“{path.name}” should end in .kcj.")
    save_packed(job, path)


def _order(job: Any, options: Any) -> Any:
    from kilnchisel.core.handover.pictures import PictureOrder, parse_size

    size = parse_size(options.size or TRIED)
    samples, draft = max(options.samples, 1), options.samples < 1
    if options.close is None:
        return PictureOrder(size, samples, draft)
    if not 1 <= options.close <= len(job.letterings):
        raise KilnError(f"There is no lettering {options.close}; the job has {len(job.letterings)}.")
    return PictureOrder(size, samples, draft, options.close - 1, close=True)


def _picture(job: Any, options: Any) -> bytes:
    from kilnchisel.core.handover.pictures import made_picture, png_bytes

    made = made_picture(job, _order(job, options))
    assert made is not None
    return png_bytes(made.pixels, job.name)


def _list(job: Any, *, as_json: bool) -> None:
    from kilnchisel.core.job.proofs import is_present, present, work_of
    from kilnchisel.core.job.words.differences import differences

    rows = []
    for number, one in enumerate(job.proofs):
        differs = list(differences(present(job), work_of(one)))
        rows.append(
            {"name": one.name, "note": one.note, "now": is_present(job, number), "differs": differs}
        )
    if as_json:
        print(json.dumps(rows, indent=1, ensure_ascii=False))
        return
    for row in rows:
        words = "as the job is now" if row["now"] else ", ".join(row["differs"])
        print(f"{row['name']}: {words}" + (f" ({row['note']})" if row["note"] else ""))
    if not rows:
        print("No proof is kept yet.")


def _compare(job: Any, options: Any) -> None:
    from kilnchisel.core.handover.sidebyside import in_one_light, pictures_of
    from kilnchisel.core.job.proofs import as_job, number_of, present
    from kilnchisel.core.job.words.differences import differences

    names = [name.strip() for name in options.compare.split(",") if name.strip()]
    jobs = [job if name == NOW else as_job(job, job.proofs[number_of(job, name)]) for name in names]
    jobs = in_one_light(jobs)
    told = [""] + [", ".join(differences(present(jobs[0]), present(one))) for one in jobs[1:]]
    _sheet(
        pictures_of(jobs, _order(job, options), progress=_say), list(zip(names, told, strict=True)), options
    )


def _try(job: Any, options: Any) -> None:
    from kilnchisel.core.handover.sidebyside import pictures_of
    from kilnchisel.core.job.proofs import decided_as, kept
    from kilnchisel.core.proofs.tries import tries

    path, equals, values = options.tried.partition("=")
    if not equals:
        raise KilnError(f"“{options.tried}” should be a path, an equals sign and values.")
    made = tries(job, path.strip(), values)
    if options.output.suffix.lower() == ".kcj":
        for _, one in made:
            job = kept(decided_as(job, one))
        _save(job, options.output)
        return
    pictures = pictures_of([one for _, one in made], _order(job, options), progress=_say)
    _sheet(pictures, [(str(number), words) for number, (words, _) in enumerate(made, start=1)], options)


def _sheet(pictures: Any, words: Any, options: Any) -> None:
    from kilnchisel.core.handover.pictures import png_bytes
    from kilnchisel.core.proofs.compare import sheet_of
    from kilnchisel.core.writing import write_whole

    if options.output.suffix.lower() != ".png":
        raise KilnError(f"“{options.output.name}” should end in .png.")
    write_whole(options.output, png_bytes(sheet_of(pictures, words)))
    print(options.output)


def _say(share: float) -> None:
    if sys.stderr.isatty():
        print(f"\r{share * 100:.0f} %", end="" if share < 1 else "\n", file=sys.stderr, flush=True)
