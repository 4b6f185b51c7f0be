"""Choosing a typeface: the person's own words in each face, or a font file from where it lies."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPixmap
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.build import outline_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.lettering import FileFace, ShippedFace, Wording
from kilnchisel.core.job.words import face_words
from kilnchisel.core.lettering.faces import FONT_ENDINGS, SHIPPED, file_face
from kilnchisel.core.lettering.polygons import rings_of
from kilnchisel.ui.memory import recall, remember
from kilnchisel.ui.theme import Theme

SPECIMEN = QSize(460, 46)


class FaceChooser(QDialog):
    """A list of faces, each shown with the words of the lettering. ``face`` is the choice."""

    def __init__(
        self, words: str, present: ShippedFace | FileFace, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Typeface")
        self.resize(560, 620)
        self.face: ShippedFace | FileFace | None = None
        self.words = " ".join(words.split()) or "Lettering"
        self.theme = theme
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
        self.list = QListWidget()
        self.list.setIconSize(SPECIMEN)
        self.list.setAccessibleName("Faces")
        self.list.itemActivated.connect(lambda _: self._take())
        self.list.itemSelectionChanged.connect(lambda: self.take.setEnabled(self._current() is not None))
        column.addWidget(self.list, 1)
        self.refusal = QLabel()
        self.refusal.setObjectName("refusal")
        self.refusal.setWordWrap(True)
        self.refusal.hide()
        column.addWidget(self.refusal)
        row = QHBoxLayout()
        browse = QPushButton("Open a font file…")
        browse.setObjectName("link")
        browse.clicked.connect(self._browse)
        row.addWidget(browse)
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
        self._fill(present)
        # specimens are drawn a few at a time, so that the list is there at once
        self._undrawn = [self.list.item(n) for n in range(self.list.count())]
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._draw_some)
        self._clock.start(0)

    def _fill(self, present: ShippedFace | FileFace) -> None:
        faces: list[tuple[ShippedFace | FileFace, str, str]] = []
        for path in recall("font_files", []):
            if isinstance(path, str) and Path(path).is_file():
                faces.append((FileFace(path=path), Path(path).stem, "font file"))
        faces += [
            (face, face_words(face), use)
            for face, use in ((ShippedFace(name=name), use) for name, (_, use) in SHIPPED.items())
        ]
        for face, name, use in faces:
            item = QListWidgetItem(f"{name}\n{use}")
            item.setData(Qt.ItemDataRole.UserRole, face)
            item.setSizeHint(QSize(0, 58))
            self.list.addItem(item)
            same = face == present or (
                isinstance(face, FileFace) and isinstance(present, FileFace) and face.path == present.path
            )
            if same:
                self.list.setCurrentItem(item)
        if self.list.currentItem() is None:
            self.list.setCurrentRow(0)

    def _draw_some(self) -> None:
        if not self._undrawn:
            self._clock.stop()
            return
        item = self._undrawn.pop(0)
        if item is None:
            return
        try:
            face = item.data(Qt.ItemDataRole.UserRole)
            item.setIcon(QIcon(specimen(self.words, face, self.theme)))
        except KilnError as error:
            item.setText(f"{item.text().splitlines()[0]}\n{error}")
            item.setFlags(Qt.ItemFlag.NoItemFlags)

    def _filter(self, text: str) -> None:
        wanted = text.lower().strip()
        for number in range(self.list.count()):
            item = self.list.item(number)
            if item is not None:
                item.setHidden(wanted not in item.text().lower())

    def _current(self) -> QListWidgetItem | None:
        item = self.list.currentItem()
        usable = item is not None and bool(item.flags() & Qt.ItemFlag.ItemIsEnabled)
        return item if usable else None

    def _take(self) -> None:
        item = self._current()
        if item is None:
            return
        face = item.data(Qt.ItemDataRole.UserRole)
        try:
            self.face = file_face(Path(face.path)) if isinstance(face, FileFace) else face
        except KilnError as error:
            self._refuse(str(error))
            return
        self.accept()

    def _browse(self) -> None:
        endings = " ".join(f"*{ending}" for ending in FONT_ENDINGS)
        name, _ = QFileDialog.getOpenFileName(self, "Open a font file", "", f"Fonts ({endings})")
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Take a font file; a broken one is refused with the reason."""
        try:
            self.face = file_face(path)
        except KilnError as error:
            self._refuse(str(error))
            return
        kept = [p for p in recall("font_files", []) if p != str(path.resolve())]
        remember("font_files", [str(path.resolve()), *kept][:20])
        self.accept()

    def _refuse(self, sentence: str) -> None:
        self.refusal.setText(sentence)
        self.refusal.show()


def specimen(words: str, face: ShippedFace | FileFace, theme: Theme) -> QPixmap:
    """Words in a face as a picture. Raises KilnError for an unusable face."""
    outline = outline_of(Wording(text=words[:40], face=face, cap_height_mm=10))
    picture = QPixmap(SPECIMEN * 2)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    left, bottom, right, top = outline.bounds
    area = QRectF(8, 8, picture.width() - 16, picture.height() - 16)
    scale = min(area.width() / max(right - left, 1), area.height() / max(top - bottom, 1), 5.0)
    painter.translate(area.left(), area.center().y())
    painter.scale(scale, -scale)
    painter.translate(-left, -(top + bottom) / 2)
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.WindingFill)
    for ring in rings_of(outline.ink):
        path.moveTo(*map(float, ring[0]))
        for point in ring[1:]:
            path.lineTo(*map(float, point))
        path.closeSubpath()
    painter.fillPath(path, QColor(theme.ink))
    painter.end()
    picture.setDevicePixelRatio(2.0)
    return picture
