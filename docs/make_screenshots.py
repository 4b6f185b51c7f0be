"""Makes docs/screenshots anew from the demo jobs: .venv/bin/python -m docs.make_screenshots [NAME ...]"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp()

import numpy as np
import pypdfium2
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainter, QPixmap
from PyQt6.QtWidgets import QApplication, QDialog

from demo.jobs import ALL, FOLDER, titles
from kilnchisel.core.handover.bendingplan import bending_files
from kilnchisel.core.handover.cutpicture import scene_as_cut
from kilnchisel.core.handover.letterhead import Letterhead
from kilnchisel.core.handover.paper.sheets import PAPERS
from kilnchisel.core.handover.pictures import PictureOrder, made_picture, make_picture, png_bytes
from kilnchisel.core.handover.printsheet import sheet_files
from kilnchisel.core.handover.programs import written
from kilnchisel.core.handover.proof import proof_bytes
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Cloth
from kilnchisel.core.job.fresh import fresh_job, with_shown
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.sets import sets_for
from kilnchisel.core.motion.tracks import TRACKS
from kilnchisel.core.shop.machines.router import route
from kilnchisel.core.shop.paths.routerwork import Routing
from kilnchisel.core.shop.placing import at_place
from kilnchisel.ui.filmpage import FilmPage
from kilnchisel.ui.handover.page import HandOverPage
from kilnchisel.ui.names.page import NamesPage
from kilnchisel.ui.proofs.comparepage import ComparePage
from kilnchisel.ui.proofs.trypage import TryPage
from kilnchisel.ui.startpage import DemoJob
from kilnchisel.ui.window import Window

HERE = Path(__file__).parent / "screenshots"
CREW = Path(__file__).parents[1] / "demo" / "lists" / "crew.csv"
PATIENCE = 120.0
MOCKUPS = {
    "mockup-trail-sign": "trail-sign",
    "mockup-mug": "night-crew-mug",
    "mockup-tasting": "tasting-neon",
}


class Stage:
    """One window after the other, each brought to the state that is to be shown."""

    def __init__(self) -> None:
        self.app = QApplication.instance() or QApplication([])
        self.window = self.fresh()

    def fresh(self) -> Window:
        demos = [DemoJob(name, FOLDER / f"{stem}.kcj") for stem, name in titles().items()]
        self.window = Window(demos)
        self.window.picture.refining = False
        self.window.resize(1280, 800)
        self.window.show()
        return self.window

    def open(self, stem: str, lettering: int = 0) -> Window:
        window = self.fresh()
        window.open_demo(FOLDER / f"{stem}.kcj")
        window.session.choose(lettering)
        self.settle()
        return window

    def settle(self) -> None:
        picture, end = self.window.picture, time.monotonic() + PATIENCE
        while time.monotonic() < end:
            self.app.processEvents()
            time.sleep(0.005)
            drawn = picture.drawn
            newest = drawn is not None and drawn.order.number == picture._number
            if drawn and newest and drawn.order.detail.fine and drawn.order.job == self.window.session.job:
                break
        self.app.processEvents()

    def shoot(self, name: str) -> None:
        self.window.picture.setFocus()
        self.settle()
        end = time.monotonic() + 1.5  # the readings come after the picture
        while time.monotonic() < end:
            self.app.processEvents()
            time.sleep(0.01)
        self.window.grab().save(str(HERE / f"{name}.png"))
        self.window.session._saved_job = self.window.session.job
        self.window.close()


def unfold_setting(stage: Stage, window: Window) -> None:
    """The setting unfolded, with a small picture of each set."""
    there: set[str] = set()
    window.sets.made.connect(lambda job, name, pixels: there.add(name))
    window.ticket.show_section("setting")
    wanted, end = len(sets_for(window.session.job.blank)), time.monotonic() + PATIENCE
    while len(there) < wanted and time.monotonic() < end:
        stage.app.processEvents()
        time.sleep(0.01)


def sets(stage: Stage) -> None:
    window = stage.open("night-band")
    unfold_setting(stage, window)
    window.ticket.scroller.ensureWidgetVisible(window.ticket.sections["setting"], 0, 0)
    stage.shoot("window-sets")


def proofs(stage: Stage) -> None:
    """Three proofs in the strip, the job as none of them."""
    window = stage.open("night-crew-mug")
    window.ticket.show_section("finish")
    for colour, size in (("#efe6d0", 9.0), ("#8fb3bd", 9.0), ("#3f5a4a", 7.0)):
        window.session.edit(("finish", "colour"), colour)
        window.session.edit(("letterings", 0, "content", "cap_height_mm"), size)
        stage.settle()
        window.keep_proof()
    window.session.edit(("rim_finish", "colour"), "#a8341f")
    stage.shoot("window-proofs")


def start_page(stage: Stage) -> None:
    stage.fresh()
    stage.shoot("start-page")


def day(stage: Stage) -> None:
    window = stage.open("night-crew-mug")
    window.ticket.show_section("wording")
    stage.shoot("window-day")


def evening(stage: Stage) -> None:
    window = stage.open("gift-roundel")
    window.toggle_evening()
    window.ticket.show_section("wording")
    window.ticket.open_group("arrangement", open_=True)
    stage.shoot("window-circle-evening")
    stage.window.toggle_evening()


def van(stage: Stage) -> None:
    window = stage.open("shuttle-van")
    window.ticket.show_section("lay")
    stage.shoot("window-van")


def photo(stage: Stage) -> None:
    """Two pieces in a photo, with what tells where that was taken."""
    window = stage.open("tasting-neon")
    unfold_setting(stage, window)
    window.ticket.open_group("photo", open_=True)
    stage.settle()
    field = window.ticket.forms["setting"].fields["setting.photo.turn_deg"]
    window.ticket.scroller.ensureWidgetVisible(field, 0, 60)
    stage.shoot("window-photo")


def neon(stage: Stage) -> None:
    """A neon sign in the making, its Craft section unfolded."""
    window = stage.open("night-cafe-neon")
    window.ticket.show_section("craft")
    stage.settle()
    stage.shoot("window-neon")


def hand_over(stage: Stage) -> None:
    """The page of all that a job can give, its small pictures drawn."""
    window = stage.open("night-cafe-neon")
    assert window.picture.image is not None
    page = HandOverPage(window.session.job, QPixmap.fromImage(window.picture.image), window.theme, window)
    page.choose(("proof", "bending", "work-sheet"))
    page.show()
    end = time.monotonic() + PATIENCE
    while page.cards["bending"].picture.pixmap().isNull() and time.monotonic() < end:
        stage.app.processEvents()
        time.sleep(0.01)
    page.grab().save(str(HERE / "window-hand-over.png"))
    page.close()
    window.close()


def wait(stage: Stage, holds: Callable[[], Any]) -> None:
    end = time.monotonic() + PATIENCE
    while not holds() and time.monotonic() < end:
        stage.app.processEvents()
        time.sleep(0.01)
    for _ in range(20):  # what has come is laid out in the turns that follow
        stage.app.processEvents()
        time.sleep(0.01)


def names(stage: Stage) -> None:
    """The page of a list of names, a row chosen that is to be looked at."""
    window = stage.open("night-crew-mug")
    window.session.edit(("letterings", 0, "content", "text"), "{name}")
    page = NamesPage(window.session.job, CREW, window.theme, window)
    page.most.setText("70 mm")
    page.fit.setCurrentIndex(2)
    page.fit.activated.emit(2)
    page.show()
    wait(stage, lambda: len(page.rows.outcomes) == len(page.rows.order) and "rows" in page.state.text())
    page.table.selectRow(7)
    wait(stage, lambda: page.by_hand.form.isVisible())
    wait(stage, lambda: page._next() is None)
    page.grab().save(str(HERE / "window-names.png"))
    close(window, page)


def close(window: Window, page: QDialog) -> None:
    page.done(0)
    window.session._saved_job = window.session.job
    window.close()


def pages(stage: Stage) -> None:
    """Proofs compared, a range tried, a film looked at, on one sheet."""
    window = stage.open("night-crew-mug")
    for colour in ("#efe6d0", "#8fb3bd", "#3f5a4a"):
        window.session.edit(("finish", "colour"), colour)
        stage.settle()
        window.keep_proof()
    shots = []
    compared = ComparePage(window.session.job, window)
    compared.show()
    wait(stage, lambda: len(compared.pictures) == len(compared.chosen))
    shots.append(compared.grab())
    compared.done(0)
    tried = TryPage(window.session.job, 0, window)
    tried.show()
    wait(stage, lambda: tried.made and len(tried._pixels) == len(tried.made))
    shots.append(tried.grab())
    close(window, tried)
    window = stage.open("night-cafe-neon")
    film = FilmPage(window.session.job, window)
    film.track.setCurrentIndex(list(TRACKS).index("in-order"))
    film.track.activated.emit(film.track.currentIndex())
    film.show()
    wait(stage, lambda: film.pictures)
    film.slider.setValue(40)
    wait(stage, lambda: 40 in film.pictures)
    shots.append(film.grab())
    close(window, film)
    tall = 600
    fitted = [shot.scaledToHeight(tall, Qt.TransformationMode.SmoothTransformation) for shot in shots]
    gap = 16
    whole = QPixmap(sum(one.width() for one in fitted) + gap * (len(fitted) + 1), tall + 2 * gap)
    whole.fill(QColor("#8c8b89"))
    painter, x = QPainter(whole), gap
    for one in fitted:
        painter.drawPixmap(x, gap, one)
        x += one.width() + gap
    painter.end()
    whole.save(str(HERE / "pages.png"))


SHOTS: dict[str, Callable[[Stage], None]] = {
    "start-page": start_page,
    "window-day": day,
    "window-circle-evening": evening,
    "window-sets": sets,
    "window-proofs": proofs,
    "window-van": van,
    "window-neon": neon,
    "window-photo": photo,
    "window-hand-over": hand_over,
    "window-names": names,
    "pages": pages,
}


def mockup(name: str) -> None:
    job: Job = ALL[MOCKUPS[name]]()
    photo, size = job.setting.photo, (1280, 800)
    if photo is not None:
        scale = 1280 / max(photo.width_px, photo.height_px)
        size = round(photo.width_px * scale), round(photo.height_px * scale)
    pixels = make_picture(job, PictureOrder(size, 32))
    assert pixels is not None
    (HERE / f"{name}.png").write_bytes(png_bytes(pixels))


def papers() -> None:
    """A proof sheet, a page of a bending plan and a printer's sheet, side by side."""
    sign, neon, jar = (ALL[stem]() for stem in ("trail-sign", "night-cafe-neon", "honey-jar"))
    picture = make_picture(sign, PictureOrder((1400, 900), 32))
    assert picture is not None
    head = Letterhead(
        "Fenwick & Daughters, Signs\n4 Quarry Lane, Tarnlight", revision="B", date="2026-11-28"
    )
    paper = PAPERS["A4"]
    made = [
        (proof_bytes(sign, picture, head, paper), 0),
        (proof_bytes(sign, picture, head, paper), 1),
        (bending_files(neon, paper)[0]["bending.pdf"], 0),
    ]
    pages = [pypdfium2.PdfDocument(data)[number].render(scale=1.05).to_pil() for data, number in made]
    sheet = (
        pypdfium2.PdfDocument(sheet_files(jar, paper, 512)[0]["sheet.pdf"])[0].render(scale=2.1).to_pil()
    )
    gap = 16
    whole = Image.new(
        "RGB",
        (sum(page.width for page in pages) + sheet.width + 5 * gap, pages[0].height + 2 * gap),
        "#8c8b89",
    )
    x = gap
    for page in (*pages, sheet):
        whole.paste(page, (x, (whole.height - page.height) // 2))
        x += page.width + gap
    whole.save(HERE / "papers.png")


def as_cut() -> None:
    """A job's picture as the simulated router has cut it."""
    job = ALL["trail-sign"]()
    how = Routing(balls_mm=(6.0, 2.0), scallop_mm=0.05)
    (one,) = written(job, how)
    done = route(one.program, one.piece.stock, cell_mm=0.3)
    assert done is not None
    assert one.program.setup is not None
    scene = scene_as_cut(job, done.heights, done.stock[2], one.program.setup)
    made = made_picture(job, PictureOrder((1280, 800), 32), scene=scene)
    assert made is not None
    (HERE / "as-cut.png").write_bytes(png_bytes(made.pixels))


def garments() -> None:
    """Cloth in all the ways it is shown: worn, on a hanger, laid flat, folded; a cap, a bag."""
    shirt = ALL["crew-shirt"]()
    warm = with_shown(fresh_job("apparel", "TARNLIGHT\nOBSERVATORY"), garment="hooded sweatshirt")
    for field, colour in (("finish", "#2f3f36"), ("rim_finish", "#2b3a31"), ("detail_finish", "#43554a")):
        warm = change(warm, (field,), Cloth(colour=colour, weave="cotton"))
    warm = at_place(warm, 0, "full front")
    shown = [
        (shirt, 0.72),
        (with_shown(shirt, shown="on a hanger"), 0.72),
        (warm, 1.0),
        (with_shown(warm, shown="on a hanger"), 0.72),
        (with_shown(warm, shown="laid flat"), 0.8),
        (ALL["shop-shirt"](), 0.8),
        (ALL["crew-cap"](), 0.75),
        (ALL["shop-tote"](), 0.72),
    ]
    made = []
    for job, near in shown:
        far = near * job.setting.camera.distance_mm
        closer = change(job, ("setting", "camera", "distance_mm"), far)
        made.append(make_picture(closer, PictureOrder((430, 480), 48)))
    rows = [np.concatenate([one for one in made[k : k + 4] if one is not None], axis=1) for k in (0, 4)]
    Image.fromarray(np.concatenate(rows)).save(HERE / "mockup-garments.png")


# of what is seen where letters are large: how near, and turned how far where it is a new job's blank
PLACES: dict[str, tuple[float, float]] = {
    "shuttle-van": (0.9, 0.0),
    "coach": (0.8, -32.0),
    "box truck": (0.86, -34.0),
    "hatchback": (0.84, -40.0),
    "aeroplane": (0.82, -30.0),
    "sailing hull": (0.95, 34.0),
    "cafe-box-sign": (1.0, 0.0),
    "gift-shop": (1.0, 0.0),
    "dome-window": (1.0, 0.0),
    "bank-letters": (1.0, 0.0),
    "honey-jar": (0.7, 0.0),
    "crew-cap": (0.6, 0.0),
}


def places() -> None:
    """Vehicles, a box sign, a shop front, a window, a bank; a jar and a cap."""
    made = []
    for name, (near, turn_deg) in PLACES.items():
        job = ALL[name]() if name in ALL else fresh_job(name, "TARNLIGHT")
        update = {"distance_mm": near * job.setting.camera.distance_mm}
        if turn_deg:
            update |= {"turn_deg": turn_deg, "tilt_deg": 2.0}
        job = change(job, ("setting", "camera"), job.setting.camera.model_copy(update=update))
        made.append(make_picture(job, PictureOrder((480, 300), 40)))
    rows = [np.concatenate([one for one in made[k : k + 4] if one is not None], axis=1) for k in (0, 4, 8)]
    Image.fromarray(np.concatenate(rows)).save(HERE / "mockup-places.png")


SHEETS: dict[str, Callable[[], None]] = {
    "papers": papers,
    "as-cut": as_cut,
    "mockup-garments": garments,
    "mockup-places": places,
}


def main(names: list[str]) -> None:
    """Make the named pictures, or all."""
    unknown = {*names} - {*SHOTS, *MOCKUPS, *SHEETS}
    if unknown:
        sys.exit(
            f"There is no {' and no '.join(sorted(unknown))}; there are "
            f"{', '.join([*SHOTS, *MOCKUPS, *SHEETS])}."
        )
    stage: Stage | None = None
    for name in names or [*SHOTS, *MOCKUPS, *SHEETS]:
        if name in MOCKUPS:
            mockup(name)
        elif name in SHEETS:
            SHEETS[name]()
        else:
            stage = stage or Stage()
            SHOTS[name](stage)
        print(name, flush=True)


if __name__ == "__main__":
    main(sys.argv[1:])
