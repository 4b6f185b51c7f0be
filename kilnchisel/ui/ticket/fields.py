"""Fields of the ticket: a number with its unit, a choice, a colour, a switch, some words.

A field knows how to read its value from the job and how to make the next job; what it edits is given
as functions, so that one kind of field serves every section.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from PyQt6.QtCore import QEvent, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QIcon,
    QKeyEvent,
    QKeySequence,
    QPixmap,
    QTextCursor,
    QWheelEvent,
)
from PyQt6.QtWidgets import (
    QButtonGroup,
    QColorDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QProxyStyle,
    QPushButton,
    QSizePolicy,
    QStyle,
    QStyleOption,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.edits import change, limits, read
from kilnchisel.core.job.model import Job
from kilnchisel.core.units import (
    LENGTH_FACTORS,
    format_angle,
    format_length,
    format_number,
    parse_angle,
    parse_length,
    parse_plain,
)
from kilnchisel.ui.theme import look_icon, plain

PHRASE_MS = 1500

Get = Callable[[Job], Any]
Put = Callable[[Job, Any], Job]


@dataclass(frozen=True)
class Spec:
    """What a field shows and edits. ``key`` is stable: the same field keeps its widget."""

    key: str
    label: str
    get: Get
    put: Put
    kind: str  # one of KINDS
    step: float = 1.0
    options: tuple[tuple[Any, str], ...] = ()
    least: float | None = None
    most: float | None = None
    decimals: int = 2
    hint: str = ""
    pictures: str = ""  # the shelf of the resources that has a picture of each option of a menu


def at(path: tuple[str | int, ...], label: str, kind: str, **more: Any) -> Spec:
    """A field for the value at ``path`` in the job."""
    return Spec(
        key=".".join(str(step) for step in path),
        label=label,
        kind=kind,
        get=lambda job: read(job, path),
        put=lambda job, value: change(job, path, value),
        **more,
    )


def ranged(job: Job, path: tuple[str | int, ...], label: str, kind: str, **more: Any) -> Spec:
    """A numeric field with the limits of its model."""
    holder = read(job, path[:-1])
    least, most = limits(type(holder), str(path[-1]))
    return at(path, label, kind, least=least, most=most, **more)


def link(key: str, label: str, words: str, hint: str = "") -> Spec:
    """Words that are clicked; what happens is up to whoever knows the key."""
    return Spec(key, label, lambda _: words, lambda job, _: job, "link", hint=hint)


def group(
    key: str, label: str, words: str, opened: frozenset[str], fields: Callable[[], list[Spec]]
) -> list[Spec]:
    """The head of a group, and its fields where it is unfolded; folded ones are not even made."""
    head = Spec(
        f"group.{key}",
        label,
        lambda _: (words, key in opened),
        lambda job, _: job,
        "group",
    )
    return [head, *fields()] if key in opened else [head]


class Field(QWidget):
    """A labelled row. Emits ``edited`` with its spec, the value and a key under which steps merge."""

    edited = pyqtSignal(object, object, str)
    ended = pyqtSignal()

    def __init__(self, spec: Spec) -> None:
        super().__init__()
        self.spec = spec
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 3, 0, 3)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(1)
        grid.setColumnMinimumWidth(0, 92)
        grid.setColumnStretch(1, 1)
        self.label = QLabel(spec.label)
        self.label.setObjectName("small")
        self.label.setWordWrap(True)
        grid.addWidget(self.label, 0, 0)
        self.refusal = QLabel()
        self.refusal.setObjectName("refusal")
        self.refusal.setWordWrap(True)
        self.refusal.hide()
        grid.addWidget(self.refusal, 1, 1)
        self.grid = grid

    def hold(self, widget: QWidget) -> None:
        """Put the editing widget in its place and name it for assistive tools."""
        self.grid.addWidget(widget, 0, 1)
        self.label.setBuddy(widget)
        widget.setAccessibleName(self.spec.label)
        if self.spec.hint:
            widget.setToolTip(self.spec.hint)
        self.setFocusProxy(widget)

    def refuse(self, sentence: str) -> None:
        """Say why the value was not taken; an empty sentence clears it."""
        self.refusal.setText(sentence)
        self.refusal.setVisible(bool(sentence))

    def show_job(self, job: Job, unit: str) -> None:
        """Show the job's value."""
        raise NotImplementedError


