"""The sets as small pictures of the piece itself."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QFontMetrics, QIcon, QPixmap
from PyQt6.QtWidgets import QToolButton

from kilnchisel.core.job.model import Job
from kilnchisel.ui.images import pixmap_of
from kilnchisel.ui.ticket.fields import KINDS, ChoiceField, Spec, tile

PICTURE = QSize(78, 52)


class SetField(ChoiceField):
    """One tile a set; none is chosen once a part of the setting was changed."""

    def __init__(self, spec: Spec) -> None:
        super().__init__(spec)
        self.label.hide()
        self.grid.removeWidget(self.box)
        self.grid.addWidget(self.box, 0, 0, 1, 2)
        for number, (_, words) in enumerate(spec.options):
            button = self.group.button(number)
            assert button is not None
            button.setText(_in_two(words, button.fontMetrics()))
            button.setToolTip(words)
            button.setMinimumHeight(PICTURE.height() + 2 * button.fontMetrics().height() + 12)

    def _button(self, spec: Spec, value: Any, words: str, *, narrow: bool) -> QToolButton:
        empty = QPixmap(PICTURE)
        empty.fill(Qt.GlobalColor.transparent)
        return tile(QIcon(empty), words, PICTURE)

    def show_job(self, job: Job, unit: str) -> None:
        value = self.spec.get(job)
        self.group.setExclusive(False)
        for number, (option, _) in enumerate(self.spec.options):
            button = self.group.button(number)
            assert button is not None
            button.setChecked(option == value)
        self.group.setExclusive(True)

    def show_picture(self, name: str, pixels: Any) -> None:
        """Put a picture (h, w, 3) uint8 on the tile of a set."""
        icon = QIcon(pixmap_of(pixels))
        for number, (option, _) in enumerate(self.spec.options):
            button = self.group.button(number)
            if option == name and button is not None:
                button.setIcon(icon)


def _in_two(words: str, metrics: QFontMetrics) -> str:
    """Words in two lines about as long as each other, where one would not do."""
    if metrics.horizontalAdvance(words) <= PICTURE.width() or " " not in words:
        return words
    parts = words.split(" ")
    ways = [(" ".join(parts[:k]), " ".join(parts[k:])) for k in range(1, len(parts))]
    return "\n".join(min(ways, key=lambda way: max(metrics.horizontalAdvance(line) for line in way)))


KINDS["set"] = SetField
