"""The page where a film is made: what moves, looked at at once by quick pictures and scrubbed; then made in
the background, going on where it was stopped."""

from __future__ import annotations

import sys
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtGui import QKeyEvent, QPixmap, QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.pictures import parse_size
from kilnchisel.core.job.model import Job
from kilnchisel.core.motion.tracks import BY_CHANCE, LOOPS, TRACKS, Film, moment
from kilnchisel.core.units import parse_plain
from kilnchisel.ui.aside import Aside
from kilnchisel.ui.images import fitting, pixmap_of
from kilnchisel.ui.runbar import RunBar

SEEN = (640, 360)
SAMPLES = 48
WORDS = {
    "turntable": "The piece turns",
    "swing": "The camera swings",
    "places": "From camera place to camera place",
    "light": "The light goes round",
    "start-up": "Neon starts up",
    "flicker": "Neon flickers",
    "pulse": "A pulse of light",
    "on-off": "On and off",
    "in-order": "Letters appear in order",
}


class FilmPage(QDialog):
    """``film``: what is chosen, once it is accepted."""

    def __init__(self, job: Job, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Make a film")
        self.resize(900, 680)
        self.job = job
        self.pictures: dict[int, QPixmap] = {}
        self._number, self._waits = 0, False
        self._known: tuple[Any, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 14)
        column.setSpacing(10)
        column.addLayout(self._head())
        self.picture = QLabel()
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setMinimumSize(320, 180)
        self.picture.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Ignored)
        self.picture.setAccessibleName("A frame of the film")
        column.addWidget(self.picture, 1)
        self.running = RunBar("Time of the film", lambda: 1, lambda: self._waits, over=True)
        self.slider, self.time = self.running.slider, self.running.time
        self.running.moved.connect(self._look)
        column.addWidget(self.running)
        self.refusal = QLabel()
        self.refusal.setObjectName("refusal")
        self.refusal.setWordWrap(True)
        column.addWidget(self.refusal)
        column.addLayout(self._foot())
        self.aside = Aside("filmed")
        self.aside.heard.connect(self._hear)
        self._track_chosen(0)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        self.track = QComboBox()
        self.track.setAccessibleName("What moves")
        self.track.addItems([WORDS[name] for name in TRACKS])
        self.track.activated.connect(self._track_chosen)
        row.addWidget(self.track)
        self.seconds = QLineEdit("6")
        self.frames_a_second = QSpinBox()
        self.frames_a_second.setRange(1, 120)
        self.frames_a_second.setValue(25)
        self.frames_a_second.setSuffix(" a second")
        self.seed = QSpinBox()
        self.seed.setRange(0, 9999)
        self.seed.setValue(1)
        self.seed.setToolTip("Another number, another flicker; for tubes that start up or fail")
        for words, field, wide in (
            ("Seconds", self.seconds, 60),
            ("Frames", self.frames_a_second, 120),
            ("Chance", self.seed, 80),
        ):
            label = QLabel(words)
            label.setObjectName("small")
            label.setBuddy(field)
            field.setAccessibleName(words)
            field.setFixedWidth(wide)
            row.addWidget(label)
            row.addWidget(field)
        self.seconds.editingFinished.connect(self._changed)
        self.frames_a_second.valueChanged.connect(self._changed)
        self.seed.valueChanged.connect(self._changed)
        row.addStretch(1)
        return row

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.size_ = QComboBox()
        self.size_.setAccessibleName("Size, pixels")
        self.size_.setEditable(True)
        self.size_.addItems(["1280x720", "hd", "square", "640x360"])
        self.size_.activated.connect(self._changed)
        line = self.size_.lineEdit()
        assert line is not None
        line.editingFinished.connect(self._changed)
        row.addWidget(self.size_)
        self.draft = QCheckBox("By quick pictures")
        self.draft.setToolTip(f"Instead of mockups of {SAMPLES} samples a pixel")
        row.addWidget(self.draft)
        self.soft = QCheckBox("Slow at both ends")
        self.soft.toggled.connect(self._changed)
        row.addWidget(self.soft)
        self.loop = QCheckBox("Over and over")
        self.loop.setToolTip("There and back where what moves does not come round")
        self.loop.toggled.connect(self._changed)
        row.addWidget(self.loop)
        row.addStretch(1)
        close = QPushButton("Close")
        close.setAutoDefault(False)
        close.clicked.connect(self.reject)
        row.addWidget(close)
        make = QPushButton("Make the film…")
        make.setObjectName("primary")
        make.setDefault(True)
        make.clicked.connect(self._take)
        row.addWidget(make)
        return row

    @property
    def _moves(self) -> str:
        """The track that is chosen."""
        return list(TRACKS)[self.track.currentIndex()]

    @property
    def film(self) -> Film:
        """What is chosen. Raises KilnError."""
        try:
            seconds = parse_plain(self.seconds.text())
        except KilnError:
            raise KilnError(f"“{self.seconds.text()[:20]}” is no number of seconds.") from None
        return Film(
            self._moves,
            seconds,
            self.frames_a_second.value(),
            parse_size(self.size_.currentText()),
            0 if self.draft.isChecked() else SAMPLES,
            self.seed.value(),
            tuple(place.name for place in self.job.setting.places),
            ease="soft" if self.soft.isChecked() else "even",
            loop=self.loop.isChecked(),
        ).checked()

    def _seen_film(self) -> Film:
        film = self.film
        tall = max(round(SEEN[0] * film.size[1] / film.size[0]), 16)
        return replace(film, size=(SEEN[0], tall), samples=0)

    def _track_chosen(self, _: int) -> None:
        with QSignalBlocker(self.loop):
            self.loop.setChecked(self._moves in LOOPS)
        self.seed.setEnabled(self._moves in BY_CHANCE)
        self._changed()

    def _changed(self, *_: object) -> None:
        """Another film than before: its frames are looked at anew."""
        self.running.pause()
        try:
            film = self._seen_film()
            moment(self.job, film, 0)
        except KilnError as error:
            self.refusal.setText(str(error))
            self.picture.clear()
            self.slider.setEnabled(False)
            return
        self.refusal.setText("")
        self.slider.setEnabled(True)
        if (film,) != self._known:
            self._known = (film,)
            self.pictures = {}
            self._waits = False
        self.slider.setRange(0, film.frames - 1)
        self.running.every(max(round(1000 / film.fps), 10))
        self._look()

    def _look(self) -> None:
        """Show the frame at the slider, or have it made."""
        if not self._known or not self.slider.isEnabled():
            return
        film, frame = self._known[0], self.slider.value()
        self.time.setText(f"{frame / film.fps:.2f} of {film.seconds:g} s")
        if frame in self.pictures:
            self._show(self.pictures[frame])
        elif not self._waits:
            self._waits = True
            self._number += 1
            self.aside.send("frame", self._number, self.job, film, frame)

    def _hear(self, answer: tuple[Any, ...]) -> None:
        kind, *values = answer
        if kind == "picture" and values[0] == self._number:
            self._waits = False
            self.pictures[values[1]] = pixmap_of(values[2])
            self._show(self.pictures[values[1]])
            if values[1] != self.slider.value():
                self._look()
        elif kind == "failed":
            self._waits = False
            if values[1]:
                print(values[1], file=sys.stderr)
            self.refusal.setText(values[0])
        elif kind == "ended":
            self.refusal.setText("What draws the frames has ended: it may have run out of memory.")

    def _show(self, picture: QPixmap) -> None:
        self.picture.setPixmap(fitting(picture, self.picture.size(), self.devicePixelRatioF()))

    def _take(self) -> None:
        try:
            moment(self.job, self.film, 0)
        except KilnError as error:
            self.refusal.setText(str(error))
            return
        self.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if not self.running.takes(event):
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._look()

    def done(self, result: int) -> None:
        """End what draws for it."""
        self.running.pause()
        self.aside.end()
        super().done(result)
