"""What the window does with photos: a job put into one, its light, what stands before the piece."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.assets import keep_referred
from kilnchisel.core.job.company import without_other
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.photo import Spot
from kilnchisel.core.photo.cleared import cleared_by_strokes
from kilnchisel.core.photo.marks import beginning
from kilnchisel.core.photo.masks import grown_mask, mask_of_file
from kilnchisel.core.photo.reading import PHOTO_ENDINGS, photo_taken
from kilnchisel.core.scene.photojob import (
    another_piece,
    in_photo,
    lit_by_photo,
    out_of_photo,
    piece_in_hand,
    taken_in,
)
from kilnchisel.core.scene.stance import stance_shown
from kilnchisel.ui.away import away
from kilnchisel.ui.standsbefore import StandsBefore, TakenAway
from kilnchisel.ui.view.groundmarks import shaped_ground
from kilnchisel.ui.view.photolines import FOLDS, LineOver, fold_wide, light_towards, pulled

if TYPE_CHECKING:
    from kilnchisel.ui.window import Window

IN_A_PHOTO = "The job stands in a photo and is seen from where that was taken."
FROM_ITS_EDGE_PX = 220  # of the ticket: what follows the first field is seen too
SUN = "Draw a line from the foot of something upright to the tip of its shadow on the ground."
WHITE = "Draw a line from something white in the sun to the same in the shade."
FOLD_LIGHT = "Draw a line over the cloth towards where its light comes from."
FOLD_WIDE = "Draw a line across a fold, from valley to valley."
PULL = "Pull at the lettering where it should lie; Esc ends it."
MASK_ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".webp")


def photo_links(window: Window) -> dict[str, Callable[[], None]]:
    """What the links of the ticket's photo do."""
    return {
        "photo.take": partial(into_photo, window),
        "photo.light": partial(_light_again, window),
        "photo.another": lambda: window.session.put(
            another_piece(window.session.job), "one more piece in the photo"
        ),
        "photo.beside": partial(_piece_of_job, window),
        "photo.alone": partial(_drop_piece, window),
        "photo.mask": partial(_hide_behind, window),
        "photo.strokes": partial(_paint_before, window),
        "photo.sun": partial(_told_by_line, window, "shadow", SUN),
        "photo.white": partial(_told_by_line, window, "white", WHITE),
        "folds.light": partial(_draw, window, FOLD_LIGHT, LineOver("light of the cloth", light_towards)),
        "folds.wide": partial(_draw, window, FOLD_WIDE, LineOver("width of a fold", fold_wide)),
        "folds.pull": partial(_draw, window, PULL, LineOver("pull", pulled, stays=True)),
        "folds.unpull": partial(window.session.edit, (*FOLDS, "pulls"), (), "no pulls"),
        "ground.shape": lambda: window.session.put(
            shaped_ground(window.session.job), "shape of the ground"
        ),
        "ground.level": lambda: window.session.put(
            change(window.session.job, ("blank", "heights"), ()), "the bank as it is"
        ),
        "photo.refer": partial(_refer, window),
        "photo.hold": partial(window.session.edit, ("setting", "photo", "path"), "", "the photo is held"),
        "photo.fill": partial(_take_away, window),
        "photo.unfill": partial(
            window.session.edit, ("setting", "photo", "cleared"), None, "nothing taken away"
        ),
        "photo.unmask": partial(
            window.session.edit, ("setting", "photo", "before"), None, "hidden behind nothing"
        ),
        "photo.out": lambda: window.session.put(out_of_photo(window.session.job), "out of the photo"),
    }


def into_photo(window: Window) -> None:
    """Put the job into a photo that is asked for."""
    path = window.ask_file("Put it into a photo", PHOTO_ENDINGS, "Photos")
    if path is not None:
        take_photo(window, path)


