"""A time that is dragged, or runs by itself: a button, a slider, and the time in words."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSlider, QWidget


class RunBar(QWidget):
    """``moved``: the slider is elsewhere."""

    moved = pyqtSignal()

    def __init__(
        self, what: str, step: Callable[[], int], waits: Callable[[], bool], *, over: bool
    ) -> None:
        """``step``: how far it goes at a turn; ``waits``: whether the last picture is still awaited, so
        that a turn is left out; ``over``: at the end it begins anew, else it stops there."""
        super().__init__()
        self._step, self._waits, self._over = step, waits, over
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.button = QPushButton("Run")
        self.button.setToolTip("Space")
        self.button.setAutoDefault(False)
        self.button.clicked.connect(self.run_or_pause)
        row.addWidget(self.button)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName(what)
        self.slider.valueChanged.connect(lambda _: self.moved.emit())
        self.slider.sliderPressed.connect(self.pause)
        row.addWidget(self.slider, 1)
        self.time = QLabel()
        self.time.setMinimumWidth(130)
        self.time.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.time)
        self._clock = QTimer(self)
        self._clock.setInterval(100)
        self._clock.timeout.connect(self._turn)

    @property
    def runs(self) -> bool:
        return self._clock.isActive()

    def every(self, ms: int) -> None:
        """How long it is between two turns."""
        self._clock.setInterval(ms)

    def run_or_pause(self) -> None:
        """Let it run from where it is, from the start where it is done; or stop there."""
        if self.runs:
            self.pause()
        elif self.slider.isEnabled():
            if not self._over and self.slider.value() >= self.slider.maximum():
                self.slider.setValue(0)
            self.button.setText("Pause")
            self._clock.start()

    def pause(self) -> None:
        """Stop where it is."""
        self._clock.stop()
        self.button.setText("Run")

    def takes(self, event: QKeyEvent | None) -> bool:
        """Whether a key was for it: Space runs it, or stops it."""
        if event is None or event.key() != Qt.Key.Key_Space or not self.button.isEnabled():
            return False
        self.run_or_pause()
        return True

    def _turn(self) -> None:
        if self._waits():  # the picture is slower than the clock
            return
        there, most = self.slider.value() + self._step(), self.slider.maximum()
        self.slider.setValue(there % (most + 1) if self._over else min(there, most))
        if not self._over and there >= most:
            self.pause()
