"""``kilnchisel photo``: put a job into a photograph, from the command line."""

from __future__ import annotations

import json
import re
import sys
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.units import parse_angle, parse_length, within_turn
from kilnchisel.idle import refuse_all_but, refuse_idle

WAYS = ("along", "upright", "away")
FOLDED = ("light", "depth", "shade")


def add_to(commands: Any) -> None:
    """Add the command to the parser's."""
    photo = commands.add_parser("photo", help="put a job into a photograph, at its true size")
    photo.add_argument("job", type=Path)
    photo.add_argument("-o", "--output", type=Path, help="the job file, .kcj")
    photo.add_argument("--picture", type=Path, help="the photo: .jpg .png .tif .webp .heic .exr")
    photo.add_argument(
        "--rectangle",
        metavar="POINTS",
        help='corners of a rectangle in it, pixels, from the lower left on to the right: "x,y x,y x,y x,y"',
    )
    photo.add_argument("--width", metavar="LENGTH", help="of the rectangle in life: 900mm")
    photo.add_argument("--height", metavar="LENGTH", help="of the rectangle, or from foot to rim")
    photo.add_argument("--on", choices=("wall", "ground"), default="wall", help="where the rectangle lies")
    photo.add_argument(
        "--lines",
        nargs=3,
        action="append",
        metavar=("WAY", "POINT", "POINT"),
        help="a line along the wall, upright, or going away from it; two at least of two of these: "
        "--lines along 10,20 300,40",
    )
    photo.add_argument(
        "--measured", nargs=3, metavar=("WAY", "POINT", "POINT"), help="a known length, with --length"
    )
    photo.add_argument("--length", metavar="LENGTH", help="of what is measured")
    photo.add_argument(
        "--ellipse",
        nargs=2,
        metavar=("RIM", "FOOT"),
        help='of something round: "x,y long,short turn" in pixels (halves of its axes) and degrees',
    )
    photo.add_argument("--diameter", metavar="LENGTH", help="of the round thing, at its rim")
    photo.add_argument("--foot", metavar="LENGTH", help="its diameter at the foot, where that is another")
    photo.add_argument(
        "--horizon", metavar="POINTS", help='two points of it: "x,y x,y"; with --below and --eye'
    )
    photo.add_argument("--below", metavar="POINT", help="where on the ground the piece is put")
    photo.add_argument(
        "--eye", metavar="LENGTH", default="1600mm", help="the camera's height; default %(default)s"
    )
    photo.add_argument("--lens", metavar="MM", help="on a frame 36 mm wide, where the photo does not say")
    photo.add_argument(
        "--straight",
        action="append",
        metavar="POINTS",
        help='points along an edge that is straight in life, three at least: "x,y x,y x,y"',
    )
    photo.add_argument(
        "--beside", metavar="LENGTH", default="0", help="the piece, to the right of the origin"
    )
    photo.add_argument("--beyond", metavar="LENGTH", default="0", help="farther away")
    photo.add_argument("--above", metavar="LENGTH", default="0", help="higher")
    photo.add_argument("--turn", metavar="ANGLE", default="0", help="about the upright line")
    photo.add_argument("--grown", metavar="LENGTH", default="0", help="grass so high hides the feet")
    photo.add_argument(
        "--only-lettering", action="store_true", help="the blank is what is seen in the photo"
    )
    photo.add_argument(
        "--sun",
        metavar="POINTS",
        help='a shadow on the ground, from a foot to its tip, and the top: "x,y x,y [x,y]"',
    )
    photo.add_argument(
        "--white", metavar="POINTS", help='something white in the sun, and in the shade: "x,y x,y"'
    )
    photo.add_argument(
        "--behind", type=Path, metavar="MASK", help="a picture, light where the piece is hidden"
    )
    photo.add_argument(
        "--stands", action="append", metavar="POINTS", help="a stroke on what stands before the piece"
    )
    photo.add_argument("--does-not", action="append", metavar="POINTS", help="a stroke on what does not")
    photo.add_argument(
        "--ground",
        action="append",
        metavar="HEIGHTS",
        help='of a bank: heights from left to right, the front row first: --ground "0 12cm 30cm"',
    )
    photo.add_argument(
        "--folds", metavar="LENGTH", help="it lies on cloth, its folds so wide from valley to valley"
    )
    photo.add_argument(
        "--fold-light",
        metavar="ANGLE",
        default="90",
        help="from where the light comes over the cloth: 0 from the right, 90 from above",
    )
    photo.add_argument(
        "--fold-depth", type=float, default=100.0, metavar="PERCENT", help="of how deep they look"
    )
    photo.add_argument(
        "--fold-shade", type=float, default=100.0, metavar="PERCENT", help="of the cloth's light and dark"
    )
    photo.add_argument(
        "--pull", action="append", metavar="POINTS", help='move what lies at one point: "x,y x,y"'
    )
    photo.add_argument(
        "--fill", type=Path, metavar="MASK", help="a picture, light where the photo is filled anew"
    )
    photo.add_argument(
        "--take-away", action="append", metavar="POINTS", help="a stroke on an old print, a sign, a screw"
    )
    photo.add_argument(
        "--brush", type=float, default=20.0, metavar="PX", help="how wide; default %(default)s"
    )
    photo.add_argument(
        "--refer", action="store_true", help="the job names the photo's file and does not hold it"
    )
    photo.add_argument(
        "--also",
        type=Path,
        action="append",
        metavar="JOB",
        help="the piece of another job stands in the photo too; it is then in hand",
    )
    photo.add_argument(
        "--in-hand",
        type=int,
        metavar="N",
        help="take another piece in the photo in hand: checks, files and changes are of that",
    )
    photo.add_argument("--drop", type=int, metavar="N", help="take another piece out of the photo")
    photo.add_argument("--out", action="store_true", help="take the job out of its photo")
    photo.add_argument("--json", action="store_true", help="what was found, as JSON")
    photo._negative_number_matcher = re.compile(r"^-[\d.]+")  # a place may begin with a minus


