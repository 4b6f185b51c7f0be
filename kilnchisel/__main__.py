"""The command line: opens the window, or does the same work without one."""

from __future__ import annotations

import argparse
import json
import os
import re
import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, NoReturn

from kilnchisel import listcommand, motioncommand, photocommand, proofcommand, shopcommand
from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.tradeplaces import ALL as PLACES
from kilnchisel.idle import refuse_all_but, refuse_idle


class _Parser(argparse.ArgumentParser):
    """Refuses in one sentence, like every other refusal here."""

    def error(self, message: str) -> NoReturn:
        raise KilnError(f"{message[0].upper()}{message[1:]}. Try: kilnchisel --help")


def main(arguments: list[str]) -> int:
    """Run a command. Returns the exit status: 0 done, 2 refused with a sentence on stderr."""
    try:
        if arguments and arguments[0] in ACTIONS:
            if arguments[0] not in ("fonts", "schema", "ready", "about"):
                gate.warm()  # it starts while the command loads what it needs
            return _command(arguments)
        return _window(arguments)
    except KilnError as error:
        print(error, file=sys.stderr)
        return 2
    except BrokenPipeError:
        # whoever read the output has seen enough; nothing more is written, not at the end either
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return 130


def run() -> NoReturn:
    """Entry point of the installed command."""
    sys.exit(main(sys.argv[1:]))


