"""The window: top bar, ticket, picture, readings, foot bar; and the start page before there is a job."""

from __future__ import annotations

import sys
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QByteArray, QSize, Qt, QTimer
from PyQt6.QtGui import (
    QAction,
    QActionGroup,
    QCloseEvent,
    QDrag,
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QKeySequence,
    QPixmap,
    QShortcut,
)
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMenu,
    QProgressBar,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.allocation import settle_allocator
from kilnchisel.core.blanks.meshfile import MESH_KINDS
from kilnchisel.core.intake.gate import warm
from kilnchisel.core.job.cameras import AFAR, place_of
from kilnchisel.core.job.fontplaces import OUTLINE_FONT_ENDINGS
from kilnchisel.core.job.fresh import camera_back
from kilnchisel.core.job.setting import PLACE_ENDINGS
from kilnchisel.core.lettering.content import ARTWORK_ENDINGS
from kilnchisel.core.paths import kept_elsewhere
from kilnchisel.core.picture.about import about
from kilnchisel.ui import theme as look
from kilnchisel.ui.away import in_turns
from kilnchisel.ui.commands import COMMANDS, Command
from kilnchisel.ui.dragout import carried
from kilnchisel.ui.dropped import dropped_file
from kilnchisel.ui.films import make_film
from kilnchisel.ui.folder import hand_over_all, page_ahead, watch_router
from kilnchisel.ui.guard import Guard
from kilnchisel.ui.handover.actions import HandOverActions
from kilnchisel.ui.jobs import JobActions
from kilnchisel.ui.keyspage import AboutPage, KeysPage
from kilnchisel.ui.lettering import LetteringActions
from kilnchisel.ui.memory import recall, remember
from kilnchisel.ui.names.desk import LIST_ENDINGS, lay_list
from kilnchisel.ui.photos import IN_A_PHOTO
from kilnchisel.ui.proofs.desk import compare_proofs, keep_proof, try_range
from kilnchisel.ui.proofs.strip import ProofStrip
from kilnchisel.ui.readings.panel import ReadingsPanel
from kilnchisel.ui.session import Session
from kilnchisel.ui.setdesk import SetDesk
from kilnchisel.ui.startpage import DemoJob, StartPage
from kilnchisel.ui.theme import THEMES, drawing, icon, plain
from kilnchisel.ui.ticket.fields import large_pictures
from kilnchisel.ui.ticket.sections import SECTIONS
from kilnchisel.ui.ticket.ticket import Ticket
from kilnchisel.ui.tidying import Tidying
from kilnchisel.ui.view.picture import PictureView
from kilnchisel.ui.work import SolidDesk

WARM_MS, BEAT_MS = 1500, 250
SWITCH_S = 0.001  # other threads hand over to the window's so often
TOLD_MS = 9000  # that a refusal stands on the picture
DROPPED = (".kcj", *OUTLINE_FONT_ENDINGS, *ARTWORK_ENDINGS, *MESH_KINDS, *PLACE_ENDINGS, *LIST_ENDINGS)