def photo(options: Any, opened: Any, writable: Any) -> None:
    """Do what the command says, a value that is refused in a sentence. See ``_photo``. Raises KilnError."""
    from pydantic import ValidationError

    from kilnchisel.core.job.edits import refusal

    try:
        _photo(options, opened, writable)
    except ValidationError as error:
        raise KilnError(refusal(error)) from None


def _photo(options: Any, opened: Any, writable: Any) -> None:
    """Do what the command says. ``opened``: reads a job; ``writable``: refuses a path that cannot be
    written. Raises KilnError."""
    from kilnchisel.core.handover.packing import save_packed
    from kilnchisel.core.photo.camera import stood_for
    from kilnchisel.core.photo.reading import photo_taken
    from kilnchisel.core.scene.photojob import in_photo, out_of_photo, taken_in

    _refuse_idle(options)
    job = opened(options.job)
    if options.output is None:
        raise KilnError("Say where to write the job: -o FILE.kcj")
    writable(options.output)
    if options.out:
        save_packed(out_of_photo(job), options.output)
        return
    pieces = bool(options.also) or options.in_hand is not None or options.drop is not None
    if options.picture is None and pieces:
        save_packed(_among_pieces(job, options, opened), options.output)
        return
    if options.picture is None:
        raise KilnError("Say which photo: --picture FILE.jpg")
    told = _told(options)
    taken = photo_taken(options.picture)
    more: dict[str, Any] = {
        "beside_mm": parse_length(options.beside),
        "beyond_mm": parse_length(options.beyond),
        "above_mm": parse_length(options.above),
        "turn_deg": parse_angle(options.turn),
        "grown_mm": parse_length(options.grown),
        "shown": "lettering" if options.only_lettering or options.folds else "whole",
    }
    if options.refer:
        more["path"] = str(options.picture.resolve())
    if options.sun:
        more["shadow"] = _spots(options.sun, 2, 3)
    if options.white:
        more["white"] = _spots(options.white, 2, 2)
    more |= _folds(options)
    if options.lens is not None:
        more["lens_mm"] = parse_length(options.lens)
    if options.straight:
        from kilnchisel.core.photo.lens import bent_of

        more["bent"] = bent_of([_points(text) for text in options.straight], taken.size)[0]
    if options.behind is not None:
        from kilnchisel.core.photo.masks import mask_of_file

        more["before"] = mask_of_file(options.behind, taken.size)
    photo = taken_in(taken, told, **more)
    if options.stands or options.does_not:
        from kilnchisel.core.photo.masks import grown_mask

        strokes = _brushes(options, (True, options.stands), (False, options.does_not))
        photo = photo.model_copy(update={"before": grown_mask(photo, strokes)})
    photo = _without(photo, options)
    if options.ground:
        job = _shaped(job, options.ground)
    job = _among_pieces(in_photo(job, photo), options, opened)
    save_packed(job, options.output)
    _say(stood_for(photo), json_=options.json)


