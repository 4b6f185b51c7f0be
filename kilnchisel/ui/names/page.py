"""The page of a list of names: how what is too wide fits, all rows with what a check says of them, each
looked at and put right; and the ways in which all of them are handed over."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QModelIndex, Qt, QTimer
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.table import KINDS
from kilnchisel.core.job.edits import set_field
from kilnchisel.core.job.listing import Fit, Listing
from kilnchisel.core.job.model import Job
from kilnchisel.core.lists.filling import lettered_by_list, refuse_unlisted
from kilnchisel.core.lists.outcomes import Order, listing_of, names_of, right_by_hand
from kilnchisel.core.lists.rows import LIST_ENDINGS, Names, read_list
from kilnchisel.core.units import format_length, parse_length
from kilnchisel.ui.aside import Aside
from kilnchisel.ui.away import away
from kilnchisel.ui.dropped import dropped_file
from kilnchisel.ui.images import filling, pixmap_of
from kilnchisel.ui.memory import recall, remember
from kilnchisel.ui.names.byhand import RowByHand
from kilnchisel.ui.names.rows import CHECKS, FIT, NAME, PICTURE, ROW, SMALL, Rows
from kilnchisel.ui.theme import Theme

FITS: dict[Fit, str] = {
    "none": "is left as it is",
    "size": "is made smaller",
    "rows": "stands in two rows, then smaller",
}
LAST = "lists of names"  # what the memory calls where they lie
SORTED_MS, MOST_LISTS = 250, 40
KINDS_PX = 260
EACH, APPROVE, TOGETHER = "each", "approve", "together"
LAID = ("sheet", "plotter", "router")


class NamesPage(QDialog):
    """``listing``: how the rows are made, when it is closed; ``wanted``: what is handed over then (EACH,
    APPROVE, TOGETHER), or nothing; ``path``: where the list lies."""

    def __init__(self, job: Job, path: Path | None, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("A list of names")
        self.resize(1180, 760)
        self.setAcceptDrops(True)
        self.job, self.listing = job, listing_of(job)
        self.path: Path | None = None
        self.names: Names | None = None
        self.wanted = ""
        self._number = self._looked = 0
        self._looking = 0  # the row that is being looked at, 0: none
        self._again: set[int] = set()
        self.rows = Rows(theme, self)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        column.setSpacing(10)
        column.addLayout(self._head())
        column.addLayout(self._how())
        self.refusal = QLabel()
        self.refusal.setObjectName("refusal")
        self.refusal.setWordWrap(True)
        column.addWidget(self.refusal)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addWidget(self._table(), 1)
        self.by_hand = RowByHand()
        self.by_hand.put.connect(self.put_right)
        row.addWidget(self.by_hand)
        column.addLayout(row, 1)
        column.addLayout(self._foot())
        self._sorting = QTimer(self)
        self._sorting.setSingleShot(True)
        self._sorting.timeout.connect(self._sort)
        self.checking, self.looking = Aside("listed"), Aside("listed")
        self.checking.heard.connect(self._hear)
        self.looking.heard.connect(self._hear)
        self._enable()
        self.table.setFocus()
        if path is not None:
            self.take_list(path)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        self.title = QLabel("No list yet")
        self.title.setObjectName("heading")
        row.addWidget(self.title)
        what = "A table with a name to each row: CSV, XLSX or ODS."
        if self.listing.file:
            what = f"This job's list is called {self.listing.file}."
        self.told = QLabel(f"{what} Drop it here, or")
        self.told.setObjectName("small")
        row.addWidget(self.told)
        choose = QPushButton("Choose a list…")
        choose.setObjectName("link")
        choose.setAutoDefault(False)
        choose.clicked.connect(self.choose)
        row.addWidget(choose)
        row.addStretch(1)
        return row

    def _how(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        self.fit = QComboBox()
        self.fit.setAccessibleName("What is too wide")
        self.fit.addItems(list(FITS.values()))
        self.fit.setCurrentIndex(list(FITS).index(self.listing.fit))
        self.fit.activated.connect(self._say_how)
        self.most = QLineEdit(format_length(self.listing.most_mm) if self.listing.most_mm else "")
        self.most.setFixedWidth(90)
        self.most.setPlaceholderText("80 mm")
        self.most.setAccessibleName("How wide it may be")
        self.most.editingFinished.connect(self._say_how)
        self.called = QLineEdit(self.listing.name)
        self.called.setPlaceholderText("{row} and the first column")
        self.called.setAccessibleName("What rows are called")
        self.called.editingFinished.connect(self._say_how)
        for words, field in (("Wider than", self.most), ("it", self.fit), ("Rows are called", self.called)):
            label = QLabel(words)
            label.setObjectName("small")
            label.setBuddy(field)
            row.addWidget(label)
            row.addWidget(field, 1 if field is self.called else 0)
        return row

    def _table(self) -> QTableView:
        self.table = QTableView()
        self.table.setModel(self.rows)
        self.table.setAccessibleName("Rows")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setShowGrid(False)
        self.table.setIconSize(SMALL)
        self.table.setTabKeyNavigation(False)
        upright, across = self.table.verticalHeader(), self.table.horizontalHeader()
        assert upright is not None and across is not None
        upright.setVisible(False)
        upright.setDefaultSectionSize(SMALL.height() + 6)
        for column, wide in ((PICTURE, SMALL.width() + 8), (ROW, 46), (NAME, 200), (FIT, 190)):
            self.table.setColumnWidth(column, wide)
        across.setSectionResizeMode(CHECKS, QHeaderView.ResizeMode.Stretch)
        across.setHighlightSections(False)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        chosen = self.table.selectionModel()
        bar = self.table.verticalScrollBar()
        assert chosen is not None and bar is not None
        chosen.currentRowChanged.connect(self._chosen)
        bar.valueChanged.connect(lambda _: self._look_on())
        return self.table

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.kinds = QPushButton()
        self.kinds.setObjectName("menu")
        self.kinds.setAutoDefault(False)
        self.kinds.setAccessibleName("What is made of each row")
        menu = QMenu(self.kinds)
        for kind in KINDS:
            action = menu.addAction(kind.title)
            assert action is not None
            action.setCheckable(True)
            action.setData(kind.name)
            action.setChecked(kind.name in self.listing.kinds)
            action.setEnabled(not kind.missing(self.job))
            action.toggled.connect(self._say_kinds)
        self.kinds.setMenu(menu)
        row.addWidget(self.kinds)
        self.state = QLabel()
        self.state.setObjectName("small")
        row.addWidget(self.state)
        row.addStretch(1)
        close = QPushButton("Close")
        close.setAutoDefault(False)
        close.clicked.connect(self.reject)
        row.addWidget(close)
        self.buttons = {}
        for what, words, hint in (
            (APPROVE, "One PDF to approve…", "A picture of every row, to be ticked and signed"),
            (TOGETHER, "Together on sheets…", "Labels on a roll, film, plates out of stock"),
            (EACH, "Hand each over…", "A folder for each row"),
        ):
            button = QPushButton(words)
            button.setToolTip(hint)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _, what=what: self._want(what))
            self.buttons[what] = button
            row.addWidget(button)
        self.buttons[EACH].setObjectName("primary")
        self._say_kinds()
        return row

    def choose(self) -> None:
        """Let the person choose a file."""
        kinds = " ".join(f"*{ending}" for ending in LIST_ENDINGS)
        start = "" if self.path is None else str(self.path.parent)
        name, _ = QFileDialog.getOpenFileName(self, "A list of names", start, f"Lists ({kinds})")
        if name:
            self.take_list(Path(name))

    def take_list(self, path: Path) -> None:
        """Lay a list beside the job."""
        try:
            names = away(lambda: read_list(path), f"Reading {path.name}", self)
        except KilnError as error:
            self.refusal.setText(str(error))
            return
        self.by_hand.leave()
        self.path, self.names = path, names
        kept = recall(LAST, {})
        kept = {k: v for k, v in kept.items() if k != path.name} if isinstance(kept, dict) else {}
        remember(LAST, dict(list(kept.items())[-MOST_LISTS:]) | {path.name: str(path.resolve())})
        self.listing = self.listing.model_copy(update={"file": path.name})
        self.title.setText(path.name)
        columns = ", ".join(f"{{{column}}}" for column in names.columns[:8] if "." not in column)
        self.told.setText(f"{len(names.rows):,} rows, {names.told}. In words it is {columns}")
        self._check()

    @property
    def present(self) -> Job:
        """The job with how its rows are made."""
        return self.job.model_copy(update={"listing": self.listing})

    @property
    def laid(self) -> tuple[str, ...]:
        """What all rows are made as together: what is ticked of that, or all that the job can give."""
        can = [kind.name for kind in KINDS if kind.name in LAID and not kind.missing(self.job)]
        return tuple(name for name in can if name in self.listing.kinds) or tuple(can)

    def _say_how(self, *_: object) -> None:
        """How what is too wide fits, and what rows are called, as the fields say."""
        fit = list(FITS)[self.fit.currentIndex()]
        text = self.most.text().strip()
        try:
            most = parse_length(text) if text else 0.0
            if fit != "none" and most <= 0:
                raise KilnError("Say how wide it may be: 80 mm.")
            said = {"fit": fit, "most_mm": most, "name": self.called.text().strip()}
            listing = Listing(**(dict(self.listing) | said))
        except (KilnError, ValueError) as error:
            words = str(error) if isinstance(error, KilnError) else "So wide nothing is."
            self.refusal.setText(words)
            return
        if listing != self.listing:
            self.listing = listing
            self._check()
        else:
            self.refusal.setText("")

    def _say_kinds(self, *_: object) -> None:
        menu = self.kinds.menu()
        assert menu is not None
        chosen = [action for action in menu.actions() if action.isChecked()]
        self.listing = self.listing.model_copy(update={"kinds": tuple(a.data() for a in chosen)})
        names = ", ".join(action.text() for action in chosen)
        short = self.kinds.fontMetrics().elidedText(
            f"Of each: {names or 'nothing'}", Qt.TextElideMode.ElideRight, KINDS_PX
        )
        self.kinds.setText(short)
        self._enable()

    def _check(self) -> None:
        """Check all rows anew."""
        self._number += 1
        self._looking, self._again = 0, set()
        self.refusal.setText("")
        if self.names is None or self.path is None:
            return
        try:
            refuse_unlisted(self.present, self.names, self.job.name)
            called = names_of(self.names, self.listing)
        except KilnError as error:
            self.refusal.setText(str(error))
            self.rows.lay(None, [])
            self._enable()
            return
        self.rows.lay(self.names, called)
        self.checking.send("check", self._number, self.present, self.names, self.path.parent)
        self._enable()
        self._look_on()

    def _hear(self, answer: tuple[Any, ...]) -> None:
        kind, *values = answer
        if kind == "failed":
            if values[1]:
                print(values[1], file=sys.stderr)
            self.refusal.setText(values[0])
        elif kind == "ended":
            self.refusal.setText("What checks the rows has ended: it may have run out of memory.")
        elif values[0] != self._number:
            return
        elif kind == "rows":
            self.rows.take(values[1])
            if not self._sorting.isActive():
                self._sorting.start(SORTED_MS)
        elif kind == "checked":
            self._sort()
        elif kind == "looked":
            self._hear_look(*values[1:])

    def _hear_look(self, row: int, outcome: Any, letterings: Any, pixels: Any) -> None:
        self._looking = 0
        self.rows.take([outcome])
        if pixels is not None:
            self.rows.keep_picture(row, filling(pixmap_of(pixels), SMALL, 1.0))
        self._again.discard(row)
        if row == self.by_hand.number:
            self.by_hand.show_row(outcome, letterings, self._fields_of(row), pixels)
            self._say_state()
        self._look_on()

    def _fields_of(self, row: int) -> dict[str, str]:
        assert self.names is not None
        return dict(right_by_hand(self.listing).get(self.names.rows[row - 1], ()))

    def _sort(self) -> None:
        self._sorting.stop()
        self.rows.sort_worst_first()
        self._say_state()
        self._look_on()

    def _say_state(self) -> None:
        outcomes = self.rows.outcomes.values()
        bad = sum(not one.good for one in outcomes)
        count = len(self.rows.order)
        checked = f"{len(outcomes):,} of {count:,} checked" if len(outcomes) < count else f"{count:,} rows"
        self.state.setText(f"{checked}, {bad:,} to look at" if count else "")
        self._enable()

    def _enable(self) -> None:
        ready = bool(self.rows.order)
        if not hasattr(self, "buttons"):
            return
        self.buttons[APPROVE].setEnabled(ready)
        self.buttons[EACH].setEnabled(ready and bool(self.listing.kinds))
        self.buttons[TOGETHER].setEnabled(ready and bool(self.laid))

    def _look_on(self) -> None:
        """Look at the next row that is chosen or seen and has no picture."""
        if self._looking or self.names is None or self.path is None or not self.rows.order:
            return
        number = self._next()
        if number is None:
            return
        self._looking = number
        cells = self.names.rows[number - 1]
        by_hand = right_by_hand(self.listing).get(cells, ())
        order = Order(number, self.rows.called[number - 1], self.names.row(number - 1), by_hand)
        at = lettered_by_list(self.job, self.names)
        self.looking.send("look", self._number, self.present, order, self.path.parent, at)

    def _next(self) -> int | None:
        chosen = self.by_hand.number
        if chosen and (chosen in self._again or self.by_hand.form.isHidden()):
            outcome = self.rows.outcomes.get(chosen)
            if chosen in self._again or outcome is None or not outcome.refused:
                return chosen
        first = max(self.table.rowAt(0), 0)
        port = self.table.viewport()
        assert port is not None
        last = self.table.rowAt(port.height() - 1)
        last = len(self.rows.order) - 1 if last < 0 else last
        for row in range(first, last + 1):
            number = self.rows.order[row]
            outcome = self.rows.outcomes.get(number)
            if number not in self.rows.pictures and not (outcome is not None and outcome.refused):
                return number
        return None

    def _chosen(self, index: QModelIndex, _: QModelIndex) -> None:
        if not index.isValid():
            return
        number = self.rows.order[index.row()]
        self.by_hand.wait_for(number, f"Row {number}: {self.rows.called[number - 1]}")
        self._again.add(number)
        self._look_on()

    def put_right(self, row: int, fields: tuple[tuple[str, str], ...]) -> None:
        """Keep what was put right in a row, or nothing: it is as the list has it."""
        assert self.names is not None
        try:
            for path, value in fields:
                set_field(self.job, path, value)
        except KilnError as error:
            self.by_hand.refusal.setText(str(error))
            return
        self.listing = self.listing.put_right(self.names.rows[row - 1], fields)
        self._again.add(row)
        self._look_on()

    def _want(self, what: str) -> None:
        self.wanted = what
        self.accept()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and dropped_file(event, LIST_ENDINGS) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        path = dropped_file(event, LIST_ENDINGS)
        if path is not None:
            self.take_list(path)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        enter = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if event is not None and event.key() in enter:
            return  # it ends a field
        super().keyPressEvent(event)

    def done(self, result: int) -> None:
        """End what checks for it; what was typed for a row is kept."""
        self.by_hand.keep()
        self.checking.end()
        self.looking.end()
        super().done(result)


def place_of(name: str) -> Path | None:
    """Where a list lies that was chosen here before; a job alone does not have a file read."""
    kept = recall(LAST, {})
    last = kept.get(name) if isinstance(kept, dict) else None
    return Path(last) if isinstance(last, str) and Path(last).is_file() else None
