"""What the window does with letterings: adding, removing, faces, artwork, and the links of the ticket."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from kilnchisel.core.build import unlinked
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.pictures import parse_size
from kilnchisel.core.job.artwork import Artwork, Picture, Shape
from kilnchisel.core.job.cameras import AFAR, from_afar, keep_place, place_of, without_place
from kilnchisel.core.job.copies import with_copy, without_copy
from kilnchisel.core.job.edits import Fix, change, duplicated, reordered, with_lettering, without_lettering
from kilnchisel.core.job.fresh import added_content, new_lettering
from kilnchisel.core.job.lamps import with_lamp, without_lamp
from kilnchisel.core.job.lettering import Content, Lay
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.recipes import recipe_of, save_recipe
from kilnchisel.core.job.sets import before_place, forget_set, keep_set, set_of
from kilnchisel.core.job.setting import PLACE_ENDINGS
from kilnchisel.core.job.traits import size_of
from kilnchisel.core.job.wording import Curve, LineFace, Slope, Wording
from kilnchisel.core.laying.picking import Spot
from kilnchisel.core.lettering.content import (
    ARTWORK_ENDINGS,
    DRAWING_ENDINGS,
    content_of_file,
    curve_of_file,
    outline_of_file,
    picture_of_artwork,
)
from kilnchisel.core.lettering.faces import file_face
from kilnchisel.core.scene.highlights import Glint, placed_by
from kilnchisel.core.scene.ownplace import own_place
from kilnchisel.core.shop.placing import between, centred
from kilnchisel.core.units import format_length, parse_length
from kilnchisel.core.workshop.orders import Drawn
from kilnchisel.ui.actions import Actions
from kilnchisel.ui.away import away
from kilnchisel.ui.masking import dialog_for
from kilnchisel.ui.memory import recall, remember
from kilnchisel.ui.photos import photo_links
from kilnchisel.ui.ticket.drawnas import pen_for
from kilnchisel.ui.ticket.faces import FaceChooser
from kilnchisel.ui.view.picture import Pointing

Array = NDArray[np.float64]
T = TypeVar("T")


class LetteringActions(Actions):
    """The part of the window that works on letterings. Mixed into it."""

    @property
    def _content(self) -> Content | None:
        window = self._window()
        index = window.session.index
        return None if index is None else window.session.job.letterings[index].content

    # letterings

    def add_lettering(self) -> None:
        """Another lettering below the last, ready to be written."""
        window = self._window()
        job = window.session.job
        window.session.put(with_lettering(job, new_lettering(job)), "add lettering")
        window.session.choose(len(job.letterings))
        self.edit_words()

    def add_shape(self) -> None:
        """A disc, to be made into any other shape."""
        self._add(Shape(), "add shape")

    def add_artwork(self) -> None:
        """A drawing or picture from a file."""
        path = self.ask_file("Add artwork", ARTWORK_ENDINGS, "Artwork")
        if path is not None:
            self.put_artwork(path)

    def add_kind(self, kind: str) -> None:
        """What the ticket's links ask for."""
        {"words": self.add_lettering, "artwork": self.add_artwork, "shape": self.add_shape}[kind]()

    def _add(self, content: Content, words: str) -> None:
        window = self._window()
        job = window.session.job
        try:
            window.session.put(added_content(job, content), words)
        except KilnError as error:
            window.tell(str(error))
            return
        window.session.choose(len(job.letterings))
        window.ticket.show_section("wording")

    def put_artwork(self, path: Path) -> None:
        """Add a file as artwork; one that cannot be used is refused with the reason."""
        try:
            content = self.read_away(path, content_of_file)
        except KilnError as error:
            self._window().tell(str(error))
            return
        self._add(content, f"add {path.name}")

    def read_away(self, path: Path, does: Callable[[Path], T]) -> T:
        """What ``does`` makes of a file, with the window alive meanwhile. Raises KilnError."""
        return away(lambda: does(path), f"Reading {path.name}", self._window())

    def remove_lettering(self) -> None:
        """Take the chosen lettering away."""
        window = self._window()
        index = window.session.index
        if index is not None:
            window.session.put(without_lettering(window.session.job, index), "remove lettering")

    def duplicate_lettering(self) -> None:
        """The chosen lettering a second time, below itself."""
        window = self._window()
        index = window.session.index
        if index is not None:
            window.session.put(duplicated(window.session.job, index), "duplicate lettering")
            window.session.choose(index + 1)

    def raise_lettering(self) -> None:
        """Over the next one in the list."""
        self._reorder(1, "lettering on top")

    def lower_lettering(self) -> None:
        """Under the one before it."""
        self._reorder(-1, "lettering below")

    def _reorder(self, step: int, words: str) -> None:
        window = self._window()
        index = window.session.index
        if index is not None:
            window.session.put(reordered(window.session.job, index, step), words)
            window.session.choose(min(max(index + step, 0), len(window.session.job.letterings) - 1))

    def hide_lettering(self) -> None:
        """Leave the chosen lettering out of the piece, or make it again."""
        self._toggle("hidden", "hide lettering", "show lettering")

    def lock_lettering(self) -> None:
        """Leave the chosen lettering's handles alone, or free them."""
        self._toggle("locked", "lock lettering", "unlock lettering")

    def _toggle(self, name: str, on: str, off: str) -> None:
        window = self._window()
        index = window.session.index
        if index is not None:
            value = not getattr(window.session.job.letterings[index], name)
            window.session.edit(("letterings", index, name), value, on if value else off)

    def centre_lettering(self) -> None:
        """To the middle of its side."""
        window = self._window()
        index = window.session.index
        if index is None:
            return
        job = window.session.job
        self._put_away(lambda: centred(job, index), "centre")

    def between_zones(self) -> None:
        """Half way between what bounds it on both sides, and above and below."""
        window = self._window()
        index = window.session.index
        if index is None:
            return
        job = window.session.job
        self._put_away(lambda: between(between(job, index, "along"), index, "up"), "half way between")

    def _between(self, way: Literal["along", "up"]) -> None:
        window = self._window()
        job, index = window.session.job, window.session.index
        if index is not None:
            self._put_away(lambda: between(job, index, way), "half way between")

    def _put_away(self, makes: Callable[[], Job], words: str) -> None:
        """A job that takes some working out, put when it is there; a refusal is said."""
        window = self._window()
        try:
            window.session.put(away(makes, "Measuring what is round it", window), words)
        except KilnError as error:
            window.say(str(error))

    def new_lettering_at(self, spot: Spot | None) -> None:
        """Another lettering where the blank was double-clicked; nothing off the blank."""
        window = self._window()
        if spot is None:
            return
        job = window.session.job
        fresh = new_lettering(job)
        lay = Lay(side=spot.side, along_mm=spot.along_mm, across_mm=spot.across_mm, spot=spot.spot)
        window.session.put(
            with_lettering(job, fresh.model_copy(update={"lay": lay})), "add lettering there"
        )
        window.session.choose(len(job.letterings))
        self.edit_words()

    def _board_outline(self) -> None:
        path = self.ask_file("Take the outline from a drawing", DRAWING_ENDINGS, "Drawings")
        if path is not None:
            self.put_board_outline(path)

    def put_board_outline(self, path: Path) -> None:
        """Give the board the largest outline of a drawing. Raises KilnError."""
        points, size = self.read_away(path, outline_of_file)
        window = self._window()
        update: dict[str, Any] = {"shape": "drawn", "points": points}
        if size is not None:
            update |= {"width_mm": round(size[0], 2), "height_mm": round(size[1], 2)}
        blank = window.session.job.blank.model_copy(update=update)
        window.session.edit(("blank",), blank, f"outline of {path.name}")

    def apply_fix(self, fix: Fix) -> None:
        """Do what a check offers."""
        window = self._window()
        try:
            window.session.put(fix.apply(window.session.job), fix.label[0].lower() + fix.label[1:])
        except KilnError as error:
            window.say(str(error))

    def edit_words(self) -> None:
        """The words of the chosen lettering, all selected."""
        window = self._window()
        window.ticket.show_section("wording")
        field = next(
            (f for key, f in window.ticket.forms["wording"].fields.items() if key.endswith(".text")), None
        )
        text = getattr(field, "text", None)
        if text is not None:
            text.setFocus()
            text.selectAll()

    # faces

    def choose_face(self) -> None:
        """Ask for a typeface."""
        window = self._window()
        content = self._content
        if not isinstance(content, Wording):
            return
        chooser = FaceChooser(content.text, content.face, window.theme, window)
        if chooser.exec() and chooser.face is not None:
            self.use_face(chooser.face)

    def use_face(self, face: Any) -> None:
        """Set the chosen lettering in another face."""
        window = self._window()
        index, content = window.session.index, self._content
        if index is None or not isinstance(content, Wording):
            return
        title = getattr(face, "family", "") or getattr(face, "name", "")
        job = window.session.job
        if isinstance(face, LineFace) and not content.by_lines:
            pen = pen_for(content.cap_height_mm)
            job = change(job, ("letterings", index, "content", "pen_mm"), pen)
        window.session.put(change(job, ("letterings", index, "content", "face"), face), f"typeface {title}")

    # the ticket's links

    def follow_link(self, key: str) -> None:
        """Do what a link of the Wording section asks for."""
        does: dict[str, Any] = {
            "face": self.choose_face,
            "artwork.file": self._replace_artwork,
            "artwork.true": self._true_size,
            "artwork.colour": self._in_colours,
            "artwork.mask": self._paint_away,
            "points.add": self._add_point,
            "points.remove": self._remove_point,
            "points.import": self._import_curve,
            "letters.plain": self._plain_letters,
            "lay.unlink": self._unlink,
            "lay.stretch": self._window().toggle_stretch,
            "lay.between along": partial(self._between, "along"),
            "lay.between up": partial(self._between, "up"),
            "blank.outline": self._board_outline,
            "craft.keep": self._keep_recipe,
            "set.keep": self._keep_set,
            "set.forget": self._forget_set,
            "lamp.add": self._add_lamp,
            "copy.add": self._add_copy,
            "light.own": self._own_place,
            **photo_links(self._window()),
            "camera.afar": self.from_afar,
            "camera.focus": self._focus,
            "camera.keep": self._keep_view,
            "camera.forget": self._forget_view,
        }
        name, _, number = key.rpartition(".")
        if name == "lamp.remove":
            does[key] = partial(self._remove_lamp, int(number))
        if name == "lamp.place":
            does[key] = partial(self._place_lamp, int(number))
        if name in ("copy.finish", "copy.alike", "copy.remove"):
            does[key] = partial(self._change_copy, name, int(number))
        try:
            does[key]()
        except KilnError as error:
            self._window().tell(str(error))

    def _edit(self, part: tuple[str, ...], value: Any, words: str) -> None:
        window = self._window()
        index = window.session.index
        if index is not None:
            window.session.edit(("letterings", index, "content", *part), value, words)

    def _replace_artwork(self) -> None:
        path = self.ask_file("Take another file", ARTWORK_ENDINGS, "Artwork")
        if path is None:
            return
        content = self.read_away(path, content_of_file)
        if isinstance(self._content, Picture):
            picture = picture_of_artwork(content)
            self._edit((), picture.model_copy(update={"width_mm": self._content.width_mm}), path.name)
        else:
            self._edit((), content, path.name)

    def _true_size(self) -> None:
        self._edit(("width_mm",), None, "true size")

    def _in_colours(self) -> None:
        if isinstance(self._content, Artwork):
            self._edit((), picture_of_artwork(self._content), "printed in its colours")

    def _paint_away(self) -> None:
        if not isinstance(self._content, Picture):
            return
        dialog = dialog_for(self._content, self._window().theme, self._window())
        if dialog.exec():
            self._edit(("strokes",), dialog.strokes, "background painted away")

    def _add_point(self) -> None:
        content = self._content
        if isinstance(content, Wording) and isinstance(content.arrangement, Curve | Slope):
            points = content.arrangement.points
            (x0, y0), (x1, y1) = points[-2:]
            more = (round(x1 + (x1 - x0) * 0.6, 1), round(y1 + (y1 - y0) * 0.6, 1))
            self._edit(("arrangement", "points"), (*points, more), "add point")

    def _remove_point(self) -> None:
        content = self._content
        if isinstance(content, Wording) and isinstance(content.arrangement, Curve | Slope):
            self._edit(("arrangement", "points"), content.arrangement.points[:-1], "remove point")

    def _import_curve(self) -> None:
        path = self.ask_file("Take a curve from a file", DRAWING_ENDINGS, "Drawings")
        if path is not None:
            self.put_curve(path)

    def put_curve(self, path: Path) -> None:
        """Set the words along the longest line of a drawing. Raises KilnError."""
        content = self._content
        if not isinstance(content, Wording):
            return
        curve = self.read_away(path, curve_of_file)
        kind = type(content.arrangement) if isinstance(content.arrangement, Slope) else Curve
        self._edit(("arrangement",), kind(points=curve.points, smooth=False), f"curve of {path.name}")

    def _unlink(self) -> None:
        window = self._window()
        if window.session.index is not None:
            job = unlinked(window.session.job, window.session.index)
            window.session.put(job, "unlink the opposite side")

    def _keep_recipe(self) -> None:
        window = self._window()
        index = window.session.index
        if index is None:
            return
        title, asks = "Keep as a recipe", "Its name:"
        name, agreed = QInputDialog.getText(window, title, asks)
        if agreed:
            save_recipe(recipe_of(window.session.job.letterings[index], name))
            window.tell(f"Kept as “{name.strip()}”; it is in every job's Recipe menu.")
            window.ticket.show_job()

    def _keep_set(self) -> None:
        window = self._window()
        name, agreed = QInputDialog.getText(window, "Keep as a set", "Its name:")
        if agreed:
            keep_set(window.session.job, name)
            window.tell(f"Kept as “{name.strip()}”; it is among the sets of every job.")
            window.ticket.show_job()

    def _forget_set(self) -> None:
        window = self._window()
        name = set_of(window.session.job)
        if name is not None:
            forget_set(name)
            window.tell(f"“{name}” is no longer kept; the job stays as it is.")
            window.ticket.show_job()

    def _add_lamp(self) -> None:
        session = self._window().session
        session.put(with_lamp(session.job), "add a light")
        self._window().ticket.open_group(f"lamp{len(session.job.setting.light.lamps) - 1}", open_=True)

    def _own_place(self) -> None:
        path = self.ask_file("A place of your own", PLACE_ENDINGS, "All-round pictures")
        if path is not None:
            self.take_place(path)

    def take_place(self, path: Path) -> None:
        """Put the job before an all-round picture from a file."""
        window = self._window()
        try:
            place = self.read_away(path, own_place)
            window.session.put(before_place(window.session.job, place), f"place {place.name}")
        except KilnError as error:
            window.tell(str(error))

    def _add_copy(self) -> None:
        session = self._window().session
        session.put(with_copy(session.job), "add a copy")
        self._window().ticket.open_group(f"copy{len(session.job.setting.copies) - 1}", open_=True)

    def _change_copy(self, what: str, number: int) -> None:
        session = self._window().session
        if what == "copy.remove":
            session.put(without_copy(session.job, number), "remove a copy")
            return
        finish = session.job.finish if what == "copy.finish" else None
        session.edit(("setting", "copies", number, "finish"), finish, "finish of a copy")

    def from_afar(self) -> None:
        """The piece as large as it is for the eye from a distance that is asked for."""
        window = self._window()
        session = window.session
        known = next((place for place in session.job.setting.places if place.name == AFAR), None)
        far = known.camera.distance_mm if known else 30 * max(size_of(session.job.blank))
        typed, agreed = QInputDialog.getText(
            window, "From afar", "How far the eye is away:", text=format_length(far)
        )
        if not agreed:
            return
        size = parse_size(window.ticket.handover.typed_size)
        if window.picture.look.square_on:
            window.picture.set_square_on(on=False)
        session.put(from_afar(session.job, parse_length(typed), size), "from afar")

    def _place_lamp(self, number: int) -> None:
        """Let a click on the piece say where the highlight of a light is to sit."""
        window = self._window()
        session = window.session

        def place(glint: Glint, way: Array, drawn: Drawn) -> None:
            lamp = session.job.setting.light.lamps[number]
            placed = placed_by(glint, way, lamp, drawn.middle)
            session.edit(("setting", "light", "lamps", number), placed, "place a light", f"lamp{number}")

        self._point("Click where the highlight is to sit, or drag it there; Escape ends it.", place)

    def _focus(self) -> None:
        """Let a click on the piece say what is to be sharp."""
        session = self._window().session

        def focus(glint: Glint, way: Array, drawn: Drawn) -> None:
            camera, view = session.job.setting.camera, drawn.view
            beyond = float((glint.point - view.eye) @ view.ahead) - view.focus_mm + camera.focus_mm
            session.edit(("setting", "camera", "focus_mm"), round(beyond, 2), "focus", "focus")

        self._point("Click what is to be sharp; Escape ends it.", focus)

    def _keep_view(self) -> None:
        window = self._window()
        name, agreed = QInputDialog.getText(window, "Keep this view", "Its name:")
        if agreed:
            size = parse_size(window.ticket.handover.typed_size)
            window.session.put(keep_place(window.session.job, name, size), f"keep the view {name.strip()}")

    def _forget_view(self) -> None:
        session = self._window().session
        name = place_of(session.job)
        if name is not None:
            session.put(without_place(session.job, name), f"forget the view {name}")

    def _point(self, words: str, does: Pointing) -> None:
        window = self._window()
        if window.picture.look.square_on:
            window.picture.set_square_on(on=False)
        window.picture.begin_pointing(does)
        window.say(words)

    def _remove_lamp(self, number: int) -> None:
        session = self._window().session
        session.put(without_lamp(session.job, number), "remove a light")

    def _plain_letters(self) -> None:
        self._edit(("letters",), (), "all letters as they were")

    # files

    def ask_file(self, title: str, endings: tuple[str, ...], kind: str) -> Path | None:
        """A file that is asked for; None where the person thought better of it."""
        folder = recall("artwork_folder", "")
        wanted = " ".join(f"*{ending}" for ending in endings)
        start = folder if isinstance(folder, str) else ""
        name, _ = QFileDialog.getOpenFileName(self._window(), title, start, f"{kind} ({wanted})")
        if not name:
            return None
        remember("artwork_folder", str(Path(name).parent))
        return Path(name)

    def take_font(self, path: Path) -> None:
        """Set the chosen lettering in a font file that was dropped."""
        if not isinstance(self._content, Wording):
            self._window().tell(f"{path.name} is a typeface: choose a lettering of words first.")
            return
        try:
            self.use_face(self.read_away(path, file_face))
        except KilnError as error:
            self._window().tell(str(error))
