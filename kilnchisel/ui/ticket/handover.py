"""The hand-over section: a picture at any size, and the solid for making."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import pyqtBoundSignal, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from kilnchisel.core.handover.outlines import OutlineOrder
from kilnchisel.core.handover.picturefiles import FileOrder
from kilnchisel.ui.dragout import DragHandle

SIZES = ("1600 x 1000", "hd", "uhd", "square", "tall", "150 x 100 mm @ 300")
BACKGROUNDS = ((False, "As it is seen"), (True, "Transparent"))
DEPTHS = ((8, "8 bits"), (16, "16 bits (PNG, TIFF)"))
COLOURS = (("sRGB", "sRGB"), ("Display P3", "Display P3"))
OUTLINES = (
    (OutlineOrder(), "Welded, for making"),
    (OutlineOrder(letters=True), "Letter by letter"),
    (OutlineOrder(lines=True), "Centre lines"),
)
QUALITIES = ((64, "Quick"), (128, "Good"), (512, "Finest"))


class HandOver(QWidget):
    """What goes out of the house. Its fields are there while the section is unfolded; what is chosen in
    them is kept here."""

    picture_wanted = pyqtSignal()
    mesh_wanted = pyqtSignal()
    outline_wanted = pyqtSignal()
    drag_wanted = pyqtSignal()
    all_wanted = pyqtSignal()
    watch_wanted = pyqtSignal()
    film_wanted = pyqtSignal()
    list_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.typed_size = SIZES[0]  # as it is typed
        self.samples = QUALITIES[1][0]
        self.order = OUTLINES[0][0]
        self.file = FileOrder()
        self._refusal = ""
        self._said: QLabel | None = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)

    def show_fields(self) -> None:
        """Make the fields, unless they are there."""
        if self._said is None:
            self._fill()

    def drop_fields(self) -> None:
        """Let go of the fields: what is chosen in them stays."""
        self._said = None
        while (item := self._column.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()

    def refuse(self, sentence: str) -> None:
        """Say what is wrong with what was typed; nothing when it is right."""
        self._refusal = sentence
        if self._said is not None:
            self._said.setText(sentence)
            self._said.setVisible(bool(sentence))

    def _fill(self) -> None:
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 2, 0, 8)
        column.setSpacing(6)
        sizes = _box("Picture size, pixels")
        sizes.setEditable(True)
        sizes.addItems(SIZES)
        sizes.setEditText(self.typed_size)
        sizes.setToolTip("Pixels, or mm in print with pixels an inch; type any other")
        sizes.editTextChanged.connect(self._take_size)
        column.addLayout(_row("Picture size", sizes))
        quality = _box("Quality, samples a pixel")
        for samples, words in QUALITIES:
            quality.addItem(f"{words}, {samples} samples")
        quality.setCurrentIndex([samples for samples, _ in QUALITIES].index(self.samples))
        quality.currentIndexChanged.connect(self._take_quality)
        column.addLayout(_row("Quality", quality))
        for words, name, options in (
            ("Background", "transparent", BACKGROUNDS),
            ("Depth", "bits", DEPTHS),
            ("Colours", "profile", COLOURS),
        ):
            column.addLayout(_row(words, self._choice(words, name, options)))
        self._said = QLabel()
        self._said.setObjectName("refusal")
        self._said.setWordWrap(True)
        column.addWidget(self._said)
        self.refuse(self._refusal)
        column.addWidget(_button("Picture to a file: PNG, JPEG, EXR…", "primary", self.picture_wanted))
        handle = DragHandle("Drag the picture out")
        handle.setObjectName("link")
        handle.setToolTip("Drag from here into another window")
        handle.drag_wanted.connect(self.drag_wanted)
        column.addWidget(handle)
        column.addWidget(_button("Solid to a file: STL, OBJ, GLB…", "link", self.mesh_wanted))
        outlines = _box("How outlines are written")
        outlines.addItems([words for _, words in OUTLINES])
        outlines.setCurrentIndex([order for order, _ in OUTLINES].index(self.order))
        outlines.currentIndexChanged.connect(self._take_outlines)
        column.addLayout(_row("Outlines", outlines))
        column.addWidget(_button("Outlines to a file: SVG, DXF…", "link", self.outline_wanted))
        column.addWidget(_button("All that this job can give…", "link", self.all_wanted))
        column.addWidget(_button("Make a film…", "link", self.film_wanted))
        column.addWidget(_button("A list of names…", "link", self.list_wanted))
        column.addWidget(_button("Watch it being cut…", "link", self.watch_wanted))
        self._column.addWidget(inner)

    def _choice(self, words: str, name: str, options: tuple[tuple[Any, str], ...]) -> QComboBox:
        """A box for one of the values of how a file is written."""
        box = _box(words)
        box.addItems([said for _, said in options])
        box.setCurrentIndex([value for value, _ in options].index(getattr(self.file, name)))

        def take(number: int) -> None:
            self.file = replace(self.file, **{name: options[number][0]})

        box.currentIndexChanged.connect(take)
        return box

    def _take_size(self, text: str) -> None:
        self.typed_size = text

    def _take_quality(self, number: int) -> None:
        self.samples = QUALITIES[number][0]

    def _take_outlines(self, number: int) -> None:
        self.order = OUTLINES[number][0]


def _box(name: str) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    return box


def _row(words: str, box: QComboBox) -> QHBoxLayout:
    row = QHBoxLayout()
    label = QLabel(words)
    label.setObjectName("small")
    label.setBuddy(box)
    row.addWidget(label)
    row.addWidget(box, 1)
    return row


def _button(words: str, look: str, wanted: pyqtBoundSignal) -> QPushButton:
    button = QPushButton(words)
    button.setObjectName(look)
    button.clicked.connect(lambda: wanted.emit())
    return button
