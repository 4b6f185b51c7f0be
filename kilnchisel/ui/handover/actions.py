"""What the window writes by itself: a picture, the solid, the outlines. The page of all has the rest."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.meshes import MESH_ENDINGS
from kilnchisel.core.handover.outlines import OUTLINE_ENDINGS, OutlineOrder, write_outline
from kilnchisel.core.handover.picturefiles import FileOrder, checked_file, wish_for
from kilnchisel.core.handover.pictures import (
    PICTURE_ENDINGS,
    PictureOrder,
    dots_an_inch,
    parse_size,
    usual_samples,
    with_record,
    write_picture,
)
from kilnchisel.core.workshop.orders import MockupOrder
from kilnchisel.core.writing import write_whole
from kilnchisel.ui.actions import Actions
from kilnchisel.ui.away import away
from kilnchisel.ui.targets import ask_target


class HandOverActions(Actions):
    """The part of the window that writes single files. Mixed into it."""

    # the picture that is made for a file: its order, where it goes, how it is written
    picture_order: MockupOrder | None = None
    picture_path: Path | None = None
    picture_how = FileOrder()

    def hand_over_picture(self) -> None:
        """Ask where, then make the finished picture in the background."""
        window = self._window()
        try:
            size = parse_size(window.ticket.handover.typed_size)
            window.ticket.handover.refuse("")
            path = ask_target(window, "Picture to a file", PICTURE_ENDINGS)
            if path is None:
                return
            checked_file(path, window.ticket.handover.file, draft=False)
        except KilnError as error:
            window.ticket.show_section("hand-over")
            window.ticket.handover.refuse(str(error))
            return
        window.make_picture(path, size)

    def make_picture(self, path: Path, size: tuple[int, int]) -> None:
        """Make the finished picture; progress and Stop are in the foot bar."""
        window = self._window()
        square = window.session.index if window.picture.look.square_on else None
        hand = window.ticket.handover
        window.picture_path = path
        window.picture_how = replace(hand.file, dpi=dots_an_inch(hand.typed_size))
        wish = wish_for(path, window.picture_how)
        samples = usual_samples(window.session.job, size, hand.samples)
        window.picture_order = window.picture.make_picture(
            PictureOrder(size, samples, square_on=square, wish=wish)
        )

    def picture_progress(self, share: float, left: float, number: int) -> None:
        """How far the picture for a file is."""
        window = self._window()
        order = window.picture_order
        if order is None or number != order.number:
            return
        window.status.setText(
            f"Picture {order.size[0]} × {order.size[1]}, {max(left, 1):.0f} s left"
            if share > 0.02
            else "Picture begun"
        )
        window.bar.show()
        window.cancel.show()
        window.bar.setValue(round(share * 1000))

    def picture_ready(self, order: MockupOrder, state: Any) -> None:
        """Write the picture that is made."""
        window = self._window()
        if order is not window.picture_order or window.picture_path is None:
            return
        path, job, how = window.picture_path, order.job, window.picture_how
        window.end_picture()

        def written() -> FileOrder:
            recorded = with_record(how, job, path)
            write_picture(state, path, job.name, recorded)
            return recorded

        try:
            kept = away(written, f"Writing {path.name}", window).record
            record = " The photo's record is in it, but for its place and its numbers." if kept else ""
            window.say(f"Picture written to {path}.{record}")
        except KilnError as error:
            window.tell(str(error))

    def picture_failed(self, sentence: str, number: int) -> None:
        """Say why there is no picture."""
        window = self._window()
        if window.picture_order is not None and number == window.picture_order.number:
            window.end_picture()
            window.tell(sentence)

    def end_picture(self) -> None:
        """Nothing is made for a file any more."""
        window = self._window()
        window.picture_order = window.picture_path = None
        window.show_status("", -1.0)
        window.picture.end_picture()

    def stop_making(self) -> None:
        """Stop what is made: a picture for a file, else the one in the window."""
        window = self._window()
        if window.picture_order is not None:
            window.end_picture()
            window.say("The picture was stopped; no file was written.")
            return
        window.picture.cancel()

    def hand_over_outline(self) -> None:
        """The flat lettering as SVG or DXF."""
        window = self._window()
        path = ask_target(window, "Outlines to a file", OUTLINE_ENDINGS)
        if path is not None:
            window.write_outline(path, window.ticket.handover.order)

    def write_outline(self, path: Path, order: OutlineOrder) -> None:
        """Write the outlines and say so."""
        window = self._window()
        path = path if path.suffix else path.with_suffix(".svg")
        try:
            job = window.session.job
            words = away(lambda: write_outline(job, path, order), f"Writing {path.name}", window)
        except KilnError as error:
            window.tell(str(error))
            return
        window.say(f"Outlines written to {path.name}, in mm: {words}.")

    def hand_over_mesh(self) -> None:
        """Ask where, then write the solid."""
        window = self._window()
        path = ask_target(window, "Solid to a file", tuple(MESH_ENDINGS))
        if path is not None:
            window.write_mesh(path)

    def write_mesh(self, path: Path) -> None:
        """Write the solid and say so."""
        window = self._window()
        made = window.solids.solid(window.session.job, path)
        words = f"Making the solid for {path.name}"
        try:
            away(lambda: write_whole(path, made.result()), words, window, window.solids.withdraw)
            window.say(f"Solid written to {path}.")
        except KilnError as error:
            window.tell(str(error))