def _command(arguments: list[str]) -> int:
    parser = _Parser(prog="kilnchisel", description="Lettering on real objects, at real size.")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=_Parser)
    new = commands.add_parser("new", help="begin a job on a kind of object, or on a mesh from a file")
    new.add_argument(
        "blank", help="a kind (see --list) or a mesh: .stl .obj .ply .glb .3mf .off", nargs="?"
    )
    new.add_argument("--list", action="store_true", help="list the kinds")
    new.add_argument("-o", "--output", type=Path, help="the job file, .kcj")
    new.add_argument("--text", default="Your words")
    new.add_argument("--unit", choices=("mm", "cm", "m", "in"), help="what one unit of the mesh is")
    new.add_argument("--up", choices=("z", "y", "x", "-z", "-y", "-x"), help="which axis of the mesh is up")
    values = commands.add_parser("set", help="give fields of a job other values")
    values.add_argument("job", type=Path)
    values.add_argument("-o", "--output", type=Path, required=True)
    values.add_argument(
        "fields",
        nargs="+",
        metavar="PATH=VALUE",
        help="letterings.1.craft.depth_mm=0.5, blank.dome_mm=12, wear.dirt=40; lengths may carry a unit, "
        'a whole part is given as JSON: finish=\'{"kind": "slate"}\'',
    )
    fix = commands.add_parser("fix", help="take what a check offers")
    fix.add_argument("job", type=Path)
    fix.add_argument("-o", "--output", type=Path)
    fix.add_argument("--lettering", type=int, default=1, metavar="N", help="default %(default)s")
    fix.add_argument("--check", metavar="KEY", help="which; without it those that offer one are listed")
    lay = commands.add_parser("lay", help="place a lettering by measure")
    lay.add_argument("job", type=Path)
    lay.add_argument("-o", "--output", type=Path, required=True)
    lay.add_argument("--lettering", type=int, default=1, metavar="N", help="default %(default)s")
    lay.add_argument(
        "--do",
        required=True,
        choices=PLACINGS,
        help="centre it, put it half way between or clear of zones, line up or spread the others",
    )
    recipe = commands.add_parser("recipe", help="make a lettering by a recipe, or keep its way as one")
    recipe.add_argument("job", type=Path, nargs="?")
    recipe.add_argument("-o", "--output", type=Path)
    recipe.add_argument("--lettering", type=int, default=1, metavar="N", help="default %(default)s")
    recipe.add_argument("--list", action="store_true", help="list the recipes")
    recipe.add_argument("--use", metavar="NAME", help="make the lettering by this recipe")
    recipe.add_argument("--same-mm", action="store_true", help="do not scale it to the letters' size")
    recipe.add_argument("--save", metavar="NAME", help="keep the lettering's way of making")
    recipe.add_argument("--forget", metavar="NAME", help="drop a recipe that was kept")
    picture = commands.add_parser("picture", help="make a picture of a job: .png, .jpg, .webp, .tif, .exr")
    picture.add_argument("job", type=Path)
    picture.add_argument("-o", "--output", type=Path, required=True)
    picture.add_argument(
        "--size",
        default=None,
        help=("pixels, or web, hd, uhd, square, tall, or in print 150x100mm@300; default 1600x1000"),
    )
    picture.add_argument("--samples", type=_samples, default=None, help="samples a pixel")
    picture.add_argument("--draft", action="store_true", help="the quick picture")
    picture.add_argument(
        "--square-on", type=int, metavar="N", help="straight at lettering N (from 1), true to scale"
    )
    picture.add_argument("--set", metavar="NAME", help="in this set; kc sets lists them")
    picture.add_argument("--view", metavar="NAME", help="from this camera place of the job, in its size")
    picture.add_argument("--transparent", action="store_true", help="only the piece and its shadow")
    picture.add_argument("--bits", type=int, choices=(8, 16), default=8, help="of PNG and TIFF")
    picture.add_argument("--profile", choices=("sRGB", "Display P3"), default="sRGB")
    picture.add_argument(
        "--place", metavar="NAME", help="in the light of this place, and before it; or .exr, .hdr"
    )
    picture.add_argument(
        "--whole-record", action="store_true", help="of a photo, with where it was taken and its numbers"
    )
    picture.add_argument("--afar", metavar="DISTANCE", help="as large as for the eye from there: 30m")
    photocommand.add_to(commands)
    copies = commands.add_parser("copies", help="show the piece more than once in its picture")
    copies.add_argument("job", type=Path)
    copies.add_argument("--arrange", metavar="NAME", help="in this arrangement; without it they are listed")
    copies.add_argument("-o", "--output", type=Path, help="the job file, .kcj")
    sets = commands.add_parser("sets", help="list the sets for pictures, or put a job into one")
    sets.add_argument("job", type=Path, nargs="?", help="only those this piece can stand in")
    sets.add_argument("--json", action="store_true", help="as JSON")
    sets.add_argument("--use", metavar="NAME", help="put the job into this set; with -o")
    sets.add_argument(
        "--place", metavar="NAME", help="put it before this place, or a .exr or .hdr; with -o"
    )
    sets.add_argument("--save", metavar="NAME", help="keep the job's setting as a set of one's own")
    sets.add_argument("--forget", metavar="NAME", help="drop a set that was kept")
    sets.add_argument("-o", "--output", type=Path, help="the job file, .kcj")
    sets.add_argument("--pictures", type=Path, metavar="FOLDER", help="the piece in each set, as PNG")
    measure = commands.add_parser("measure", help="print readings and checks")
    measure.add_argument("job", type=Path)
    measure.add_argument("--json", action="store_true", help="as JSON, lengths in mm")
    measure.add_argument(
        "--between",
        nargs=2,
        metavar="ALONG,UP",
        help="only the distance of two places of a lettering's side, mm: --between 0,10 25,40",
    )
    measure.add_argument("--lettering", type=int, default=1, metavar="N", help="whose side, for --between")
    measure._negative_number_matcher = re.compile(r"^-[\d.]+")  # a place may begin with a minus
    mesh = commands.add_parser("mesh", help="write the piece as a solid: .stl, .obj (mm), .glb (m)")
    mesh.add_argument("job", type=Path)
    mesh.add_argument("-o", "--output", type=Path, required=True)
    outline = commands.add_parser("outline", help="write the flat lettering: .svg, .dxf (mm)")
    outline.add_argument("job", type=Path)
    outline.add_argument("-o", "--output", type=Path, required=True)
    outline.add_argument("--lettering", type=int, metavar="N", help="only lettering N (from 1)")
    outline.add_argument("--side", metavar="NAME", help="all of it; the first lettering's if not named")
    outline.add_argument("--letters", action="store_true", help="letter by letter instead of welded")
    outline.add_argument("--lines", action="store_true", help="centre lines where there are any")
    shopcommand.add_to(commands)
    proofcommand.add_to(commands)
    motioncommand.add_to(commands)
    listcommand.add_to(commands)
    fonts = commands.add_parser("fonts", help="list the faces that can be used")
    fonts.add_argument("folders", type=Path, nargs="*", help="folders instead of the system's fonts")
    fonts.add_argument("--json", action="store_true", help="as JSON")
    commands.add_parser("schema", help="print the JSON Schema of the job file")
    commands.add_parser("ready", help="make what is made once on a machine: programs, textures, places")
    commands.add_parser("about", help="what this is, and what it draws with on this machine")
    options = parser.parse_args(arguments)
    options.usual = commands.choices[options.command].get_default
    ACTIONS[options.command](options)
    return 0