def _refuse_idle(options: Any) -> None:
    """Raises KilnError for a choice that would change nothing here."""
    if options.out:
        refuse_all_but(options, "--out", "out", "output")
    pieces = ("also", "in_hand", "drop")
    if options.picture is None and any(getattr(options, name) is not None for name in pieces):
        refuse_all_but(options, "--also, --in-hand and --drop alone", "output", *pieces)
    rectangle, lines, ellipse, horizon = (
        getattr(options, name) is not None for name in ("rectangle", "lines", "ellipse", "horizon")
    )
    strokes = any((options.stands, options.does_not, options.take_away))
    refuse_idle(
        options,
        ("width", rectangle, "with --rectangle"),
        ("height", rectangle or ellipse, "with --rectangle or --ellipse"),
        ("on", rectangle or lines, "with --rectangle or --lines"),
        ("measured", lines, "with --lines"),
        ("length", lines, "with --lines"),
        ("diameter", ellipse, "with --ellipse"),
        ("foot", ellipse, "with --ellipse"),
        ("below", horizon, "with --horizon"),
        ("eye", horizon, "with --horizon"),
        ("brush", strokes, "with --stands, --does-not or --take-away"),
        *((f"fold_{name}", options.folds is not None, "with --folds") for name in FOLDED),
    )


def tell_others(job: Any) -> None:
    """Say that what was written is of one of several pieces."""
    if job.others:
        count = len(job.others)
        are = "another is" if count == 1 else f"{count} others are"
        print(
            f"It is of the piece in hand; {are} in the photo (photo JOB --in-hand N -o FILE.kcj).",
            file=sys.stderr,
        )


def _among_pieces(job: Any, options: Any, opened: Any) -> Any:
    """The job with more pieces in its photo, fewer, or another one in hand. Raises KilnError."""
    from kilnchisel.core.job.company import without_other
    from kilnchisel.core.scene.photojob import another_piece, piece_in_hand

    for path in options.also or ():
        job = another_piece(job, opened(path))
    if options.drop is not None:
        job = without_other(job, options.drop)
    return job if options.in_hand is None else piece_in_hand(job, options.in_hand)


def _shaped(job: Any, rows: list[str]) -> Any:
    """The job with the heights of its bank; one row goes for front and back. Raises KilnError."""
    from kilnchisel.core.job.edits import change

    if job.blank.kind != "bank":
        raise KilnError("Only the ground of a bank has heights; this job is on another blank.")
    heights = tuple(tuple(parse_length(part) for part in row.split()) for row in rows)
    return change(job, ("blank", "heights"), heights * 2 if len(heights) == 1 else heights)


def _folds(options: Any) -> dict[str, Any]:
    """The cloth that the lettering lies on. Raises KilnError where it is half told."""
    from kilnchisel.core.job.photo import Folds, Pull

    if options.folds is None:
        if options.pull:
            raise KilnError("Say how wide a fold of the cloth is too: --folds 60mm")
        return {}
    pulls = (_spots(text, 2, 2) for text in options.pull or ())
    folds = Folds(
        wide_mm=parse_length(options.folds),
        light_deg=parse_angle(options.fold_light),
        deep=options.fold_depth,
        shade=options.fold_shade,
        pulls=tuple(Pull(at=at, to=to) for at, to in pulls),
    )
    return {"folds": folds}


def _without(photo: Any, options: Any) -> Any:
    """The photo without what is taken away of it."""
    from kilnchisel.core.photo.cleared import cleared_by_mask, cleared_by_strokes

    if options.fill is not None and options.take_away:
        raise KilnError("Say by one of these what is taken away: --fill or --take-away.")
    if options.fill is not None:
        return photo.model_copy(update={"cleared": cleared_by_mask(photo, options.fill)})
    if options.take_away:
        strokes = _brushes(options, (True, options.take_away))
        return photo.model_copy(update={"cleared": cleared_by_strokes(photo, strokes)})
    return photo


def _brushes(options: Any, *kinds: tuple[bool, Any]) -> Any:
    from kilnchisel.core.job.photo import Brush

    return tuple(
        Brush(points=_spots(text, 1, 4000), wide_px=options.brush, before=before)
        for before, texts in kinds
        for text in texts or ()
    )


