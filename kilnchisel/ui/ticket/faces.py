"""Choosing a typeface: the person's own words in each face, from every font that is at hand.

The list is there at once with the shipped faces; the system's and added fonts come in the background, and
specimens are drawn only for the rows that are seen.
"""

from __future__ import annotations

import threading
import time
from pathlib import Path
from typing import Any

from PyQt6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QObject,
    QRectF,
    QSize,
    QSortFilterProxyModel,
    Qt,
    QTimer,
    pyqtSignal,
)
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import (
    QButtonGroup,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.build import outline_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.fontplaces import OUTLINE_FONT_ENDINGS
from kilnchisel.core.job.wording import Face, FileFace, ShippedFace, Wording
from kilnchisel.core.job.words.contents import face_words
from kilnchisel.core.lettering.catalogue import (
    FontEntry,
    font_files,
    line_faces,
    listed,
    read_entries,
    system_font_files,
)
from kilnchisel.core.lettering.faces import file_face
from kilnchisel.core.lettering.polygons import rings_of
from kilnchisel.core.lettering.shipped import SHIPPED
from kilnchisel.ui.away import away
from kilnchisel.ui.memory import recall, remember
from kilnchisel.ui.theme import Theme, font

ROW = QSize(520, 64)
LONGEST = 36
KINDS = (("all", "All"), ("favourites", "Favourites"), ("recent", "Recently used"), ("own", "Added"))
MOST_RECENT = 12
PAUSE_S = 0.002  # between batches of the background reading, so that the window goes first


class Row:
    """A face in the list with what is said of it; the specimen is drawn when the row is first seen."""

    def __init__(
        self, face: Face, name: str, use: str, kind: str, trouble: str = "", more: str = ""
    ) -> None:
        self.face, self.name, self.use, self.kind = face, name, use, kind
        self.trouble, self.more = trouble, more
        self.specimen: QPainterPath | None = None
        self.tried = False

    @property
    def key(self) -> str:
        """What a favourite is remembered by."""
        if isinstance(self.face, FileFace):
            return f"{self.face.path}#{self.face.number}"
        return f"{self.face.kind}:{self.face.name}"


def _row_of_entry(entry: FontEntry, kind: str) -> Row:
    use = Path(entry.path).name
    more = ", ".join(part for part in ("variable" if entry.variable else "", entry.licence) if part)
    return Row(entry.face, entry.title, use, kind, entry.trouble, more)


class FaceModel(QAbstractListModel):
    """The rows of the list."""

    def __init__(self, rows: list[Row]) -> None:
        super().__init__()
        self.rows = rows

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return row
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{row.name}, {row.trouble or row.use}"
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        flags = super().flags(index)
        return flags & ~Qt.ItemFlag.ItemIsEnabled if self.rows[index.row()].trouble else flags

    def add(self, rows: list[Row]) -> None:
        """Append rows."""
        if rows:
            first = len(self.rows)
            self.beginInsertRows(QModelIndex(), first, first + len(rows) - 1)
            self.rows += rows
            self.endInsertRows()

    def changed(self, row: Row) -> None:
        """Something of a row is to be painted again."""
        place = self.index(self.rows.index(row))
        self.dataChanged.emit(place, place)


class _Filter(QSortFilterProxyModel):
    """Rows whose name or use holds all the words searched for, of the chosen kind."""

    def __init__(self) -> None:
        super().__init__()
        self.wanted: list[str] = []
        self.kind = "all"
        self.favourites: set[str] = set()
        self.recent: list[str] = []

    def filterAcceptsRow(self, source_row: int, source_parent: QModelIndex) -> bool:
        model = self.sourceModel()
        if not isinstance(model, FaceModel):
            return False
        row = model.rows[source_row]
        if self.kind == "favourites" and row.key not in self.favourites:
            return False
        if self.kind == "recent" and row.key not in self.recent:
            return False
        if self.kind == "own" and row.kind != "own":
            return False
        text = f"{row.name} {row.use} {row.more}".lower()
        return all(word in text for word in self.wanted)


class _Paint(QStyledItemDelegate):
    """A row: the words in the face, below them its name and what it suits."""

    def __init__(self, chooser: FaceChooser) -> None:
        super().__init__(chooser)
        self.chooser = chooser

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return ROW

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        row = index.data(Qt.ItemDataRole.UserRole)
        if painter is None or not isinstance(row, Row):
            return
        theme = self.chooser.theme
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(option.rect)
        chosen = index == self.chooser.list.currentIndex()
        if chosen:
            painter.fillRect(area, QColor(theme.clay_wash))
        self.chooser.want_specimen(row)
        if row.specimen is not None:
            box = row.specimen.boundingRect()
            room = area.adjusted(12, 7, -40, -24)
            scale = min(room.width() / max(box.width(), 1e-6), room.height() / max(box.height(), 1e-6), 3.4)
            painter.save()
            painter.translate(
                room.left() - box.left() * scale, room.center().y() - box.center().y() * scale
            )
            painter.scale(scale, scale)
            painter.fillPath(row.specimen, QColor(theme.ink))
            painter.restore()
        painter.setFont(font(12, 400))
        words = f"{row.name}   ·   {row.trouble or row.use}" + (f"   ·   {row.more}" if row.more else "")
        painter.setPen(QColor(theme.brick if row.trouble else theme.pencil))
        line = area.adjusted(12, area.height() - 22, -40, -4)
        shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(line.width()))
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, shown)
        if row.key in self.chooser.filter.favourites:
            mark = QRectF(area.right() - 26, area.center().y() - 5, 10, 10)
            painter.setPen(QPen(QColor(theme.clay), 1.5))
            painter.setBrush(QColor(theme.clay))
            painter.drawEllipse(mark)
        painter.setPen(QPen(QColor(theme.line), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        painter.restore()


class FontReader(QObject):
    """Reads the names of font files in a thread of its own."""

    found = pyqtSignal(object, str, float)  # entries, kind, share done

    def __init__(self, folders: list[Path]) -> None:
        super().__init__()
        self._stopped = False
        self._thread = threading.Thread(target=self._run, args=(folders,), name="fonts", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        """Stop reading, and come back when the thread has ended; what was read is kept."""
        self._stopped = True
        if self._thread.is_alive():
            self._thread.join(timeout=5)

    def _run(self, folders: list[Path]) -> None:
        try:
            self._read(folders)
        finally:  # whatever happens, nobody waits for ever
            self.found.emit([], "end", 1.0)

    def _read(self, folders: list[Path]) -> None:
        own = font_files(folders)
        system = [path for path in system_font_files() if path not in set(own)]
        for files, kind in ((own, "own"), (system, "system")):
            for entries, share in listed(files, lambda: self._stopped):
                if self._stopped:
                    return
                self.found.emit(entries, kind, share)
                time.sleep(PAUSE_S)


class FaceChooser(QDialog):
    """A list of faces, each shown with the words of the lettering. ``face`` is the choice."""

    def __init__(
        self,
        words: str,
        present: Face,
        theme: Theme,
        parent: QWidget | None = None,
        *,
        read_fonts: bool = True,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Typeface")
        self.resize(600, 680)
        self.face: Face | None = None
        self.words = " ".join(words.split())[:LONGEST] or "Lettering"
        self.theme = theme
        self._pending: list[Row] = []
        self._build()
        self._fill(present)
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._draw_some)
        self._reader: FontReader | None = None
        if read_fonts:
            self._read()

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        column.setSpacing(8)
        title = QLabel("Typeface")
        title.setObjectName("heading")
        column.addWidget(title)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search by name or use, e.g. script")
        self.search.setAccessibleName("Search faces")
        self.search.textChanged.connect(self._filter)
        column.addWidget(self.search)
        row = QHBoxLayout()
        row.setSpacing(0)
        self.kinds = QButtonGroup(self)
        for number, (_, words) in enumerate(KINDS):
            button = QPushButton(words)
            button.setObjectName("tab")
            button.setCheckable(True)
            self.kinds.addButton(button, number)
            row.addWidget(button)
        first = self.kinds.button(0)
        if first is not None:
            first.setChecked(True)
        self.kinds.idClicked.connect(lambda _: self._filter())
        row.addStretch(1)
        self.count = QLabel()
        self.count.setObjectName("small")
        row.addWidget(self.count)
        column.addLayout(row)
        self.model = FaceModel([])
        self.filter = _Filter()
        self.filter.setSourceModel(self.model)
        favourites, recent = recall("favourite_faces", []), recall("recent_faces", [])
        self.filter.favourites = {key for key in favourites if isinstance(key, str)}
        self.filter.recent = [key for key in recent if isinstance(key, str)]
        self.list = QListView()
        self.list.setModel(self.filter)
        self.list.setItemDelegate(_Paint(self))
        self.list.setUniformItemSizes(True)
        self.list.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.setAccessibleName("Faces")
        self.list.doubleClicked.connect(lambda _: self._take())
        selection = self.list.selectionModel()
        if selection is not None:
            selection.currentChanged.connect(lambda *_: self._show_choice())
        column.addWidget(self.list, 1)
        self.refusal = QLabel()
        self.refusal.setObjectName("refusal")
        self.refusal.setWordWrap(True)
        self.refusal.hide()
        column.addWidget(self.refusal)
        self._build_foot(column)

    def _build_foot(self, column: QVBoxLayout) -> None:
        row = QHBoxLayout()
        for words, does in (("Open a font file…", self._browse), ("Add a folder…", self._browse_folder)):
            button = QPushButton(words)
            button.setObjectName("link")
            button.setAutoDefault(False)
            button.clicked.connect(does)
            row.addWidget(button)
        self.favourite = QPushButton("Favourite")
        self.favourite.setObjectName("link")
        self.favourite.setAutoDefault(False)
        self.favourite.clicked.connect(self._toggle_favourite)
        row.addWidget(self.favourite)
        row.addStretch(1)
        cancel = QPushButton("Cancel")
        cancel.clicked.connect(self.reject)
        row.addWidget(cancel)
        self.take = QPushButton("Use this face")
        self.take.setObjectName("primary")
        self.take.setDefault(True)
        self.take.clicked.connect(self._take)
        row.addWidget(self.take)
        column.addLayout(row)

    def _fill(self, present: Face) -> None:
        rows = []
        for path in recall("font_files", []):
            if isinstance(path, str) and Path(path).is_file():
                rows += [_row_of_entry(entry, "own") for entry in read_entries(Path(path))]
        rows += [
            Row(face, face_words(face), use, "shipped")
            for face, use in ((ShippedFace(name=name), use) for name, (_, use) in SHIPPED.items())
        ]
        rows += [Row(face, title, use, "shipped") for face, title, use in line_faces()]
        if isinstance(present, FileFace) and not any(_same(row.face, present) for row in rows):
            rows.insert(0, Row(present, face_words(present), Path(present.path).name, "own"))
        self.model.add(rows)
        wanted = next((n for n, row in enumerate(rows) if _same(row.face, present)), 0)
        place = self.filter.mapFromSource(self.model.index(wanted))
        self.list.setCurrentIndex(place)
        self.list.scrollTo(place, QListView.ScrollHint.PositionAtCenter)
        self._say_count("")

    def _read(self) -> None:
        folders = [Path(f) for f in recall("font_folders", []) if isinstance(f, str)]
        self._reader = FontReader(folders)
        self._reader.found.connect(self._add_entries)
        self._reader.start()

    def _add_entries(self, entries: list[FontEntry], kind: str, share: float) -> None:
        have = {row.key for row in self.model.rows}
        rows = [_row_of_entry(entry, kind) for entry in entries]
        self.model.add([row for row in rows if row.key not in have])
        self._say_count("" if kind == "end" else "reading fonts…")

    def _say_count(self, more: str) -> None:
        shown = self.filter.rowCount()
        self.count.setText(f"{shown} faces" + (f", {more}" if more else ""))

    # specimens

    def want_specimen(self, row: Row) -> None:
        """Draw a row's specimen soon: it is seen now."""
        if row.tried or row.trouble:
            return
        row.tried = True
        self._pending.append(row)
        if not self._clock.isActive():
            self._clock.start(0)

    def _draw_some(self) -> None:
        end = time.monotonic() + 0.02
        while self._pending and time.monotonic() < end:
            row = self._pending.pop()  # the latest seen first
            try:
                row.specimen = specimen(self.words, row.face)
            except KilnError as error:
                row.trouble = str(error)
            self.model.changed(row)
        if not self._pending:
            self._clock.stop()

    # choosing

    def _filter(self, _: str = "") -> None:
        self.filter.wanted = self.search.text().lower().split()
        self.filter.kind = KINDS[max(self.kinds.checkedId(), 0)][0]
        self.filter.invalidate()
        if not self.list.currentIndex().isValid() and self.filter.rowCount():
            self.list.setCurrentIndex(self.filter.index(0, 0))
        self._say_count("")

    def current(self) -> Row | None:
        """The chosen row, if it can be used."""
        row = self.list.currentIndex().data(Qt.ItemDataRole.UserRole)
        return row if isinstance(row, Row) and not row.trouble else None

    def _show_choice(self) -> None:
        row = self.current()
        self.take.setEnabled(row is not None)
        self.favourite.setEnabled(row is not None)
        if row is not None:
            there = row.key in self.filter.favourites
            self.favourite.setText("No favourite" if there else "Favourite")

    def _toggle_favourite(self) -> None:
        row = self.current()
        if row is None:
            return
        self.filter.favourites ^= {row.key}
        remember("favourite_faces", sorted(self.filter.favourites))
        self.model.changed(row)
        self._filter()
        self._show_choice()

    def _take(self) -> None:
        row = self.current()
        if row is None:
            return
        face = row.face
        try:
            self.face = self._whole(Path(face.path), face.number) if isinstance(face, FileFace) else face
        except KilnError as error:
            self._refuse(str(error))
            return
        recent = [row.key, *(key for key in self.filter.recent if key != row.key)]
        remember("recent_faces", recent[:MOST_RECENT])
        self.accept()

    def _whole(self, path: Path, number: int = 0) -> FileFace:
        """The face of a font file, opened to see whether it is whole. Raises KilnError."""
        return away(lambda: file_face(path, number), f"Reading {path.name}", self)

    def _browse(self) -> None:
        endings = " ".join(f"*{ending}" for ending in OUTLINE_FONT_ENDINGS)
        name, _ = QFileDialog.getOpenFileName(self, "Open a font file", "", f"Fonts ({endings})")
        if name:
            self.open_file(Path(name))

    def _browse_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Add a folder of fonts")
        if name:
            self.add_folder(Path(name))

    def add_folder(self, folder: Path) -> None:
        """List the fonts of a folder from now on."""
        kept = [f for f in recall("font_folders", []) if f != str(folder)]
        remember("font_folders", [str(folder), *kept][:20])
        if self._reader is not None:
            self._reader.found.disconnect()
            self._reader.stop()
        self._read()

    def open_file(self, path: Path) -> None:
        """Take a font file; a broken one is refused with the reason, a collection is listed."""
        try:
            self.face = self._whole(path)
        except KilnError as error:
            self._refuse(str(error))
            return
        kept = [p for p in recall("font_files", []) if p != str(path.resolve())]
        remember("font_files", [str(path.resolve()), *kept][:20])
        entries = read_entries(path.resolve())
        if len(entries) > 1:  # which face of it is the person's choice
            self.model.add([_row_of_entry(entry, "own") for entry in entries])
            self.search.setText(path.name)
            return
        self.accept()

    def _refuse(self, sentence: str) -> None:
        self.refusal.setText(sentence)
        self.refusal.show()

    def done(self, result: int) -> None:
        if self._reader is not None:
            self._reader.found.disconnect()
            self._reader.stop()
            self._reader = None
        self._clock.stop()
        super().done(result)


def _same(one: Face, other: Face) -> bool:
    if isinstance(one, FileFace) and isinstance(other, FileFace):
        return one.path == other.path and one.number == other.number
    return one == other


def specimen(words: str, face: Face) -> QPainterPath:
    """Words in a face as a path, y down. Raises KilnError for an unusable face."""
    outline = outline_of(Wording(text=words, face=face, cap_height_mm=10, pen_mm=0.9))
    if outline.ink.is_empty or (outline.missing and len(outline.missing) >= len(set(words) - {" "})):
        name = outline.face.family if outline.face is not None else ""
        outline = outline_of(Wording(text=name[:LONGEST] or "Aa", face=face, cap_height_mm=10, pen_mm=0.9))
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.WindingFill)
    for ring in rings_of(outline.ink):
        path.moveTo(float(ring[0, 0]), -float(ring[0, 1]))
        for x, y in ring[1:]:
            path.lineTo(float(x), -float(y))
        path.closeSubpath()
    return path