def _dashed(name: str) -> str:
    return name.replace(" ", "-")


PLACINGS = (
    "centre",
    "between-along",
    "between-up",
    "clear",
    *(_dashed(name) for name in PLACES),
    *(f"line-up-{edge}" for edge in ("left", "middle", "right", "top", "level", "bottom")),
    "spread-along",
    "spread-up",
)


def _new(options: Any) -> None:
    from kilnchisel.core.blanks.meshfile import UNITS, mesh_of_file
    from kilnchisel.core.handover.packing import save_packed
    from kilnchisel.core.job.blank import TITLES
    from kilnchisel.core.job.fresh import fresh_job, job_on

    of_mesh = options.blank is not None and options.blank not in TITLES
    refuse_idle(
        options, ("unit", of_mesh, "for a mesh from a file"), ("up", of_mesh, "for a mesh from a file")
    )
    if options.list:
        refuse_all_but(options, "--list", "list")
        for kind, title in TITLES.items():
            print(f"{kind:<{max(map(len, TITLES)) + 2}}{title}")
        return
    if options.blank is None or options.output is None:
        raise KilnError("Say on what, and where to: kilnchisel new mug -o mug.kcj")
    _writable(options.output)
    if options.blank in TITLES:
        job = fresh_job(options.blank, options.text)
    elif Path(options.blank).suffix:
        file = mesh_of_file(Path(options.blank))
        unit = UNITS[options.unit] if options.unit else file.likely_mm
        job = job_on(file.blank(unit, options.up or file.likely_up), Path(options.blank).stem, options.text)
        for note in file.notes:
            print(note, file=sys.stderr)
    else:
        raise KilnError(f"There is no kind “{options.blank}”; kilnchisel new --list shows them.")
    save_packed(job, options.output)


def _set(options: Any) -> None:
    from kilnchisel.core.handover.packing import save_packed

    before = job = _open(options.job)
    _writable(options.output)
    waiting = list(options.fields)
    while waiting:
        refused: list[tuple[str, KilnError]] = []
        for field in waiting:
            try:
                job = _with_field(job, field)
            except KilnError as error:
                refused.append((field, error))
        if len(refused) == len(waiting):
            raise refused[0][1]
        waiting = [field for field, _ in refused]  # the others may have made room for it
    _refuse_no_side(before, job)
    save_packed(job, options.output)


def _refuse_no_side(before: Any, job: Any) -> None:
    """Refuse letterings on sides that the blank does not have, where either has changed."""
    from kilnchisel.core.build import sides_of_job

    known = {item.lay.side for item in before.letterings} if job.blank == before.blank else set()
    wanted = [item.lay.side for item in job.letterings if item.lay.side not in known]
    if wanted and (sides := sides_of_job(job)) is not None:
        for name in wanted:
            sides.place(name)


