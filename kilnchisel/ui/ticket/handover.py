"""The hand-over section: a picture at any size, and the solid for making."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from kilnchisel.core.handover.outlines import OutlineOrder

SIZES = ("1600 x 1000", "1280 x 800", "2400 x 1600", "3840 x 2160", "1080 x 1080")
OUTLINES = (
    (OutlineOrder(), "Welded, for making"),
    (OutlineOrder(letters=True), "Letter by letter"),
    (OutlineOrder(lines=True), "Centre lines"),
)
QUALITIES = ((64, "Quick"), (128, "Good"), (512, "Finest"))


class HandOver(QWidget):
    """What goes out of the house."""

    picture_wanted = pyqtSignal()
    mesh_wanted = pyqtSignal()
    outline_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 8)
        column.setSpacing(6)
        row = QHBoxLayout()
        label = QLabel("Picture size")
        label.setObjectName("small")
        self.size_box = QComboBox()
        self.size_box.setEditable(True)
        self.size_box.addItems(SIZES)
        self.size_box.setAccessibleName("Picture size, pixels")
        self.size_box.setToolTip("Width x height in pixels; type any other")
        label.setBuddy(self.size_box)
        row.addWidget(label)
        row.addWidget(self.size_box, 1)
        column.addLayout(row)
        row = QHBoxLayout()
        label = QLabel("Quality")
        label.setObjectName("small")
        self.quality = QComboBox()
        for samples, words in QUALITIES:
            self.quality.addItem(f"{words}, {samples} samples", samples)
        self.quality.setCurrentIndex(1)
        self.quality.setAccessibleName("Quality, samples a pixel")
        label.setBuddy(self.quality)
        row.addWidget(label)
        row.addWidget(self.quality, 1)
        column.addLayout(row)
        self.refusal = QLabel()
        self.refusal.setObjectName("refusal")
        self.refusal.setWordWrap(True)
        self.refusal.hide()
        column.addWidget(self.refusal)
        self.picture = QPushButton("Picture to a file…")
        self.picture.setObjectName("primary")
        self.picture.clicked.connect(self.picture_wanted)
        column.addWidget(self.picture)
        self.mesh = QPushButton("Solid to a file: STL, OBJ, GLB…")
        self.mesh.setObjectName("link")
        self.mesh.clicked.connect(self.mesh_wanted)
        column.addWidget(self.mesh)
        row = QHBoxLayout()
        label = QLabel("Outlines")
        label.setObjectName("small")
        self.outlines = QComboBox()
        for order, words in OUTLINES:
            self.outlines.addItem(words, order)
        self.outlines.setAccessibleName("How outlines are written")
        label.setBuddy(self.outlines)
        row.addWidget(label)
        row.addWidget(self.outlines, 1)
        column.addLayout(row)
        self.outline = QPushButton("Outlines to a file: SVG, DXF…")
        self.outline.setObjectName("link")
        self.outline.clicked.connect(self.outline_wanted)
        column.addWidget(self.outline)

    def outline_order(self) -> OutlineOrder:
        """How the outlines are wanted."""
        order = self.outlines.currentData()
        return order if isinstance(order, OutlineOrder) else OutlineOrder()

    @property
    def samples(self) -> int:
        return int(self.quality.currentData())

    def refuse(self, sentence: str) -> None:
        self.refusal.setText(sentence)
        self.refusal.setVisible(bool(sentence))
