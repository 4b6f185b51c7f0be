"""The page of all that a job can give: cards in groups, how what is chosen is made, presets, one button."""

from __future__ import annotations

import threading
from functools import partial
from itertools import pairwise

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QColor, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.glimpses import glimpse
from kilnchisel.core.handover.options import OPTIONS, USUAL, Option
from kilnchisel.core.handover.presets import Preset, keep_preset, presets, wanted_from
from kilnchisel.core.handover.sideviews import SideView, side_views
from kilnchisel.core.handover.table import KINDS
from kilnchisel.core.job.model import Job
from kilnchisel.ui.away import Told
from kilnchisel.ui.folder import VALUES
from kilnchisel.ui.handover.cards import PICTURE, Card, heading
from kilnchisel.ui.handover.drawn import small_picture
from kilnchisel.ui.images import filling
from kilnchisel.ui.memory import recall, remember
from kilnchisel.ui.theme import Theme

CHOSEN = "handed over"  # what the memory calls it
LAST = "As last time"
PICTURED = ("picture", "textured")
ACROSS = 2
OPTIONS_WIDE = 292


class HandOverPage(QDialog):
    """What is chosen here is ``names`` and ``values`` when it is accepted. ``seen``: the picture as the
    window shows it."""

    def __init__(self, job: Job, seen: QPixmap | None, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Hand over")
        self.resize(960, 700)
        self.job, self._theme = job, theme
        self.cards: dict[str, Card] = {}
        self.fields: dict[str, QLineEdit | QComboBox | QCheckBox] = {}
        self._rows: dict[str, tuple[QWidget, ...]] = {}  # made when they are first shown
        self._views: list[SideView] = []
        self._unseen: list[str] = []  # cards whose pictures are still to be drawn
        kept = recall(VALUES, {})
        self._values = {k: str(v) for k, v in kept.items() if k in USUAL} if isinstance(kept, dict) else {}
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        column.setSpacing(10)
        column.addLayout(self._head())
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addWidget(self._grid(), 1)
        row.addWidget(self._options())
        column.addLayout(row, 1)
        column.addLayout(self._foot())
        chosen = recall(CHOSEN, ["picture"])
        self.choose(tuple(chosen) if isinstance(chosen, list) else ("picture",))
        if seen is not None and not seen.isNull():
            for name in PICTURED:
                self.cards[name].show_picture(filling(seen, PICTURE, 1.0))
        told = Told()
        told.made.connect(self._show_views)
        threading.Thread(target=_look, args=(job, told), name="glimpses", daemon=True).start()

    @property
    def names(self) -> tuple[str, ...]:
        """What is ticked and can be given."""
        return tuple(
            name for name, card in self.cards.items() if card.box.isChecked() and card.box.isEnabled()
        )

    @property
    def values(self) -> dict[str, str]:
        """How it is made, where that is not as usual."""
        found = self._values | {name: _said(field) for name, field in self.fields.items()}
        return {name: value for name, value in found.items() if value != USUAL[name]}

    def choose(self, names: tuple[str, ...]) -> None:
        """Tick these, and nothing else."""
        for name, card in self.cards.items():
            card.box.setChecked(name in names and card.box.isEnabled())
        self._ticked()

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        title = QLabel(f"Hand over: {self.job.name}")
        title.setObjectName("heading")
        row.addWidget(title)
        row.addStretch(1)
        self.preset = QComboBox()
        self.preset.setAccessibleName("Preset")
        self.preset.setMinimumWidth(180)
        self._fill_presets()
        self.preset.activated.connect(self._take_preset)
        row.addWidget(self.preset)
        for words, does, hint in (
            ("Keep…", self._keep, "Keep what is ticked, and how it is made, under a name"),
            ("Let go", self._let_go, "Take this preset off the list"),
        ):
            button = QPushButton(words)
            button.setObjectName("link")
            button.setAutoDefault(False)
            button.setToolTip(hint)
            button.clicked.connect(does)
            row.addWidget(button)
        return row

    def _grid(self) -> QWidget:
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        for group in dict.fromkeys(kind.group for kind in KINDS):
            column.addWidget(heading(group))
            grid = QGridLayout()
            grid.setSpacing(8)
            for number, kind in enumerate(one for one in KINDS if one.group == group):
                card = Card(kind, kind.missing(self.job))
                card.ticked.connect(self._ticked)
                self.cards[kind.name] = card
                grid.addWidget(card, number // ACROSS, number % ACROSS)
            for place in range(ACROSS):
                grid.setColumnStretch(place, 1)
            column.addLayout(grid)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(inner)
        return area

    def _options(self) -> QWidget:
        inner = QWidget()
        self._form = QGridLayout(inner)
        self._form.setContentsMargins(0, 0, 8, 0)
        self._form.setHorizontalSpacing(8)
        self._form.setVerticalSpacing(6)
        self._form.setRowStretch(len(OPTIONS), 1)
        self._form.setColumnStretch(1, 1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFixedWidth(OPTIONS_WIDE)
        area.setWidget(inner)
        return area

    def _row(self, option: Option) -> tuple[QWidget, ...]:
        """What asks for an option."""
        label = QLabel(option.words)
        label.setObjectName("small")
        label.setWordWrap(True)
        field, number = self._field(option), OPTIONS.index(option)
        label.setBuddy(field)
        self._form.addWidget(label, number, 0)
        if option.sort != "file":
            self._form.addWidget(field, number, 1, 1, 2)
            return label, field
        browse = QPushButton("…")
        browse.setAutoDefault(False)
        browse.setFixedWidth(30)
        browse.setAccessibleName(f"{option.words}: choose a file")
        browse.setToolTip("Choose a file")
        browse.clicked.connect(partial(self._browse, option))
        self._form.addWidget(field, number, 1)
        self._form.addWidget(browse, number, 2)
        return label, field, browse

    def _field(self, option: Option) -> QWidget:
        value = self._values.get(option.name, option.usual)
        field: QLineEdit | QComboBox | QCheckBox
        if option.sort == "choice":
            field = QComboBox()
            field.addItems(option.known)
            field.setCurrentText(value)
        elif option.sort == "flag":
            field = QCheckBox()
            field.setChecked(bool(value))
        else:
            field = QLineEdit(value)
            field.setPlaceholderText(option.usual)
            field.setCursorPosition(0)  # what is longer than it shows its beginning
            field.textChanged.connect(lambda: self.refuse(""))
        field.setAccessibleName(option.words)
        field.setToolTip(option.hint)
        self.fields[option.name] = field
        return field

    def _foot(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self.refusal = QLabel()
        self.refusal.setObjectName("refusal")
        self.refusal.setWordWrap(True)
        self.refusal.hide()
        column.addWidget(self.refusal)
        row = QHBoxLayout()
        self.count = QLabel()
        self.count.setObjectName("small")
        row.addWidget(self.count)
        row.addStretch(1)
        close = QPushButton("Close")
        close.setAutoDefault(False)
        close.clicked.connect(self.reject)
        row.addWidget(close)
        self.button = QPushButton("Write into a folder…")
        self.button.setObjectName("primary")
        self.button.setDefault(True)
        self.button.clicked.connect(self._take)
        row.addWidget(self.button)
        column.addLayout(row)
        return column

    def refuse(self, sentence: str) -> None:
        """Say what cannot be; nothing when it can."""
        self.refusal.setText(sentence)
        self.refusal.setVisible(bool(sentence))

    def _take(self) -> None:
        try:
            wanted_from(self.values)
        except KilnError as error:
            self.refuse(str(error))
            return
        self._remember()
        self.accept()

    def _remember(self) -> None:
        kept = [name for name, card in self.cards.items() if card.box.isChecked()]
        before = recall(CHOSEN, [])
        # what this job cannot give is for the next one as it was
        kept += [n for n in before if n in self.cards and not self.cards[n].box.isEnabled()]
        remember(CHOSEN, sorted(kept))
        remember(VALUES, self.values)

    def _ticked(self) -> None:
        chosen = self.names
        for option in OPTIONS:
            counts = any(name in option.kinds for name in chosen)
            if counts and option.name not in self._rows:
                self._rows[option.name] = self._row(option)
                self._order_rows()
            for widget in self._rows.get(option.name, ()):
                widget.setVisible(counts)
        words = "Nothing chosen" if not chosen else f"{len(chosen)} of {len(self.cards)} chosen"
        self.count.setText(words)
        self.button.setEnabled(bool(chosen))

    def _order_rows(self) -> None:
        """The Tab key goes down the rows, whichever was made first."""
        rows = [self._rows[option.name] for option in OPTIONS if option.name in self._rows]
        for before, after in pairwise(one for row in rows for one in row[1:]):
            QWidget.setTabOrder(before, after)

    def _browse(self, option: Option) -> None:
        known = "Pictures (*.png *.jpg *.jpeg *.webp)" if option.name == "logo" else "CSV (*.csv *.txt)"
        path, _ = QFileDialog.getOpenFileName(self, option.words, "", known)
        field = self.fields[option.name]
        if path and isinstance(field, QLineEdit):
            field.setText(path)

    def _fill_presets(self, chosen: str = LAST) -> None:
        self.preset.clear()
        self.preset.addItems([LAST, *sorted(presets())])
        self.preset.setCurrentText(chosen)

    def _take_preset(self) -> None:
        name = self.preset.currentText()
        last = Preset(tuple(recall(CHOSEN, ["picture"])), dict(recall(VALUES, {})))
        one = last if name == LAST else presets().get(name, last)
        self._values = {option.name: one.values.get(option.name, option.usual) for option in OPTIONS}
        for name, field in self.fields.items():
            _put(field, self._values[name])
        self.choose(one.kinds)

    def _keep(self) -> None:
        name, done = QInputDialog.getText(self, "Keep a preset", "Under which name?")
        if not done:
            return
        try:
            keep_preset(name, Preset(self.names, self.values))
        except KilnError as error:
            self.refuse(str(error))
            return
        self._fill_presets(" ".join(name.split()))

    def _let_go(self) -> None:
        name = self.preset.currentText()
        if name == LAST:
            return
        keep_preset(name, None)
        self._fill_presets()

    def _show_views(self, views: list[SideView], _: str) -> None:
        if views:
            self._views = views
            self._unseen = [
                name
                for name, card in self.cards.items()
                if name not in PICTURED or card.picture.pixmap().isNull()
            ]
            self._show_next()

    def _show_next(self) -> None:
        """One card after the other: of many letters all at once would hold the window up."""
        if not self._unseen:
            return
        name = self._unseen.pop(0)
        ground, ratio = QColor(self._theme.field), self.devicePixelRatioF()
        self.cards[name].show_picture(small_picture(glimpse(name, self._views[0]), PICTURE, ground, ratio))
        QTimer.singleShot(0, self._show_next)


def _said(field: QWidget) -> str:
    if isinstance(field, QComboBox):
        return field.currentText()
    if isinstance(field, QCheckBox):
        return "yes" if field.isChecked() else ""
    assert isinstance(field, QLineEdit)
    return field.text().strip()


def _put(field: QWidget, value: str) -> None:
    if isinstance(field, QComboBox):
        field.setCurrentText(value)
    elif isinstance(field, QCheckBox):
        field.setChecked(bool(value))
    elif isinstance(field, QLineEdit):
        field.setText(value)
        field.setCursorPosition(0)


def _look(job: Job, told: Told) -> None:
    """Beside the window: the sides as they lie flat, from which the small pictures are drawn."""
    try:
        views = side_views(job)
    except KilnError:
        views = []
    told.made.emit(views, "")