def _with_field(job: Any, field: str) -> Any:
    """The job with a field set as "PATH=VALUE" says."""
    from kilnchisel.core.job.edits import read, set_field, steps_of
    from kilnchisel.core.job.fresh import SHOWS_OTHERWISE, with_shown
    from kilnchisel.core.job.turning import turned

    path, equals, value = field.partition("=")
    if not equals:
        raise KilnError(f"“{field}” should be a path, an equals sign and a value.")
    path, value = path.strip(), value.strip()
    steps = steps_of(job, path)
    if steps[-1] == "kind" and len(steps) > 1 and read(job, steps) != value:
        from kilnchisel.core.build import width_of

        return turned(job, steps[:-1], value.strip('"'), width_of)
    if steps in SHOWS_OTHERWISE and read(job, steps) != value:
        return with_shown(job, **{str(steps[-1]): value.strip('"')})
    return set_field(job, path, value)


def _open(path: Path) -> Any:
    """The job of a file; what this version does not know in it is told."""
    from kilnchisel.core.job.edits import unknown_words
    from kilnchisel.core.job.file import open_job

    job = open_job(path)
    words = unknown_words(job)
    if words:
        print(f"{path.name} {words}", file=sys.stderr)
    return job


def _fix(options: Any) -> None:
    from kilnchisel.core.handover.packing import save_packed
    from kilnchisel.core.shop.checks import checks

    job = _open(options.job)
    index = _lettering(job, options.lettering)
    offers = {check.key: check.fix for check in checks(job, index) if check.fix is not None}
    if options.check is None:
        refuse_idle(options, ("output", False, "with --check"))
        for key, offer in offers.items():
            print(f"{key:<16}{offer.label}")
        return
    if options.check not in offers:
        if not offers:
            raise KilnError("No check offers anything here: nothing on this job asks for it.")
        raise KilnError(
            f"No check “{options.check}” offers anything here; it is one of {', '.join(offers)}."
        )
    if options.output is None:
        raise KilnError("Say where to write the job: -o FILE.kcj")
    _writable(options.output)
    save_packed(offers[options.check].apply(job), options.output)


def _lettering(job: Any, number: int) -> int:
    """The index of a lettering that is counted from 1."""
    if not 1 <= number <= len(job.letterings):
        raise KilnError(f"There is no lettering {number}; the job has {len(job.letterings)}.")
    return number - 1


def _lay(options: Any) -> None:
    from kilnchisel.core.handover.packing import save_packed
    from kilnchisel.core.shop.placing import (
        at_place,
        between,
        centred,
        clear_of_zones,
        lined_up,
        spread_out,
    )

    job = _open(options.job)
    _writable(options.output)
    index = _lettering(job, options.lettering)
    does: Any = {
        "centre": centred,
        "between-along": lambda job, at: between(job, at, "along"),
        "between-up": lambda job, at: between(job, at, "up"),
        "clear": clear_of_zones,
        "spread-along": lambda job, at: spread_out(job, at, "along"),
        "spread-up": lambda job, at: spread_out(job, at, "up"),
        **{_dashed(name): partial(at_place, name=name) for name in PLACES},
    }
    edge = options.do.removeprefix("line-up-")
    made = lined_up(job, index, edge) if edge != options.do else does[options.do](job, index)
    save_packed(made, options.output)


def _samples(text: str) -> int:
    if not re.fullmatch("[0-9]{1,6}", text) or not 1 <= int(text) <= 65_536:
        raise argparse.ArgumentTypeError(f"{text} is not a number of samples from 1 to 65536")
    return int(text)


