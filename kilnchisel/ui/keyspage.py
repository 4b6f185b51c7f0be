"""Pages of words: the keys and gestures, made from the same table as the menu, and what the program is."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from kilnchisel.ui.commands import COMMANDS, GESTURES


class KeysPage(QDialog):
    """Everything that can be done, and how."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and gestures")
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 18, 22, 18)
        title = QLabel("Keys and gestures")
        title.setObjectName("heading")
        column.addWidget(title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(24)
        grid.setVerticalSpacing(5)
        rows = [(command.keys, command.words.rstrip("…")) for command in COMMANDS if command.keys]
        for place, entries in ((0, rows), (3, [(a, b) for a, b in GESTURES])):
            for row, (keys, words) in enumerate(entries):
                left, right = QLabel(keys), QLabel(words)
                left.setObjectName("figure" if place == 0 else "small")
                right.setObjectName("" if place == 0 else "small")
                grid.addWidget(left, row, place)
                grid.addWidget(right, row, place + 1)
        grid.setColumnMinimumWidth(2, 12)
        column.addLayout(grid)
        close = QPushButton("Close")
        close.clicked.connect(self.accept)
        column.addWidget(close)


class AboutPage(QDialog):
    """What the program is, and what it draws with here."""

    def __init__(self, rows: list[tuple[str, str]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("About")
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 18, 22, 18)
        grid = QGridLayout()
        grid.setHorizontalSpacing(24)
        grid.setVerticalSpacing(6)
        for row, (label, words) in enumerate(rows):
            left, right = QLabel(label), QLabel(words)
            left.setObjectName("small" if row else "heading")
            right.setObjectName("" if row else "heading")
            right.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            grid.addWidget(left, row, 0)
            grid.addWidget(right, row, 1)
        column.addLayout(grid)
        close = QPushButton("Close")
        close.clicked.connect(self.accept)
        column.addWidget(close)
