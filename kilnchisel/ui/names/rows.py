"""The rows of a list as a table shows them: a small picture, what each is called, how it fits and what a
check says; those that are to be looked at first."""

from __future__ import annotations

from collections import OrderedDict
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPixmap

from kilnchisel.core.lists.outcomes import Outcome
from kilnchisel.core.lists.rows import Names
from kilnchisel.ui.theme import Theme

HEADS = ("Picture", "Row", "Name", "Fit", "Checks")
PICTURE, ROW, NAME, FIT, CHECKS = range(5)
SMALL = QSize(84, 56)
MOST_PICTURES = 400  # that are kept: others are drawn again when they are looked at
NOWHERE = QModelIndex()
CELLS = 4  # of the list that a name's hint tells


class Rows(QAbstractTableModel):
    """``order``: the numbers of the rows from 1 as they are shown."""

    def __init__(self, theme: Theme, parent: Any) -> None:
        super().__init__(parent)
        self._theme = theme
        self.names: Names | None = None
        self.called: list[str] = []
        self.order: list[int] = []
        self.outcomes: dict[int, Outcome] = {}
        self.pictures: OrderedDict[int, QIcon] = OrderedDict()

    def lay(self, names: Names | None, called: list[str]) -> None:
        """Show another list, nothing of it checked yet."""
        self.beginResetModel()
        self.names, self.called = names, called
        self.order = list(range(1, len(called) + 1))
        self.outcomes, self.pictures = {}, OrderedDict()
        self.endResetModel()

    def take(self, outcomes: list[Outcome]) -> None:
        """What came of some rows; they are put in order by ``sort_worst_first``."""
        self.outcomes |= {one.row: one for one in outcomes}

    def sort_worst_first(self) -> None:
        """What cannot be made, what is warned of, the rest as it comes."""

        def rank(number: int) -> tuple[int, int]:
            outcome = self.outcomes.get(number)
            if outcome is None or outcome.good:
                return 2, number
            return (0 if outcome.refused else 1), number

        self.layoutAboutToBeChanged.emit()
        old = self.persistentIndexList()
        shown = [self.order[index.row()] for index in old]
        self.order.sort(key=rank)
        place = {number: row for row, number in enumerate(self.order)}
        moved = [
            self.index(place[number], index.column()) for number, index in zip(shown, old, strict=True)
        ]
        self.changePersistentIndexList(old, moved)
        self.layoutChanged.emit()

    def keep_picture(self, number: int, picture: QPixmap) -> None:
        """A row's small picture."""
        icon = QIcon(picture)
        icon.addPixmap(picture, QIcon.Mode.Selected)  # not tinted
        self.pictures[number] = icon
        self.pictures.move_to_end(number)
        while len(self.pictures) > MOST_PICTURES:
            self.pictures.popitem(last=False)
        self.changed(number)

    def changed(self, number: int) -> None:
        """Show a row anew."""
        row = self.order.index(number)
        self.dataChanged.emit(self.index(row, 0), self.index(row, len(HEADS) - 1))

    def rowCount(self, parent: QModelIndex = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.order)

    def columnCount(self, parent: QModelIndex = NOWHERE) -> int:
        return 0 if parent.isValid() else len(HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            own = section == NAME and self.names is not None
            return self.names.columns[0].capitalize() if own and self.names else HEADS[section]
        return None

    def data(self, index: QModelIndex, role: int = 0) -> Any:
        number = self.order[index.row()]
        outcome = self.outcomes.get(number)
        column = index.column()
        if role == Qt.ItemDataRole.DecorationRole:
            return self.pictures.get(number) if column == PICTURE else None
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(number, outcome, column)
        if role == Qt.ItemDataRole.ToolTipRole and outcome is not None:
            told = (*self._cells(number), outcome.refused, *outcome.warnings, *outcome.fitted)
            return "\n".join(words for words in told if words)
        if role == Qt.ItemDataRole.ForegroundRole and column in (FIT, CHECKS):
            return QColor(self._colour(outcome) if column == CHECKS else self._theme.pencil)
        return None

    def _text(self, number: int, outcome: Outcome | None, column: int) -> str:
        if column == ROW:
            return str(number)
        if column == NAME:
            return self.names.rows[number - 1][0] if self.names else ""
        if column == PICTURE or outcome is None:
            return ""
        if column == FIT:
            return "; ".join(outcome.fitted) or ("" if outcome.refused else "as it is")
        if outcome.refused:
            return outcome.refused
        more = f" (and {len(outcome.warnings) - 1} more)" if len(outcome.warnings) > 1 else ""
        return outcome.warnings[0] + more if outcome.warnings else "nothing to say"

    def _cells(self, number: int) -> list[str]:
        if self.names is None:
            return []
        cells = {"called": self.called[number - 1]} | self.names.row(number - 1)
        return [f"{column}: {cell[:80]}" for column, cell in list(cells.items())[:CELLS]]

    def _colour(self, outcome: Outcome | None) -> str:
        if outcome is None:
            return self._theme.pencil
        if outcome.refused:
            return self._theme.brick
        return self._theme.amber if outcome.warnings else self._theme.pencil