UNIT_WORDS = {
    "percent": " %",
    "stops": " stops",
    "times": " ×",
    "carat": " ct",
    "kelvin": " K",
    "f-number": " f-number",
    "plain": "",
}


class NumberField(Field):
    """A number with its unit: arithmetic, other units, wheel and arrow keys."""

    def __init__(self, spec: Spec) -> None:
        super().__init__(spec)
        self.unit = "mm"
        self.value = 0.0
        self.line = _NumberLine(self)
        self.line.editingFinished.connect(self._typed)
        self.hold(self.line)

    def show_job(self, job: Job, unit: str) -> None:
        self.unit = unit
        self.value = float(self.spec.get(job))
        if not self.line.isModified():
            self._write()
            self.refuse("")

    def nudge(self, steps: float) -> None:
        """Move by ``steps`` of the field's step, kept within its range."""
        step = self.spec.step
        if self.spec.kind == "length" and self.unit == "in":
            step = LENGTH_FACTORS["in"] / 16 if step >= 1 else LENGTH_FACTORS["in"] / 64
        value = self.value + steps * step
        if self.spec.least is not None:
            value = max(value, self.spec.least)
        if self.spec.most is not None:
            value = min(value, self.spec.most)
        self.line.setModified(False)
        whole = self.spec.kind == "count"
        self.edited.emit(self.spec, round(value) if whole else round(value, 6), self.spec.key)

    def put_back(self) -> None:
        """Forget what was typed."""
        self.line.setModified(False)
        self._write()
        self.refuse("")

    def _typed(self) -> None:
        if not self.line.isModified():
            return
        try:
            value = self._parsed(self.line.text())
        except KilnError as error:
            self.refuse(str(error))
            return
        self.line.setModified(False)
        self.edited.emit(self.spec, value, "")
        if not self.refusal.isVisible():
            self._write()

    def _parsed(self, text: str) -> float:
        if self.spec.kind == "length":
            return parse_length(text, self.unit)
        if self.spec.kind == "angle":
            return parse_angle(text)
        text = text.lower()
        for word in ("stops", "stop", "×", "carats", "carat", "ct", "f-number", "f/", "kelvin", "k"):
            text = text.replace(word, "")
        value = parse_plain(text)
        return round(value) if self.spec.kind == "count" else value

    def _write(self) -> None:
        self.line.setText(self._shown(self.value))
        self.line.setModified(False)
        self.line.setCursorPosition(0)

    def _shown(self, value: float) -> str:
        if self.spec.kind == "length":
            return format_length(value, self.unit, 3 if self.unit == "in" else self.spec.decimals)
        if self.spec.kind == "angle":
            return format_angle(value)
        if self.spec.kind == "count":
            return str(round(value))
        unit = UNIT_WORDS[self.spec.kind]
        return f"{format_number(value, self.spec.decimals)}{unit}"

    def range_words(self) -> str:
        """What it is, and from where to where it goes, in the unit that is shown."""
        least, most = self.spec.least, self.spec.most
        words = ""
        if least is not None and most is not None:
            words = f"{self._shown(least)} to {self._shown(most)}"
        return f"{self.spec.hint} {words}".strip()

    def refuse(self, sentence: str) -> None:
        super().refuse(sentence)
        if bool(sentence) == bool(self.line.property("refused")):
            return  # nothing to dress anew; the first question for a style alone costs 20 ms
        self.line.setProperty("refused", bool(sentence))
        style = self.line.style()
        if style is not None:
            style.unpolish(self.line)
            style.polish(self.line)