def _say(stood: Any, *, json_: bool) -> None:
    """What was found of the camera, and how surely."""
    found = {
        "lens_mm": round(stood.lens_mm, 1),
        "lens_from": stood.lens_from,
        "distance_mm": round(stood.distance_mm, 1),
        "off_px": round(stood.off_px, 2),
        "off_mm": round(stood.off_mm, 2),
        "unsure_percent": round(100 * float(stood.place_share), 1),
    }
    if json_:
        print(json.dumps(found))
        return
    print(f"Lens {found['lens_mm']:g} mm (by {stood.lens_from}), {found['distance_mm']:,.0f} mm away.")
    unsure = found["unsure_percent"]
    print(f"Marks are off by {found['off_px']:g} px, {found['off_mm']:g} mm; the place by {unsure:g} %.")


def _told(options: Any) -> Any:
    """What tells where the camera stood. Raises KilnError where that is nothing, or too much."""
    from kilnchisel.core.job.photo import Horizon, Parallels, Rectangle, Rims

    given = [name for name in ("rectangle", "lines", "ellipse", "horizon") if getattr(options, name)]
    if len(given) != 1:
        raise KilnError(
            "Say by one of these where the camera stood: --rectangle, --lines, --ellipse or --horizon."
        )
    if options.rectangle:
        width, height = _length(options, "width"), _length(options, "height")
        return Rectangle(
            corners=_spots(options.rectangle, 4, 4), width_mm=width, height_mm=height, on=options.on
        )
    if options.ellipse:
        rim, foot = (_oval(text) for text in options.ellipse)
        height = _length(options, "height") if options.height else 0.0
        wide, narrow = _length(options, "diameter"), _length(options, "foot") if options.foot else 0.0
        return Rims(rim=rim, foot=foot, diameter_mm=wide, height_mm=height, foot_mm=narrow)
    if options.horizon:
        if options.below is None:
            raise KilnError("Say where on the ground the piece is put: --below x,y")
        below = _spots(options.below, 1, 1)[0]
        return Horizon(line=_spots(options.horizon, 2, 2), below=below, eye_mm=_length(options, "eye"))
    if options.measured is None:
        raise KilnError("Say how long something is: --measured along x,y x,y --length 800mm")
    families: dict[str, list[Any]] = {way: [] for way in WAYS}
    for way, first, last in options.lines:
        if way not in families:
            raise KilnError(f"“{way}” is no way of a line; those are {', '.join(WAYS)}.")
        families[way].append(_spots(f"{first} {last}", 2, 2))
    way, first, last = options.measured
    if way not in families:
        raise KilnError(f"“{way}” is no way of a line; those are {', '.join(WAYS)}.")
    return Parallels(
        **{way: tuple(lines) for way, lines in families.items()},
        measured=_spots(f"{first} {last}", 2, 2),
        way=way,
        length_mm=_length(options, "length"),
        on=options.on,
    )


def _length(options: Any, name: str) -> float:
    text = getattr(options, name)
    if text is None:
        raise KilnError(f"Give the {name} too: --{name} 600mm")
    return parse_length(text)


def _points(text: str) -> Any:
    import numpy as np

    return np.array(_spots(text, 3, 400))


def _spots(text: str, least: int, most: int) -> Any:
    """Points of a photo from "x,y x,y". Raises KilnError."""
    try:
        spots = tuple(tuple(float(part) for part in spot.split(",")) for spot in text.split())
        if any(len(spot) != 2 for spot in spots):
            raise ValueError
    except ValueError:
        raise KilnError(
            f"“{text[:60]}” are no points of a photo; write them as x,y x,y in pixels."
        ) from None
    if not least <= len(spots) <= most:
        count = str(least) if least == most else f"{least} to {most}"
        raise KilnError(f"“{text[:60]}” has {len(spots)} points; {count} are wanted.")
    return spots


def _oval(text: str) -> Any:
    from kilnchisel.core.job.photo import Oval

    parts = text.split()
    if len(parts) not in (2, 3):
        raise KilnError(f"“{text[:60]}” is no ellipse; write it as “x,y long,short turn”.")
    middle, (first, second) = _spots(" ".join(parts[:2]), 2, 2)
    turn = parse_angle(parts[2]) if len(parts) == 3 else 0.0
    if first < second:  # its turn is told of what was written first
        first, second, turn = second, first, within_turn(turn + 90.0)
    return Oval(middle=middle, long_px=first, short_px=second, turn_deg=turn)