def _recipe(options: Any) -> None:
    from kilnchisel.core.handover.packing import save_packed
    from kilnchisel.core.job.recipes import (
        all_recipes,
        applied,
        forget_recipe,
        recipe_named,
        recipe_of,
        save_recipe,
    )
    from kilnchisel.core.job.words.crafts import craft_words
    from kilnchisel.core.job.words.finishes import finish_words

    if options.list:
        refuse_all_but(options, "--list", "list", jobless=True)
        for known in all_recipes():
            words = f"{craft_words(known.craft)}; {finish_words(known.finish)}"
            print(f"{known.name}: {words} (for capitals of {known.cap_mm:g} mm)")
        return
    if options.forget:
        refuse_all_but(options, "--forget", "forget", jobless=True)
        forget_recipe(options.forget)
        return
    if options.job is None or bool(options.use) == bool(options.save):
        raise KilnError("Give a job and either --use or --save; --list shows the recipes.")
    job = _open(options.job)
    index = _lettering(job, options.lettering)
    if options.save:
        refuse_all_but(options, "--save", "save", "lettering")
        save_recipe(recipe_of(job.letterings[index], options.save))
        return
    recipe = recipe_named(options.use)
    if options.output is None:
        raise KilnError("Say where to write the job: -o FILE.kcj")
    _writable(options.output)
    save_packed(applied(job, index, recipe, scaled=not options.same_mm), options.output)


def _picture(options: Any) -> None:
    from kilnchisel.core.handover.picturefiles import FileOrder, checked_file, wish_for
    from kilnchisel.core.handover.pictures import (
        PictureOrder,
        dots_an_inch,
        made_picture,
        parse_size,
        usual_samples,
        with_record,
        write_picture,
    )
    from kilnchisel.core.job.cameras import at_place, from_afar, place_named
    from kilnchisel.core.units import parse_length

    by_camera = options.square_on is None
    refuse_idle(
        options,
        ("samples", not options.draft, "without --draft"),
        ("view", by_camera, "without --square-on"),
        ("afar", by_camera, "without --square-on"),
    )
    typed = options.size or "1600x1000"
    how = FileOrder(options.bits, options.profile, options.transparent, dots_an_inch(typed))
    checked_file(options.output, how, draft=options.draft)
    size = parse_size(typed)
    job = _placed(_open(options.job), options.set, options.place)
    photo = job.setting.photo
    refuse_idle(options, ("whole_record", photo is not None, "for a job in a photo"))
    if photo is not None:
        if options.view is not None or options.afar is not None:
            raise KilnError(
                f"The job stands in the photo “{photo.name}” and is seen from where that was taken."
            )
        size = size if options.size else (photo.width_px, photo.height_px)
    if options.view is not None:
        place = place_named(job, options.view)
        job = at_place(job, options.view)
        size = size if options.size else (place.width_px, place.height_px)
    if options.afar is not None:
        job = from_afar(job, parse_length(options.afar), size)
    _writable(options.output)
    index = None if by_camera else _lettering(job, options.square_on)
    wish = wish_for(options.output, how)
    order = PictureOrder(size, options.samples or usual_samples(job, size), options.draft, index, wish)
    picture = made_picture(job, order, progress=_progress)
    assert picture is not None
    how = with_record(how, job, options.output, whole=options.whole_record)
    if how.record and not options.whole_record:
        print("The photo's record is kept, but for its place and its numbers.", file=sys.stderr)
    write_picture(picture, options.output, job.name, how)


def _placed(job: Any, set_name: str | None, place: str | None) -> Any:
    """The job in a set, or in the light of a place and before it."""
    from kilnchisel.core.job.sets import before_place, fitted, in_place
    from kilnchisel.core.job.setting import PLACE_ENDINGS

    if set_name is not None:
        job = fitted(job, set_name)
    if place is None:
        return job
    if Path(place).suffix.lower() not in PLACE_ENDINGS:
        return in_place(job, place)
    from kilnchisel.core.scene.ownplace import own_place

    return before_place(job, own_place(Path(place)))