class _NumberLine(QLineEdit):
    def __init__(self, field: NumberField) -> None:
        super().__init__()
        self.field = field

    def event(self, event: QEvent | None) -> bool:
        if _is_undo(event) and not self.isModified():
            return False  # nothing typed yet to take back: the keys are the job's
        if event is not None and event.type() == QEvent.Type.ToolTip:
            self.setToolTip(self.field.range_words())  # both may have changed since
        return super().event(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or not self.hasFocus():
            if event is not None:
                event.ignore()  # an unfocused field leaves the wheel to the ticket's scrolling
            return
        self.field.nudge(event.angleDelta().y() / 120 * _gear(event.modifiers()))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            sign = 1 if event.key() == Qt.Key.Key_Up else -1
            self.field.nudge(sign * _gear(event.modifiers()))
        elif event.key() == Qt.Key.Key_Escape and self.isModified():
            self.field.put_back()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        QTimer.singleShot(0, self.selectAll)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.field.ended.emit()


def _gear(modifiers: Qt.KeyboardModifier) -> float:
    if modifiers & Qt.KeyboardModifier.ShiftModifier:
        return 0.1
    return 10.0 if modifiers & Qt.KeyboardModifier.ControlModifier else 1.0


class ChoiceField(Field):
    """A few words side by side, one of them chosen; they wrap to as many rows as they need."""

    PER_ROW = 3

    def __init__(self, spec: Spec) -> None:
        super().__init__(spec)
        self.box = box = QWidget()
        rows = QGridLayout(box)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        self.group = QButtonGroup(self)
        self.group.setExclusive(True)
        longest = max(len(words) for _, words in spec.options)
        wide = len(spec.options) > 3 or longest > 9 or bool(spec.pictures)
        four = len(spec.options) == 4 and (longest < 8 or bool(spec.pictures))
        per_row = 4 if four else min(self.PER_ROW, len(spec.options))
        for number, (value, words) in enumerate(spec.options):
            button = self._button(spec, value, words, narrow=four)
            button.setObjectName("tile" if isinstance(button, QToolButton) else "choice")
            button.setCheckable(True)
            button.setAccessibleName(f"{spec.label}: {words}")
            self.group.addButton(button, number)
            rows.addWidget(button, number // per_row, number % per_row)
        self.group.idClicked.connect(self._chosen)
        self.hold(box)
        if wide:  # many words get the whole width, below their label
            self.grid.removeWidget(box)
            self.grid.addWidget(box, 1, 0, 1, 2)
            self.grid.addWidget(self.refusal, 2, 1)
        self.setFocusProxy(self.group.button(0))

    def show_job(self, job: Job, unit: str) -> None:
        value = self.spec.get(job)
        for number, (option, _) in enumerate(self.spec.options):
            button = self.group.button(number)
            if button is not None and option == value:
                button.setChecked(True)

    def _button(self, spec: Spec, value: Any, words: str, *, narrow: bool) -> QPushButton | QToolButton:
        if not spec.pictures:
            return QPushButton(words)
        return tile(look_icon(spec.pictures, str(value)), words, NARROW_TILE if narrow else TILE)

    def _chosen(self, number: int) -> None:
        self.edited.emit(self.spec, self.spec.options[number][0], "")
        self.ended.emit()


TILE, NARROW_TILE = QSize(74, 56), QSize(56, 42)


def tile(icon: QIcon, words: str, size: QSize) -> QToolButton:
    """A choice as its picture with its words below."""
    made = QToolButton()
    made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
    made.setIcon(icon)
    made.setIconSize(size)
    made.setText(words)
    made.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
    return made


class SwitchField(ChoiceField):
    """Yes or no, in words."""

    def __init__(self, spec: Spec) -> None:
        options = spec.options or ((True, "Yes"), (False, "No"))
        super().__init__(Spec(**{**spec.__dict__, "options": options}))


class ColourField(Field):
    """A colour as a swatch and as #rrggbb."""

    def __init__(self, spec: Spec) -> None:
        super().__init__(spec)
        box = QWidget()
        row = QHBoxLayout(box)
        row.setContentsMargins(0, 0, 0, 0)
        self.swatch = QPushButton()
        self.swatch.setObjectName("swatch")
        self.swatch.setFixedSize(QSize(46, 26))
        self.swatch.setAccessibleName(f"{spec.label}: choose a colour")
        self.swatch.setToolTip("Choose a colour")
        self.swatch.clicked.connect(self._pick)
        self.line = QLineEdit()
        self.line.setAccessibleName(f"{spec.label}: sRGB value")
        self.line.editingFinished.connect(self._typed)
        row.addWidget(self.swatch)
        row.addWidget(self.line)
        self.hold(box)
        self.setFocusProxy(self.swatch)
        self.value = "#000000"

    def show_job(self, job: Job, unit: str) -> None:
        self.value = self.spec.get(job)
        self.swatch.setStyleSheet(f"background: {self.value};")
        self.line.setText(self.value)
        self.refuse("")

    def _typed(self) -> None:
        text = self.line.text().strip().lower()
        text = text if text.startswith("#") else f"#{text}"
        if text == self.value:
            self.line.setText(self.value)
            self.refuse("")
            return
        if not QColor.isValidColorName(text) or len(text) != 7:
            self.refuse(f"“{self.line.text()}” is not a colour; write it as #rrggbb.")
            return
        self.edited.emit(self.spec, text, "")
        self.ended.emit()

    def _pick(self) -> None:
        dialog = QColorDialog(QColor(self.value), self)
        dialog.setOption(QColorDialog.ColorDialogOption.DontUseNativeDialog)
        dialog.setWindowTitle(self.spec.label)
        dialog.currentColorChanged.connect(
            lambda colour: self.edited.emit(self.spec, colour.name(), self.spec.key)
        )
        before = self.value
        if not dialog.exec():
            self.edited.emit(self.spec, before, self.spec.key)
        self.ended.emit()


class WordsField(Field):
    """Rows of text, taken over while typing."""

    def __init__(self, spec: Spec) -> None:
        super().__init__(spec)
        self.text = _WordsBox()
        self.text.left.connect(self.ended)
        self.text.setFixedHeight(66)
        self.text.setTabChangesFocus(True)
        self.text.textChanged.connect(self._typed)
        self.hold(self.text)
        self._showing = False
        # a pause in the typing ends the step, so that undo takes back a phrase and not everything
        self._breath = QTimer(self)
        self._breath.setSingleShot(True)
        self._breath.setInterval(PHRASE_MS)
        self._breath.timeout.connect(self.ended)

    def show_job(self, job: Job, unit: str) -> None:
        value = self.spec.get(job)
        if value != self.text.toPlainText():
            self._showing = True
            self.text.setPlainText(value)
            self.text.moveCursor(QTextCursor.MoveOperation.End)
            self._showing = False

    def _typed(self) -> None:
        if not self._showing:
            self._breath.start()
            self.edited.emit(self.spec, self.text.toPlainText(), self.spec.key)


class LineField(Field):
    """A few letters in one line, taken over while typing."""

    def __init__(self, spec: Spec) -> None:
        super().__init__(spec)
        self.line = _PlainLine()
        self.line.textEdited.connect(lambda text: self.edited.emit(self.spec, text, self.spec.key))
        self.line.editingFinished.connect(self.ended)
        self.hold(self.line)

    def show_job(self, job: Job, unit: str) -> None:
        value = self.spec.get(job)
        if value != self.line.text():
            at = self.line.cursorPosition()
            self.line.setText(value)
            self.line.setCursorPosition(at)


class _PlainLine(QLineEdit):
    """A line that leaves undo and redo to the job's history."""

    def event(self, event: QEvent | None) -> bool:
        return False if _is_undo(event) else super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and _undoes(event):
            event.ignore()  # up to the window
        else:
            super().keyPressEvent(event)


class _WordsBox(QPlainTextEdit):
    """A text box that leaves undo and redo to the job's history."""

    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setUndoRedoEnabled(False)

    def event(self, event: QEvent | None) -> bool:
        if _is_undo(event):
            return False
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.left.emit()


def _is_undo(event: QEvent | None) -> bool:
    """Whether a widget is about to claim the keys of undo or redo for itself."""
    override = QEvent.Type.ShortcutOverride
    return isinstance(event, QKeyEvent) and event.type() == override and _undoes(event)


def _undoes(event: QKeyEvent) -> bool:
    return event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo)


class LinkField(Field):
    """A value that is chosen elsewhere: shown as words, changed by a click."""

    def __init__(self, spec: Spec) -> None:
        super().__init__(spec)
        self.button = QPushButton()
        self.button.setObjectName("link")
        self.button.clicked.connect(lambda: self.edited.emit(self.spec, None, ""))
        self.hold(self.button)

    def show_job(self, job: Job, unit: str) -> None:
        self.button.setText(str(self.spec.get(job)))


class _LargePictures(QProxyStyle):
    """Menus whose pictures are large enough to choose by."""

    def pixelMetric(
        self, metric: QStyle.PixelMetric, option: QStyleOption | None = None, widget: QWidget | None = None
    ) -> int:
        if metric == QStyle.PixelMetric.PM_SmallIconSize:
            return LOOK_PX
        return super().pixelMetric(metric, option, widget)


LOOK_PX = 38


@lru_cache(maxsize=1)
def large_pictures() -> QStyle:
    """The style of these menus. The first of any style costs 20 ms: what PyQt makes of its lists."""
    return _LargePictures("Fusion")


class MenuField(Field):
    """One of many, behind a button that names the present one."""

    def __init__(self, spec: Spec) -> None:
        super().__init__(spec)
        self.button = QPushButton()
        self.button.setObjectName("menu")
        self.list = QMenu(self.button)
        if spec.pictures:
            self.list.setObjectName("looks")
            self.list.setStyle(large_pictures())
            self.button.setIconSize(QSize(30, 23))
        else:  # the toolkit leaves out the padding of a button with a menu
            room = QPixmap(2, 2)
            room.fill(Qt.GlobalColor.transparent)
            self.button.setIcon(QIcon(room))
            self.button.setIconSize(room.size())
        for value, words in spec.options:
            action = self.list.addAction(plain(words))
            if spec.pictures and action is not None:
                action.setIcon(look_icon(spec.pictures, str(value)))
                action.setIconVisibleInMenu(True)
            if action is not None:
                action.triggered.connect(lambda _=False, v=value: self._chosen(v))
        self.button.setMenu(self.list)
        self.hold(self.button)

    def show_job(self, job: Job, unit: str) -> None:
        value = self.spec.get(job)
        words = next((words for option, words in self.spec.options if option == value), str(value))
        self.button.setText(plain(words))
        if self.spec.pictures:
            self.button.setIcon(look_icon(self.spec.pictures, str(value)))

    def _chosen(self, value: Any) -> None:
        self.edited.emit(self.spec, value, "")
        self.ended.emit()


class GroupField(Field):
    """The head of a group of fields: its name, and its values in a few words while it is folded."""

    def __init__(self, spec: Spec) -> None:
        super().__init__(spec)
        self.label.hide()
        self.button = QPushButton()
        self.button.setObjectName("group")
        self.button.setCheckable(True)
        self.button.clicked.connect(lambda: self.edited.emit(self.spec, None, ""))
        row = QHBoxLayout(self.button)
        row.setContentsMargins(0, 5, 0, 5)
        row.setSpacing(8)
        self.name = QLabel(spec.label)
        self.name.setObjectName("groupname")
        self.words = QLabel()
        self.words.setObjectName("small")
        for label in (self.name, self.words):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        row.addWidget(self.name)
        row.addWidget(self.words, 1)
        self.grid.addWidget(self.button, 0, 0, 1, 2)
        self.button.setAccessibleName(spec.label)
        self.setFocusProxy(self.button)

    def show_job(self, job: Job, unit: str) -> None:
        words, open_ = self.spec.get(job)
        self.button.setChecked(open_)
        room = 272 - self.name.sizeHint().width() - 14
        metrics = self.words.fontMetrics()
        self.words.setText("" if open_ else metrics.elidedText(words, Qt.TextElideMode.ElideRight, room))
        self.button.setToolTip("" if open_ else plain(words))
        self.button.setAccessibleDescription("unfolded" if open_ else words)
        self.button.setFixedHeight(self.name.sizeHint().height() + 12)


class LetterField(Field):
    """The letters of the wording side by side; the chosen one is what the fields below are about."""

    PER_ROW = 10

    def __init__(self, spec: Spec) -> None:
        super().__init__(spec)
        self.label.hide()
        box = QWidget()
        grid = QGridLayout(box)
        grid.setContentsMargins(0, 2, 0, 2)
        grid.setSpacing(2)
        self.group = QButtonGroup(self)
        self.group.setExclusive(True)
        for number, (place, character) in enumerate(spec.options[:MOST_LETTERS]):
            button = QPushButton(plain(character))
            button.setObjectName("letter")
            button.setCheckable(True)
            button.setFixedSize(QSize(25, 25))
            button.setAccessibleName(f"Letter {number + 1}: {character}")
            self.group.addButton(button, place)
            grid.addWidget(button, number // self.PER_ROW, number % self.PER_ROW)
        grid.setColumnStretch(self.PER_ROW, 1)
        self.group.idClicked.connect(lambda place: self.edited.emit(self.spec, place, ""))
        self.hold(box)
        self.grid.removeWidget(box)
        self.grid.addWidget(box, 0, 0, 1, 2)
        self.setFocusProxy(self.group.buttons()[0])

    def show_job(self, job: Job, unit: str) -> None:
        button = self.group.button(self.spec.get(job))
        if button is not None:
            button.setChecked(True)


MOST_LETTERS = 120

KINDS: dict[str, type[Field]] = {
    "menu": MenuField,
    "group": GroupField,
    "letter": LetterField,
    "scope": ChoiceField,
    "plain": NumberField,
    "count": NumberField,
    "length": NumberField,
    "angle": NumberField,
    "percent": NumberField,
    "stops": NumberField,
    "times": NumberField,
    "carat": NumberField,
    "kelvin": NumberField,
    "f-number": NumberField,
    "choice": ChoiceField,
    "switch": SwitchField,
    "colour": ColourField,
    "words": WordsField,
    "line": LineField,
    "link": LinkField,
}


class Form(QWidget):
    """A column of fields. It is rebuilt only when other fields are wanted."""

    edited = pyqtSignal(object, object, str)
    ended = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 2, 0, 8)
        self.column.setSpacing(2)
        self.fields: dict[str, Field] = {}

    def show_specs(self, specs: list[Spec], job: Job, unit: str) -> None:
        """Show these fields with the job's values."""
        shape = [(spec.key, spec.label, spec.kind, spec.options) for spec in specs]
        present = [(f.spec.key, f.spec.label, f.spec.kind, f.spec.options) for f in self.fields.values()]
        if shape != present:
            self._rebuild(specs)
        for spec, field in zip(specs, self.fields.values(), strict=True):
            field.spec = spec
            field.show_job(job, unit)

    def _rebuild(self, specs: list[Spec]) -> None:
        kept = {(f.spec.key, f.spec.label, f.spec.kind, f.spec.options): f for f in self.fields.values()}
        for field in self.fields.values():
            self.column.removeWidget(field)
        self.fields = {}
        for spec in specs:
            found = kept.pop((spec.key, spec.label, spec.kind, spec.options), None)
            if found is None:
                found = KINDS[spec.kind](spec)
                found.edited.connect(self.edited)
                found.ended.connect(self.ended)
            self.column.addWidget(found)
            self.fields[spec.key] = found
        for field in kept.values():
            field.hide()
            field.deleteLater()
