"""The command line: opens the window, or does the same work without one."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import Any, NoReturn

from kilnchisel.core.errors import KilnError

COMMANDS = ("picture", "measure", "mesh", "outline", "fonts", "schema")


class _Parser(argparse.ArgumentParser):
    """Refuses in one sentence, like every other refusal here."""

    def error(self, message: str) -> NoReturn:
        raise KilnError(f"{message[0].upper()}{message[1:]}. Try: kilnchisel --help")


def main(arguments: list[str]) -> int:
    """Run a command. Returns the exit status: 0 done, 2 refused with a sentence on stderr."""
    try:
        if arguments and arguments[0] in COMMANDS:
            return _command(arguments)
        return _window(arguments)
    except KilnError as error:
        print(error, file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return 130


def run() -> NoReturn:
    """Entry point of the installed command."""
    sys.exit(main(sys.argv[1:]))


def _command(arguments: list[str]) -> int:
    parser = _Parser(prog="kilnchisel", description="Lettering on real objects, at real size.")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=_Parser)
    picture = commands.add_parser("picture", help="make a picture of a job (PNG)")
    picture.add_argument("job", type=Path)
    picture.add_argument("-o", "--output", type=Path, required=True)
    picture.add_argument("--size", default="1600x1000", help="pixels, default %(default)s")
    picture.add_argument("--samples", type=_samples, default=None, help="samples a pixel")
    picture.add_argument("--draft", action="store_true", help="the quick picture")
    picture.add_argument(
        "--square-on", type=int, metavar="N", help="straight at lettering N (from 1), true to scale"
    )
    measure = commands.add_parser("measure", help="print readings and checks")
    measure.add_argument("job", type=Path)
    measure.add_argument("--json", action="store_true", help="as JSON, lengths in mm")
    mesh = commands.add_parser("mesh", help="write the piece as a solid: .stl, .obj (mm), .glb (m)")
    mesh.add_argument("job", type=Path)
    mesh.add_argument("-o", "--output", type=Path, required=True)
    outline = commands.add_parser("outline", help="write the flat lettering: .svg, .dxf (mm)")
    outline.add_argument("job", type=Path)
    outline.add_argument("-o", "--output", type=Path, required=True)
    outline.add_argument("--lettering", type=int, metavar="N", help="only lettering N (from 1)")
    outline.add_argument("--letters", action="store_true", help="letter by letter instead of welded")
    outline.add_argument("--lines", action="store_true", help="centre lines where there are any")
    fonts = commands.add_parser("fonts", help="list the faces that can be used")
    fonts.add_argument("folders", type=Path, nargs="*", help="folders instead of the system's fonts")
    fonts.add_argument("--json", action="store_true", help="as JSON")
    commands.add_parser("schema", help="print the JSON Schema of the job file")
    options = parser.parse_args(arguments)
    actions = {
        "picture": _picture,
        "measure": _measure,
        "mesh": _mesh,
        "outline": _outline,
        "fonts": _fonts,
        "schema": _schema,
    }
    actions[options.command](options)
    return 0


def _samples(text: str) -> int:
    if not text.isdigit() or not 1 <= int(text) <= 65_536:
        raise argparse.ArgumentTypeError(f"{text} is not a number of samples from 1 to 65536")
    return int(text)


def _picture(options: Any) -> None:
    from kilnchisel.core.handover.pictures import (
        SAMPLES,
        PictureOrder,
        make_picture,
        parse_size,
        write_picture,
    )
    from kilnchisel.core.job.file import open_job

    if options.output.suffix.lower() != ".png":
        raise KilnError(f"“{options.output.name}” should end in .png; pictures are written as PNG.")
    size = parse_size(options.size)
    job = open_job(options.job)
    _writable(options.output)
    index = None if options.square_on is None else options.square_on - 1
    order = PictureOrder(size, options.samples or SAMPLES, options.draft, index)
    pixels = make_picture(job, order, progress=_progress)
    assert pixels is not None
    write_picture(pixels, options.output, job.name)


def _measure(options: Any) -> None:
    from kilnchisel.core.job.file import open_job
    from kilnchisel.core.job.words import one_line
    from kilnchisel.core.shop.checks import checks
    from kilnchisel.core.shop.readings import measured, readings

    job = open_job(options.job)
    if options.json:
        print(json.dumps(measured(job), indent=2, ensure_ascii=False))
        return
    for index, lettering in enumerate(job.letterings):
        print(one_line(lettering))
        for reading in readings(job, index):
            print(f"  {reading.label:<22}{reading.shown:>12}")
        for check in checks(job, index):
            mark = {"good": "ok", "warning": "!", "failure": "x"}[check.level]
            source = f"  [{check.source}]" if check.source else ""
            print(f"  {mark:<3}{check.says}{source}")


def _mesh(options: Any) -> None:
    from kilnchisel.core.handover.meshes import write_mesh
    from kilnchisel.core.job.file import open_job

    job = open_job(options.job)
    _writable(options.output)
    write_mesh(job, options.output)


def _outline(options: Any) -> None:
    from kilnchisel.core.handover.outlines import OutlineOrder, write_outline
    from kilnchisel.core.job.file import open_job

    job = open_job(options.job)
    _writable(options.output)
    index = None if options.lettering is None else options.lettering - 1
    write_outline(job, options.output, OutlineOrder(index, options.letters, options.lines))


def _fonts(options: Any) -> None:
    from dataclasses import asdict

    from kilnchisel.core.lettering.catalogue import font_files, listed, system_font_files

    for folder in options.folders:
        if not folder.is_dir():
            raise KilnError(f"There is no folder {folder}.")
    files = font_files(options.folders) if options.folders else system_font_files()
    entries = [entry for batch, _ in listed(files) for entry in batch]
    if options.json:
        print(json.dumps([asdict(entry) for entry in entries], indent=1, ensure_ascii=False))
        return
    for entry in entries:
        print(f"{entry.title:<40} {entry.trouble or entry.licence:<44} {entry.path}")


def _schema(_options: Any) -> None:
    from kilnchisel.core.job.file import schema

    print(json.dumps(schema(), indent=2, ensure_ascii=False))


def _writable(path: Path) -> None:
    """Refuse a hopeless target before the work, not after it."""
    if not path.parent.is_dir():
        raise KilnError(f"There is no folder {path.parent}.")
    if path.is_dir():
        raise KilnError(f"{path} is a folder; name a file in it.")


def _progress(share: float) -> None:
    if sys.stderr.isatty():
        print(f"\r{share:4.0%}", end="" if share < 1 else "\n", file=sys.stderr, flush=True)


def _window(arguments: list[str]) -> int:
    parser = _Parser(
        prog="kilnchisel",
        description="Opens the window, with a job if one is named.",
        epilog="Without a window: kilnchisel picture | measure | mesh | schema --help",
    )
    parser.add_argument("job", type=Path, nargs="?")
    options = parser.parse_args(arguments)
    if options.job is not None and not options.job.is_file():
        raise KilnError(f"There is no file {options.job}.")
    from kilnchisel.ui.start import open_window

    return open_window(options.job)


if __name__ == "__main__":
    run()