class Window(JobActions, LetteringActions, HandOverActions, QMainWindow):
    """Everything the person sees. Commands of the table are methods of this class."""

    def __init__(self, demos: list[DemoJob] | None = None) -> None:
        super().__init__()
        settle_allocator()
        sys.setswitchinterval(SWITCH_S)
        self.theme = THEMES.get(recall("theme", "day"), look.DAY)
        self.unit = recall("unit", "mm")
        self.guard = Guard()
        self.guard.install()
        self.session = Session(self)
        self._dress()
        self.setWindowTitle("Kiln Chisel")
        self.setWindowIcon(icon("app", self.theme, 32))
        self.setMinimumSize(1024, 640)
        self.setAcceptDrops(True)
        self.start_page = StartPage(demos or [])
        self.ticket = Ticket(self.session)
        self.sets = SetDesk()
        self.picture = PictureView(self.session, self.theme)
        self.solids = SolidDesk(self.picture.workshop)
        self.readings = ReadingsPanel(self.theme)
        self.session.preview = self.picture.preview
        self.proofs = ProofStrip(self.session, self.picture.preview)
        self._build()
        self.tidying = Tidying(self)
        self._told, self._untelling = "", QTimer(self)  # what was refused, and when it goes
        self._untelling.setSingleShot(True)
        self._untelling.timeout.connect(self._untell)
        self._connect()
        self._shortcuts()
        self._restyle()
        self.ticket.show_job()
        self._restore()
        self.show_job()
        self.say(kept_elsewhere())
        # while nobody waits: the process that reads files, and what menus take
        QTimer.singleShot(WARM_MS, warm)
        QTimer.singleShot(WARM_MS + BEAT_MS, large_pictures)
        QTimer.singleShot(WARM_MS + 2 * BEAT_MS, page_ahead)

    # building

    def _build(self) -> None:
        self.pages = QStackedWidget()
        self.pages.addWidget(self.start_page)
        work = QWidget()
        work.setObjectName("paper")
        column = QVBoxLayout(work)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._topbar())
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.ticket)
        middle.addWidget(self.picture, 1)
        middle.addWidget(self.readings)
        column.addLayout(middle, 1)
        column.addWidget(self.proofs)
        column.addWidget(self._footbar())
        self.pages.addWidget(work)
        self.setCentralWidget(self.pages)

    def _topbar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("topbar")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(48)
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 0, 10, 0)
        row.setSpacing(6)
        self.name = QLineEdit()
        self.name.setObjectName("name")
        self.name.setAccessibleName("Name of the job")
        self.name.setMaxLength(200)
        self.name.editingFinished.connect(self._rename)
        row.addWidget(self.name)
        self.saved = QLabel()
        self.saved.setObjectName("small")
        row.addWidget(self.saved)
        row.addStretch(1)
        self.looks = QButtonGroup(self)
        self.looks.setExclusive(True)
        for number, (words, does) in enumerate(
            (
                ("Square-on", self.look_square_on),
                ("Walk round", self.look_walk_round),
                ("From afar", self.look_from_afar),
            )
        ):
            tab = QPushButton(words)
            tab.setObjectName("tab")
            tab.setCheckable(True)
            tab.clicked.connect(does)
            self.looks.addButton(tab, number)
            row.addWidget(tab)
        row.addStretch(1)
        self.undo_button = QPushButton("Undo")
        self.undo_button.clicked.connect(self.undo)
        self.redo_button = QPushButton("Redo")
        self.redo_button.clicked.connect(self.redo)
        self.menu_button = QPushButton("More")
        self.menu_button.setAccessibleName("More commands")
        self.menu_button.clicked.connect(self._open_menu)
        for button in (self.undo_button, self.redo_button, self.menu_button):
            button.setIconSize(QSize(18, 18))
            row.addWidget(button)
        return bar

    def _footbar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("footbar")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(36)
        row = QHBoxLayout(bar)
        row.setContentsMargins(16, 0, 12, 0)
        self.hint = QLabel("Drag the lettering to move it, its round handles to size it.")
        self.hint.setObjectName("small")
        row.addWidget(self.hint, 1)
        keep = QPushButton("Keep this one")
        keep.setObjectName("link")
        keep.setToolTip("Keep the job as it is now among its proofs (Ctrl+Shift+K)")
        keep.clicked.connect(self.keep_proof)
        row.addWidget(keep)
        self.proofs.shown.connect(lambda shown: keep.setVisible(not shown))
        self.report_button = QPushButton("Copy the report")
        self.report_button.setObjectName("link")
        self.report_button.setToolTip("For whoever mends the program: versions and where it happened")
        self.report_button.clicked.connect(self._copy_report)
        self.report_button.hide()
        row.addWidget(self.report_button)
        self.status = QLabel()
        self.status.setObjectName("small")
        row.addWidget(self.status)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(150)
        self.bar.setAccessibleName("Progress")
        row.addWidget(self.bar)
        self.cancel = QPushButton("Stop")
        self.cancel.clicked.connect(self.stop_making)
        row.addWidget(self.cancel)
        return bar

    def _connect(self) -> None:
        self.session.changed.connect(self.show_job)
        self.session.refused.connect(self.say)
        self.guard.told.connect(self._caught)
        self.ticket.letterings.added.connect(self.add_kind)
        self.ticket.letterings.removed.connect(self.remove_lettering)
        self.ticket.link_wanted.connect(self.follow_link)
        self.ticket.set_pictures_wanted.connect(self.sets.want)
        self.sets.made.connect(self.ticket.show_set_picture)
        self.ticket.groups_changed.connect(self._show_groups)
        self.ticket.handover.picture_wanted.connect(self.hand_over_picture)
        self.ticket.handover.drag_wanted.connect(self.drag_picture_out)
        self.ticket.handover.mesh_wanted.connect(self.hand_over_mesh)
        self.ticket.handover.outline_wanted.connect(self.hand_over_outline)
        self.ticket.handover.all_wanted.connect(self.hand_over_all)
        self.proofs.keep_wanted.connect(self.keep_proof)
        self.proofs.compare_wanted.connect(self.compare_proofs)
        self.proofs.try_wanted.connect(self.try_range)
        self.ticket.handover.film_wanted.connect(self.make_film)
        self.ticket.handover.list_wanted.connect(self.lay_list)
        self.ticket.handover.watch_wanted.connect(self.watch_router)
        self.ticket.draft_comes = self.picture.draft_comes
        self.picture.drafts.drawn.connect(lambda _: self.ticket.sides_came())
        self.picture.drafts.failed.connect(lambda *_: self.ticket.sides_came(none=True))
        self.picture.taken.connect(self.readings.show_taken)
        self.picture.status.connect(self.show_status)
        self.picture.words_wanted.connect(self.edit_words)
        self.picture.new_wanted.connect(self.new_lettering_at)
        self.picture.look_changed.connect(self.show_look)
        self.picture.measured.connect(self.say)
        self.picture.mockups.refined.connect(self.picture_ready)
        self.picture.mockups.refined.connect(lambda *_: self.tidying.rest())
        self.picture.mockups.progress.connect(self.picture_progress)
        self.picture.mockups.failed.connect(self.picture_failed)
        self.readings.fixed.connect(self.apply_fix)
        self.readings.opened.connect(self.ticket.show_section)
        page = self.start_page
        page.job_wanted.connect(self.open_path)
        page.demo_wanted.connect(self.open_demo)
        page.new_wanted.connect(self.start_new)
        page.open_wanted.connect(self.open_job)
        page.mesh_wanted.connect(self.new_on_mesh)
        page.rescue_wanted.connect(self.take_rescue)
        page.rescue_dropped.connect(self.drop_rescue)
        self.show_status("", -1.0)

    def _shortcuts(self) -> None:
        for command in COMMANDS:
            if command.keys:
                shortcut = QShortcut(QKeySequence(command.keys), self)
                shortcut.activated.connect(partial(self.do, command))
        for number, key in enumerate(SECTIONS, start=1):
            shortcut = QShortcut(QKeySequence(str(number)), self)
            shortcut.activated.connect(lambda k=key: self._section_key(k))

    def do(self, command: Command) -> None:
        """What a key or the menu asks for; on the start page nothing is done to a job that nobody sees."""
        if command.anywhere or self.pages.currentIndex() == 1:
            getattr(self, command.does)()
        else:
            self.start_page.tell("Choose below what is to be lettered first.")

    def _section_key(self, key: str) -> None:
        if self.pages.currentIndex() == 1:
            self.ticket.toggle(key)

    def _open_menu(self) -> None:
        menu = self.make_menu()
        menu.exec(self.menu_button.mapToGlobal(self.menu_button.rect().bottomLeft()))

    def make_menu(self) -> QMenu:
        """The menu, from the table of commands."""
        menu = QMenu(self)
        group = ""
        marked = {"toggle_evening": self.theme.name == "evening", "toggle_inches": self.unit == "in"}
        choices = QActionGroup(menu)
        choices.setExclusive(False)
        for command in COMMANDS:
            if not command.in_menu:
                continue
            if group and command.group != group:
                menu.addSeparator()
            group = command.group
            action = QAction(command.words, menu)
            action.setShortcut(QKeySequence(command.keys))
            action.setShortcutVisibleInContextMenu(True)
            if command.does in marked:
                action.setCheckable(True)
                action.setChecked(marked[command.does])
            action.triggered.connect(lambda _=False, c=command: self.do(c))
            menu.addAction(action)
        return menu

    # showing

    def show_job(self) -> None:
        """Bring bar, title and buttons up to the job."""
        session = self.session
        if not self.name.hasFocus() or not self.name.isModified():
            self.name.setText(session.job.name)
            wide = self.name.fontMetrics().horizontalAdvance(session.job.name) + 24
            self.name.setFixedWidth(min(max(wide, 90), 300))
        self.saved.setText(session.saved_words)
        self.setWindowTitle(f"{session.job.name}{' *' if session.unsaved else ''} - Kiln Chisel")
        undo, redo = session.history.undo_words, session.history.redo_words
        metrics = self.undo_button.fontMetrics()
        for button, word, step in ((self.undo_button, "Undo", undo), (self.redo_button, "Redo", redo)):
            words = f"{word}: {step}" if step else word
            button.setText(plain(metrics.elidedText(words, Qt.TextElideMode.ElideRight, 170)))
            button.setToolTip(words if step else f"Nothing to {word.lower()}")
            button.setEnabled(step is not None)
        if session.index is None:
            self.readings.show_taken(None)
        self.show_look()

    def say(self, words: str) -> None:
        """Something the person should know, in the foot bar."""
        self.hint.setText(words)

    def show_status(self, words: str, share: float) -> None:
        """What is made, and how much of it is there; below 0 nothing is."""
        if self.picture_order is not None:
            return
        self.status.setText(words)
        self.bar.setVisible(share >= 0)
        self.cancel.setVisible(share >= 0)
        self.bar.setValue(round(max(share, 0) * 1000))

    def _show_groups(self) -> None:
        self.picture.show_single_letters(on="single" in self.ticket.open_groups)
        self.picture.show_photo_marks(on="photo" in self.ticket.open_groups)

    def show_look(self) -> None:
        """Which of the looks it is."""
        afar = place_of(self.session.job) == AFAR
        button = self.looks.button(0 if self.picture.look.square_on else 2 if afar else 1)
        if button is not None:
            button.setChecked(True)

    def _dress(self) -> None:
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        look.apply(app, self.theme)

    def _restyle(self) -> None:
        for button, name in (
            (self.undo_button, "undo"),
            (self.redo_button, "redo"),
            (self.menu_button, "drawer"),
        ):
            button.setIcon(icon(name, self.theme))
        self.picture.theme = self.theme
        self.picture.unit = self.unit
        self.ticket.unit = self.unit
        self.readings.restyle(self.theme, self.unit)
        self.picture.update()
        self.show_look()

    def _restore(self) -> None:
        self.resize(1280, 800)
        kept = recall("window")
        if isinstance(kept, str):
            self.restoreGeometry(QByteArray.fromHex(kept.encode()))

    # edits

    def undo(self) -> None:
        self.session.undo()

    def redo(self) -> None:
        self.session.redo()

    def _rename(self) -> None:
        name = self.name.text().strip()
        self.name.setModified(False)
        if name and name != self.session.job.name:
            self.session.edit(("name",), name, f"name {name}")
        else:
            self.name.setText(self.session.job.name)

    # looks

    def look_square_on(self) -> None:
        self.picture.set_square_on(on=True)

    def look_walk_round(self) -> None:
        self.picture.set_square_on(on=False)
        if place_of(self.session.job) == AFAR:  # from there the camera comes back
            self.session.edit(("setting", "camera"), camera_back(self.session.job), "walk round")

    def into_photo(self) -> None:
        """Put the job into a photo from a file."""
        self.follow_link("photo.take")

    def look_from_afar(self) -> None:
        """The piece as large as it is for the eye from a distance."""
        if self.session.job.setting.photo is not None:
            self.tell(IN_A_PHOTO)
        else:
            self.follow_link("camera.afar")
        self.show_look()

    def look_home(self) -> None:
        """The camera where a fresh job has it; square-on: the whole sheet again."""
        if self.picture.look.square_on:
            self.picture.set_square_on(on=True)
            return
        if self.session.job.setting.photo is not None:
            self.tell(IN_A_PHOTO)
            return
        self.session.edit(("setting", "camera"), camera_back(self.session.job), "camera back")

    def measure_points(self) -> None:
        """The next two clicks on the piece, seen square-on, give their distance."""
        if not self.picture.look.square_on:
            self.picture.set_square_on(on=True)
        self.picture.begin_measuring()
        self.say("Click two points on the piece for their distance; Escape ends it.")

    def copy_picture(self) -> None:
        """The picture as it now stands, to the clipboard."""
        shown, board = self.picture.image, QApplication.clipboard()
        if shown is None or board is None:
            return
        board.setImage(shown.convertToFormat(QImage.Format.Format_RGB32))
        self.say(f"Copied, {shown.width()} × {shown.height()} pixels.")

    def drag_picture_out(self) -> None:
        """The picture as it now stands, dragged into another window: as pixels and as a PNG."""
        shown = self.picture.image
        if shown is None:
            return
        drag = QDrag(self)
        drag.setMimeData(carried(shown, self.session.job.name))
        drag.setPixmap(QPixmap.fromImage(shown.scaledToWidth(160)))
        drag.exec(Qt.DropAction.CopyAction)

    def toggle_stretch(self) -> None:
        """Colour the surface under the lettering by its stretch, or stop."""
        self.picture.show_stretch = not self.picture.show_stretch
        self.picture.update()
        self.say("Blue comes out smaller, red larger." if self.picture.show_stretch else "")

    def toggle_evening(self) -> None:
        """Day or evening."""
        self.theme = look.EVENING if self.theme.name == "day" else look.DAY
        remember("theme", self.theme.name)
        drawing.cache_clear()
        if self.pages.currentIndex() == 1:  # it is laid out anew when it is shown again
            self.start_page.clear()
        self.setUpdatesEnabled(False)  # nothing is seen half dressed, and all is painted once
        self.readings.drop_rows()  # to make these anew is quicker than to dress them anew
        self.ticket.drop_fields()
        turns = (self._dress, self._restyle, self.ticket.show_job, lambda: self.setUpdatesEnabled(True))
        in_turns(self, *turns)

    def toggle_inches(self) -> None:
        """Millimetres or inches shown; the job itself is always in mm."""
        self.unit = "in" if self.unit == "mm" else "mm"
        remember("unit", self.unit)
        self._restyle()
        self.ticket.show_job()

    def show_keys(self) -> None:
        """The page of keys."""
        KeysPage(self).exec()

    def show_about(self) -> None:
        """What the program is and what it draws with here."""
        AboutPage(about(self.picture.drafts.card), self).exec()

    # hand-over

    def hand_over_all(self) -> None:
        """The page of all that the job can give."""
        hand_over_all(self)

    def keep_proof(self) -> None:
        """The job as it is now among its proofs."""
        keep_proof(self)

    def compare_proofs(self) -> None:
        """The page that compares them."""
        compare_proofs(self)

    def try_range(self) -> None:
        """The page that tries a range."""
        try_range(self)

    def watch_router(self) -> None:
        """The page where the job's router is watched at its work."""
        watch_router(self)

    def lay_list(self) -> None:
        """The page of a list of names."""
        lay_list(self)

    def make_film(self) -> None:
        """The page where a film is made."""
        make_film(self)

    # the window itself

    def folder(self) -> str:
        """Where the last file was opened or saved."""
        kept = recall("folder", "")
        return kept if isinstance(kept, str) and Path(kept).is_dir() else str(Path.home())

    def tell(self, sentence: str) -> None:
        """A refusal that must not be missed, where the person is looking."""
        if self.pages.currentIndex() == 1:
            self.picture.tell(sentence)
            self.say(sentence)
            self._told = sentence
            self._untelling.start(TOLD_MS)
            return
        dialog = QDialog(self)
        dialog.setWindowTitle("That did not work")
        column = QVBoxLayout(dialog)
        column.setContentsMargins(22, 18, 22, 16)
        words = QLabel(sentence)
        words.setWordWrap(True)
        words.setMinimumWidth(360)
        column.addWidget(words)
        close = QPushButton("Close")
        close.clicked.connect(dialog.accept)
        column.addWidget(close)
        dialog.exec()

    def _caught(self, sentence: str, report: str) -> None:
        """Something that no command dealt with: a refusal, or a fault of the program."""
        if report:
            self.session.autosave()
            self.report_button.setProperty("report", report)
            self.report_button.show()
        if self.pages.currentIndex() == 1:
            self.tell(sentence)
        else:
            self.start_page.tell(sentence)

    def _copy_report(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(str(self.report_button.property("report")))
        self.report_button.hide()
        self.say("The report is copied; paste it into a message to whoever mends the program.")

    def _untell(self) -> None:
        self.picture.untell(self._told)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and dropped_file(event, DROPPED) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        path = dropped_file(event, DROPPED)
        if path is None:
            return
        if path.suffix.lower() == ".kcj":
            self.open_path(path)
            return
        if path.suffix.lower() in MESH_KINDS:
            self.open_mesh(path)
            return
        if self.pages.currentIndex() != 1:
            self.start_page.tell(
                f"{path.name} goes on something: choose below what is to be lettered, then drop it there."
            )
            return
        if path.suffix.lower() in OUTLINE_FONT_ENDINGS:
            self.take_font(path)
        elif path.suffix.lower() in PLACE_ENDINGS:
            self.take_place(path)
        elif path.suffix.lower() in LIST_ENDINGS:
            lay_list(self, path)
        else:
            self.put_artwork(path)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not self.leave_job():
            event.ignore()
            return
        remember("window", bytes(self.saveGeometry().toHex().data()).decode())
        self.session.discard_autosave()
        self.picture.close_desks()
        self.sets.close()
        self.session.chores.finish()
        self.guard.remove()
        self.tidying.stop()
        event.accept()