def _sets(options: Any) -> None:
    from kilnchisel.core.handover.packing import save_packed
    from kilnchisel.core.job.sets import all_sets, forget_set, keep_set, sets_for

    made = any((options.use, options.place, options.save, options.pictures))
    refuse_idle(
        options,
        ("json", not made, "where sets are listed"),
        ("output", bool(options.use or options.place), "with --use or --place"),
    )
    if options.forget is not None:
        refuse_all_but(options, "--forget", "forget", jobless=True)
        forget_set(options.forget)
        return
    job = None if options.job is None else _open(options.job)
    if job is None:
        if made:
            raise KilnError("Name the job: kc sets JOB.kcj …")
        _list_sets(all_sets(), as_json=options.json)
        return
    if options.save is not None:
        keep_set(job, options.save)
    if options.use or options.place:
        if options.output is None:
            raise KilnError("Say where to write the job: -o FILE.kcj")
        _writable(options.output)
        save_packed(_placed(job, options.use, options.place), options.output)
    if options.pictures is not None:
        _set_pictures(job, options.pictures)
    if made:
        return
    _list_sets(sets_for(job.blank), as_json=options.json)


def _copies(options: Any) -> None:
    from kilnchisel.core.handover.packing import save_packed
    from kilnchisel.core.job.copies import arranged, arrangements_for

    refuse_idle(options, ("output", options.arrange is not None, "with --arrange"))
    job = _open(options.job)
    if options.arrange is None:
        for name, made in arrangements_for(job).items():
            print(f"{name:<26} {len(made) + 1}")
        return
    made_job = arranged(job, options.arrange)
    if options.output is None:
        raise KilnError("Say where to write the job: -o FILE.kcj")
    _writable(options.output)
    save_packed(made_job, options.output)


def _list_sets(offered: Any, *, as_json: bool) -> None:
    if as_json:
        rows = [{"name": one.name, "manner": one.manner, "words": one.words} for one in offered]
        print(json.dumps(rows, indent=1, ensure_ascii=False))
        return
    for one in offered:
        print(f"{one.name:<20} {one.manner:<6} {one.words}")


def _set_pictures(job: Any, folder: Path) -> None:
    """The piece in each set, named by it; what is made is told line by line."""
    from kilnchisel.core.handover.pictures import write_picture
    from kilnchisel.core.handover.setpictures import make_pictures

    if not folder.is_dir():
        raise KilnError(f"There is no folder {folder}.")
    for name, pixels in make_pictures(job):
        write_picture(pixels, folder / f"{name.replace(' ', '-')}.png", f"{job.name}: {name}")
        print(name, flush=True)


def _measure(options: Any) -> None:
    from kilnchisel.core.job.company import alone
    from kilnchisel.core.job.words.contents import one_line
    from kilnchisel.core.shop.checks import checks
    from kilnchisel.core.shop.readings import measured, readings

    refuse_idle(
        options,
        ("lettering", options.between is not None, "with --between"),
        ("json", options.between is None, "without --between"),
    )
    job = _open(options.job)
    if options.between:
        _print_distance(job, _lettering(job, options.lettering), options.between)
        return
    others = [alone(job, other) for other in job.others]
    if options.json:
        found = measured(job)
        if others:
            found["others"] = [measured(other) for other in others]
        print(json.dumps(found, indent=2, ensure_ascii=False))
        return
    for number, piece in enumerate((job, *others)):
        if number:
            print(f"Other piece {number} in the photo:")
        for index, lettering in enumerate(piece.letterings):
            print(one_line(lettering))
            for reading in readings(piece, index):
                print(f"  {reading.label:<22}{reading.shown:>12}")
            for check in checks(piece, index):
                mark = {"good": "ok", "warning": "!", "failure": "x"}[check.level]
                source = f"  [{check.source}]" if check.source else ""
                print(f"  {mark:<3}{check.says}{source}")


def _print_distance(job: Any, index: int, places: list[str]) -> None:
    import numpy as np

    from kilnchisel.core.build import lettering_laid
    from kilnchisel.core.laying.flat import distance_on
    from kilnchisel.core.units import format_length, parse_length

    ends = []
    for place in places:
        parts = place.split(",")
        if len(parts) != 2:
            raise KilnError(f"“{place[:40]}” is no place; write how far along and how far up: 12.5,-3")
        ends.append(np.array([parse_length(part) for part in parts]))
    far, along, up = map(format_length, distance_on(lettering_laid(job, index).side, *ends))
    print(f"{far} apart: {along} along, {up} up")