def take_photo(window: Window, path: Path) -> None:
    """Put the job into a photo from a file; where that was taken is marked in it then."""
    job = window.session.job

    def made(path: Path) -> Job:
        taken = photo_taken(path)
        kind = "rectangle" if stance_shown(job) == "hung" else "horizon"
        return in_photo(job, taken_in(taken, beginning(kind, taken.size)))

    try:
        window.session.put(window.read_away(path, made), f"into the photo {path.name}")
    except KilnError as error:
        window.tell(str(error))
        return
    photo = window.session.job.setting.photo
    if photo is not None:  # its pictures are as large as it is, unless another size is typed
        window.ticket.handover.typed_size = f"{photo.width_px}x{photo.height_px}"
    window.ticket.show_section("setting")
    window.ticket.open_group("photo", open_=True)
    QTimer.singleShot(0, partial(_show_fields, window))  # once they are laid out


def _show_fields(window: Window) -> None:
    field = window.ticket.forms["setting"].fields.get("setting.photo.told.kind")
    if field is not None:
        window.ticket.scroller.ensureWidgetVisible(field, 0, FROM_ITS_EDGE_PX)


def _piece_of_job(window: Window) -> None:
    """One more piece in the photo, from a job that is asked for."""
    path = window.ask_file("The piece of another job", (".kcj",), "Jobs")
    if path is None:
        return
    job = window.session.job
    window.session.put(
        window.read_away(path, lambda path: another_piece(job, open_job(path))), f"the piece of {path.name}"
    )


def _drop_piece(window: Window) -> None:
    """The first of the others in hand, instead of what was."""
    job = piece_in_hand(window.session.job, 1)
    window.session.put(without_other(job, 1), "a piece less in the photo")


def _light_again(window: Window) -> None:
    job = window.session.job
    made = away(partial(lit_by_photo, job), "Reading the light of the photo", window)
    window.session.put(made, "light of the photo")


def _draw(window: Window, words: str, line: LineOver) -> None:
    window.picture.begin_line(line)
    window.say(words)


def _told_by_line(window: Window, field: str, words: str) -> None:
    """A line over the photo that tells of its light."""

    def done(start: Spot, end: Spot) -> None:
        job = change(window.session.job, ("setting", "photo", field), (start, end))
        made = away(partial(lit_by_photo, job), "Reading the light of the photo", window)
        window.session.put(made, "light of the photo")

    _draw(window, words, LineOver("light of the photo", done=done))


def _paint_before(window: Window) -> None:
    photo = window.session.job.setting.photo
    if photo is None:
        return
    dialog = StandsBefore(photo, window.theme, window)
    if dialog.exec():
        mask = away(partial(grown_mask, photo, dialog.brushes), "Growing the mask", window)
        window.session.edit(("setting", "photo", "before"), mask, "what stands before it")


def _refer(window: Window) -> None:
    photo = window.session.job.setting.photo
    path = window.ask_file("The photo's file", PHOTO_ENDINGS, "Photos")
    if photo is None or path is None:
        return
    window.read_away(path, lambda path: keep_referred(photo.sha256, path))
    window.session.edit(("setting", "photo", "path"), str(path.resolve()), "the photo is referred to")


def _take_away(window: Window) -> None:
    photo = window.session.job.setting.photo
    if photo is None:
        return
    dialog = TakenAway(photo, window.theme, window)
    if not dialog.exec():
        return
    if not dialog.brushes:
        window.session.edit(("setting", "photo", "cleared"), None, "nothing taken away")
        return
    stopped = threading.Event()
    cleared = away(
        partial(cleared_by_strokes, photo, dialog.brushes, stopped.is_set),
        "Taking it away",
        window,
        stopped.set,
    )
    window.session.edit(("setting", "photo", "cleared"), cleared, "taken away")


def _hide_behind(window: Window) -> None:
    photo = window.session.job.setting.photo
    path = window.ask_file("Hide behind", MASK_ENDINGS, "Masks")
    if path is None or photo is None:
        return
    size = photo.width_px, photo.height_px
    mask = window.read_away(path, lambda path: mask_of_file(path, size))
    window.session.edit(("setting", "photo", "before"), mask, f"hidden behind {path.name}")
