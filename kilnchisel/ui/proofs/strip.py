"""The strip at the foot: each proof with its picture and name, taken up by a click; keep, compare, try."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QEvent, QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QHelpEvent, QIcon, QKeyEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QScrollArea,
    QToolButton,
    QToolTip,
    QWidget,
)

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.model import Job, Proof
from kilnchisel.core.job.proofs import (
    is_present,
    kept,
    let_go,
    moved,
    noted,
    present,
    renamed,
    taken_up,
    work_of,
)
from kilnchisel.core.job.words.differences import differences
from kilnchisel.ui.away import away
from kilnchisel.ui.images import filling, picture_of
from kilnchisel.ui.session import Session

PICTURE = QSize(104, 60)
TALL = 104
NAME_PX = 100


class ProofCard(QToolButton):
    """One proof: a click takes it up. ``asked``: what else is wanted of it, by the name of a method of the
    strip."""

    asked = pyqtSignal(str)

    def __init__(self, proof: Proof, picture: QIcon) -> None:
        super().__init__()
        self.proof = proof
        self.setObjectName("proof")
        self.setCheckable(True)
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        self.setIconSize(PICTURE)
        self.setText(self.fontMetrics().elidedText(proof.name, Qt.TextElideMode.ElideRight, NAME_PX))
        self.setAccessibleName(f"Proof {proof.name}")
        self.setAutoRaise(True)
        self.setIcon(picture)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self.open_menu)

    def open_menu(self, at: QPoint) -> None:
        """What can be done with it besides."""
        menu = self.menu_of()
        menu.exec(self.mapToGlobal(at))

    def menu_of(self) -> QMenu:
        """The menu of what can be done with it."""
        menu = QMenu(self)
        for words, name, keys in (
            ("Another name…", "rename", "F2"),
            ("Note…", "note", ""),
            ("Earlier in the strip", "earlier", "Alt+Left"),
            ("Later in the strip", "later", "Alt+Right"),
            ("Let go of it", "drop", "Delete"),
        ):
            action = QAction(f"{words}\t{keys}" if keys else words, menu)
            action.triggered.connect(partial(self.asked.emit, name))
            menu.addAction(action)
        return menu

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        name = {
            Qt.Key.Key_F2: "rename",
            Qt.Key.Key_Delete: "drop",
            Qt.Key.Key_Left: "earlier" if alt else "",
            Qt.Key.Key_Right: "later" if alt else "",
        }.get(Qt.Key(event.key()), "")
        if name:
            self.asked.emit(name)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)


class ProofStrip(QWidget):
    """All proofs of the job; not to be seen where there is none. ``pictured``: makes the picture of the job
    as the window shows it."""

    keep_wanted = pyqtSignal()
    compare_wanted = pyqtSignal()
    try_wanted = pyqtSignal()
    shown = pyqtSignal(bool)

    def __init__(self, session: Session, pictured: Callable[[], Callable[[], bytes | None]]) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(TALL)
        self.session, self._pictured = session, pictured
        self.cards: list[ProofCard] = []
        self._shown: tuple[Proof, ...] = ()
        self._told: Job | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 4, 14, 4)
        row.setSpacing(10)
        inner = QWidget()
        inner.setObjectName("strip")
        self._row = QHBoxLayout(inner)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(8)
        self._row.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inner)
        row.addWidget(area, 1)
        for words, does, hint in (
            (
                "Keep this one",
                self.keep_wanted.emit,
                "Keep the job as it is now (Ctrl+Shift+K)",
            ),
            (
                "Compare…",
                self.compare_wanted.emit,
                "At one scale, in one light (Ctrl+Shift+D)",
            ),
            ("Try…", self.try_wanted.emit, "A range of a value, as a sheet of pictures (Ctrl+Shift+T)"),
        ):
            button = QPushButton(words)
            button.setObjectName("link")
            button.setToolTip(hint)
            button.clicked.connect(does)
            row.addWidget(button)
        self.hide()
        session.changed.connect(self.show_job)

    def show_job(self) -> None:
        """Bring the strip up to the job."""
        job = self.session.job
        if job is self._told:
            return
        self._told = job
        if job.proofs != self._shown:
            self._fill(job)
        for number, card in enumerate(self.cards):
            card.setChecked(is_present(job, number))
        self.setVisible(bool(self.cards))
        self.shown.emit(bool(self.cards))

    def _fill(self, job: Job) -> None:
        self._shown = job.proofs
        for card in self.cards:
            self._row.removeWidget(card)
            card.deleteLater()
        # pictures that were there before are not read again
        known = {card.proof.picture: card.icon() for card in self.cards}
        self.cards = [ProofCard(one, known.get(one.picture) or self._icon(one)) for one in job.proofs]
        for number, card in enumerate(self.cards):
            card.clicked.connect(partial(self.take, number))
            card.asked.connect(partial(self._asked, number))
            card.installEventFilter(self)
            self._row.insertWidget(number, card)

    def _icon(self, proof: Proof) -> QIcon:
        """Its small picture."""
        picture = picture_of(proof)
        return QIcon() if picture is None else QIcon(filling(picture, PICTURE, self.devicePixelRatioF()))

    def eventFilter(self, card: object, event: QEvent | None) -> bool:
        """What a proof differs in is worked out when somebody wants to know."""
        if (
            isinstance(card, ProofCard)
            and isinstance(event, QHelpEvent)
            and event.type() == QEvent.Type.ToolTip
        ):
            QToolTip.showText(event.globalPos(), self.words_of(self.cards.index(card)), card)
            return True
        return False

    def words_of(self, number: int) -> str:
        """A proof's note, and what is different of it from the job as it is."""
        proof = self.session.job.proofs[number]
        try:
            told = differences(present(self.session.job), work_of(proof))
        except KilnError as error:
            return str(error)
        words = ", ".join(told) if told else "As the job is now"
        return f"{proof.note}\n{words}" if proof.note else words

    def keep(self) -> None:
        """Keep the job as it is now."""
        picture = away(self._pictured(), "Keeping a proof", self)
        job = kept(self.session.job, picture_png=picture)
        self.session.put(job, f"proof {job.proofs[-1].name} kept")

    def take(self, number: int) -> None:
        """Make the job as a proof has it."""
        job = self.session.job
        try:
            self.session.put(taken_up(job, number), f"proof {job.proofs[number].name} taken up")
        except KilnError as error:
            self.session.refused.emit(str(error))
        self.session.end_step()
        self.cards[number].setChecked(is_present(self.session.job, number))

    def _asked(self, number: int, name: str) -> None:
        try:
            getattr(self, name)(number)
        except KilnError as error:
            self.session.refused.emit(str(error))

    def rename(self, number: int) -> None:
        """Ask for another name."""
        job = self.session.job
        name, given = QInputDialog.getText(
            self, "Another name", "Name of the proof", text=job.proofs[number].name
        )
        if given:
            self.session.put(renamed(job, number, name), f"proof {name} named")

    def note(self, number: int) -> None:
        """Ask for a note."""
        job = self.session.job
        text, given = QInputDialog.getMultiLineText(
            self, "Note", "Note to the proof", job.proofs[number].note
        )
        if given:
            self.session.put(noted(job, number, text.strip()), "note to a proof")

    def earlier(self, number: int) -> None:
        """One place to the left."""
        self._move(number, number - 1)

    def later(self, number: int) -> None:
        """One place to the right."""
        self._move(number, number + 1)

    def _move(self, number: int, to: int) -> None:
        if 0 <= to < len(self.cards):
            self.session.put(moved(self.session.job, number, to), "proofs in another order")
            self.cards[to].setFocus()

    def drop(self, number: int) -> None:
        """Let go of one; undone like anything else."""
        job = self.session.job
        self.session.put(let_go(job, number), f"proof {job.proofs[number].name} let go")