def _mesh(options: Any) -> None:
    from kilnchisel.core.handover.meshes import write_mesh

    job = _open(options.job)
    _writable(options.output)
    write_mesh(job, options.output)
    photocommand.tell_others(job)


def _outline(options: Any) -> None:
    from kilnchisel.core.handover.outlines import OutlineOrder, write_outline

    job = _open(options.job)
    _writable(options.output)
    refuse_idle(options, ("side", options.lettering is None, "without --lettering"))
    index = None if options.lettering is None else _lettering(job, options.lettering)
    order = OutlineOrder(index, options.side, options.letters, options.lines)
    words = write_outline(job, options.output, order)
    print(f"{words[0].upper()}{words[1:]}.", file=sys.stderr)
    photocommand.tell_others(job)


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


def _about(_options: Any) -> None:
    from kilnchisel.core.picture.about import about
    from kilnchisel.core.picture.device import context, name_of

    try:
        card: str | None = name_of(context())
    except KilnError:
        card = None
    for label, words in about(card):
        print(f"{label + ':':<24}{words}")


def _ready(_options: Any) -> None:
    from kilnchisel.core.handover.readiness import make_ready, steps

    wanted = steps()
    end = "\r" if sys.stdout.isatty() else "\n"  # one line that counts, where there is someone to see it
    left = []
    for count, (step, said) in enumerate(make_ready(wanted), 1):
        print(f"{f'{count} of {len(wanted)}: {step.kind}, {step.set_name}':<60}", end=end, flush=True)
        left += [said] if said else []
    print(f"Ready, but for {len(left)} of {len(wanted)}: {left[0]}" if left else f"{'Ready.':<60}")


def _writable(path: Path) -> None:
    """Refuse a hopeless target before the work, not after it."""
    try:
        if not path.parent.is_dir():
            raise KilnError(f"There is no folder {path.parent}.")
        if path.is_dir():
            raise KilnError(f"{path} is a folder; name a file in it.")
        if path.exists() and not path.is_file():
            raise KilnError(f"{path} is a device or a pipe, not a file that can be written.")
        path.resolve().exists()
    except (OSError, ValueError, RuntimeError) as error:
        reason = getattr(error, "strerror", None) or "there can be no such file"
        raise KilnError(f"{path.name[:60]}… cannot be written: {reason}.") from None


def _progress(share: float) -> None:
    if sys.stderr.isatty():
        print(f"\r{share:4.0%}", end="" if share < 1 else "\n", file=sys.stderr, flush=True)


def _window(arguments: list[str]) -> int:
    parser = _Parser(
        prog="kilnchisel",
        description="Opens the window, with a job if one is named.",
        epilog=f"Without a window: kilnchisel {' | '.join(ACTIONS)}, each with --help",
    )
    parser.add_argument("job", type=Path, nargs="?")
    options = parser.parse_args(arguments)
    if options.job is not None and not options.job.is_file():
        raise KilnError(f"There is no file {options.job}.")
    from kilnchisel.ui.start import open_window

    return open_window(options.job)


# what each command does: the only list of them
ACTIONS: dict[str, Callable[[Any], None]] = {
    "new": _new,
    "set": _set,
    "sets": _sets,
    "copies": _copies,
    "lay": _lay,
    "fix": _fix,
    "recipe": _recipe,
    "hand-over": lambda options: shopcommand.hand_over(options, _open),
    "cut": lambda options: shopcommand.cut(options, _open),
    "photo": lambda options: photocommand.photo(options, _open, _writable),
    "proof": lambda options: proofcommand.proof(options, _open, _writable),
    "list": lambda options: listcommand.listed(options, _open, _writable),
    "motion": lambda options: motioncommand.motion(options, _open, _writable),
    "picture": _picture,
    "measure": _measure,
    "mesh": _mesh,
    "outline": _outline,
    "fonts": _fonts,
    "schema": _schema,
    "ready": _ready,
    "about": _about,
}


if __name__ == "__main__":
    run()
