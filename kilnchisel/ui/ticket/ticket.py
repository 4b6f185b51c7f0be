"""The ticket: the letterings at its head, then the sections, each one sentence until unfolded."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QCoreApplication, QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.blanks.bodies import sides_known
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.setpictures import alike
from kilnchisel.core.job.crafts import Fitting
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.job.words.crafts import craft_words
from kilnchisel.core.job.words.sections import sentence
from kilnchisel.ui.session import Session
from kilnchisel.ui.theme import plain
from kilnchisel.ui.ticket.fields import Field, Form, Spec
from kilnchisel.ui.ticket.handover import HandOver
from kilnchisel.ui.ticket.sections import SECTIONS, TITLES, specs
from kilnchisel.ui.ticket.sets import SetField

WIDTH = 324


class Section(QWidget):
    """A head that tells the section in a sentence, and the form below it when unfolded."""

    asked = pyqtSignal(str)

    def __init__(self, key: str, number: int, body: QWidget) -> None:
        super().__init__()
        self.key = key
        self.body = body
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.head = QPushButton()
        self.head.setObjectName("section")
        self.head.setAccessibleName(f"Section {number}, {TITLES[key]}")
        self.head.clicked.connect(lambda: self.asked.emit(self.key))
        grid = QGridLayout(self.head)
        grid.setContentsMargins(14, 7, 20, 8)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(1)
        self.number = QLabel(str(number))
        self.number.setObjectName("pencil")
        self.number.setFixedWidth(14)
        self.title = QLabel(TITLES[key])
        self.title.setObjectName("title")
        self.words = QLabel()
        self.words.setObjectName("small")
        self.words.setWordWrap(True)
        self.words.setMinimumWidth(WIDTH - 70)
        for label in (self.number, self.title, self.words):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        grid.addWidget(self.number, 0, 0)
        grid.addWidget(self.title, 0, 1)
        grid.addWidget(self.words, 1, 1)
        grid.setColumnStretch(1, 1)
        # a button does not ask its layout for a height by itself
        self.head.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        column.addWidget(self.head)
        holder = QVBoxLayout()
        holder.setContentsMargins(38, 0, 22, 4)
        holder.addWidget(body)
        column.addLayout(holder)
        rule = QFrame()
        rule.setObjectName("rule")
        column.addWidget(rule)
        self.unfold(open_=False)

    def unfold(self, *, open_: bool) -> None:
        """Show or hide the form; the sentence gives way to it."""
        self.body.setVisible(open_)
        self.words.setVisible(not open_)
        self.head.setAccessibleDescription("unfolded" if open_ else self.words.text())
        self._fit()

    def say(self, words: str) -> None:
        self.words.setText(words)
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        layout = self.head.layout()
        if layout is not None:
            layout.invalidate()
            width = self.head.width() if self.head.isVisible() else WIDTH - 2
            height = layout.heightForWidth(width) if layout.hasHeightForWidth() else -1
            self.head.setFixedHeight(height if height > 0 else layout.sizeHint().height())


class LetteringLines(QWidget):
    """The letterings of the job, one line each; the chosen one is what sections 2 to 5 are about."""

    chosen = pyqtSignal(int)
    added = pyqtSignal(str)
    removed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(8, 8, 16, 6)
        self.column.setSpacing(1)
        self.lines = QVBoxLayout()
        self.lines.setSpacing(1)
        self.column.addLayout(self.lines)
        row = QHBoxLayout()
        self.add = QPushButton("Add lettering")
        self.artwork = QPushButton("Artwork…")
        self.artwork.setToolTip("Add a drawing or a picture from a file")
        self.shape = QPushButton("Shape")
        self.shape.setToolTip("Add a disc, ring, star, rule, border, badge or arrow")
        for button, kind in ((self.add, "words"), (self.artwork, "artwork"), (self.shape, "shape")):
            button.setObjectName("link")
            button.clicked.connect(lambda _=False, k=kind: self.added.emit(k))
        self.remove = QPushButton("Remove")
        self.remove.setObjectName("link")
        self.remove.setToolTip("Remove the chosen lettering")
        self.remove.clicked.connect(self.removed)
        row.setSpacing(0)
        row.addWidget(self.add)
        row.addWidget(self.artwork)
        row.addWidget(self.shape)
        row.addStretch(1)
        row.addWidget(self.remove)
        self.column.addLayout(row)
        self.buttons: list[QPushButton] = []

    def show_job(self, session: Session) -> None:
        letterings = session.job.letterings
        while len(self.buttons) > len(letterings):
            self.buttons.pop().deleteLater()
        while len(self.buttons) < len(letterings):
            button = QPushButton()
            button.setObjectName("lettering")
            button.setCheckable(True)
            number = len(self.buttons)
            button.clicked.connect(lambda _=False, n=number: self.chosen.emit(n))
            self.lines.addWidget(button)
            self.buttons.append(button)
        for number, (button, lettering) in enumerate(zip(self.buttons, letterings, strict=True)):
            words = one_line(lettering)
            craft = lettering.craft
            made = craft_words(craft).split(",")[0].split(" ")[0].lower()
            if isinstance(craft, Fitting):
                made = craft.form
            shown = button.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, WIDTH - 110)
            state = "hidden" if lettering.hidden else f"{made}, locked" if lettering.locked else made
            button.setText(plain(f"{shown}   ·   {state}"))
            button.setAccessibleName(f"Lettering {number + 1}: {words}, {state}")
            button.setChecked(number == session.index)
        self.remove.setVisible(bool(letterings))


class Ticket(QWidget):
    """All sections of the job."""

    link_wanted = pyqtSignal(str)
    set_pictures_wanted = pyqtSignal(object)  # a job; None: they are not seen
    groups_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("ticket")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(WIDTH)
        self.session = session
        self.unit = "mm"
        self.open_section: str | None = "wording"
        self.open_groups: frozenset[str] = frozenset()
        # what the Lay section showed last: its fields, of which job and lettering
        self._lay: tuple[Job, int | None, tuple[Spec, ...]] = (session.job, None, ())
        self._waits = False
        self.draft_comes: Callable[[], bool] = lambda: False  # whether the present job is being drawn
        self.letterings = LetteringLines()
        self.letterings.chosen.connect(session.choose)
        self.handover = HandOver()
        self.forms: dict[str, Form] = {}
        self.sections: dict[str, Section] = {}
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.letterings)
        rule = QFrame()
        rule.setObjectName("rule")
        column.addWidget(rule)
        for number, key in enumerate(SECTIONS, start=1):
            if key == "hand-over":
                body: QWidget = self.handover
            else:
                form = Form()
                form.edited.connect(self._edited)
                form.ended.connect(session.end_step)
                self.forms[key] = form
                body = form
            section = Section(key, number, body)
            section.asked.connect(self.toggle)
            self.sections[key] = section
            column.addWidget(section)
        column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        self.scroller = scroll
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 1, 0)
        outer.addWidget(scroll)
        session.changed.connect(self.show_job)
        self.show_job()

    def toggle(self, key: str) -> None:
        """Unfold a section, fold the one that was open."""
        self.open_section = None if self.open_section == key else key
        self.show_job()
        if self.open_section is not None:
            section = self.sections[self.open_section]
            self.scroller.ensureWidgetVisible(section, 0, 8)

    def show_section(self, key: str) -> None:
        """Unfold a section if it is folded."""
        if self.open_section != key:
            self.toggle(key)

    def show_job(self) -> None:
        job, index = self.session.job, self.session.index
        self.letterings.show_job(self.session)
        if self.open_section == "hand-over":
            self.handover.show_fields()
        for key, section in self.sections.items():
            section.say(sentence(job, key, index))
            # of those that are folded nobody sees the fields
            wanted = self._specs(key) if key == self.open_section and key in self.forms else []
            waits = key == "lay" and self._waits
            usable = key == "hand-over" or bool(wanted) or waits or key != self.open_section
            section.unfold(open_=key == self.open_section and usable)
            if key == self.open_section and key in self.forms:
                self.forms[key].show_specs(wanted, job, self.unit)
        self.set_pictures_wanted.emit(job if self.open_section == "setting" else None)

    def show_set_picture(self, job: Job, name: str, pixels: Any) -> None:
        """A picture of the job in a set has come."""
        field = self.forms["setting"].fields.get("setting.set")
        if isinstance(field, SetField) and alike(job, self.session.job):
            field.show_picture(name, pixels)

    def drop_fields(self) -> None:
        """Let go of all fields: they are made again when the job is shown next."""
        for form in self.forms.values():
            form.show_specs([], self.session.job, self.unit)
        self.handover.drop_fields()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    def _specs(self, key: str) -> list[Spec]:
        session = self.session
        if key == "lay" and self._lay_waits():
            return list(self._lay[2])
        found = specs(session.job, key, session.index, self.open_groups, session.letter)
        if key == "lay":
            self._lay = (session.job, session.index, tuple(found))
        return found

    def _lay_waits(self) -> bool:
        """Whether the Lay section stays as it is (empty, where it shows something else) until the sides of
        the blank come with its draft: to make them here might take a second."""
        (before, index, fields), job = self._lay, self.session.job
        same = (
            type(job.blank) is type(before.blank)
            and job.model_copy(update={"blank": before.blank}) == before
            and index == self.session.index
        )
        self._waits = not sides_known(job.blank) and (bool(fields and same) or self.draft_comes())
        if self._waits and not same:
            self._lay = (job, self.session.index, ())
        return self._waits

    def sides_came(self, *, none: bool = False) -> None:
        """A draft has come, ``none``: will not come: what waited for it can be shown."""
        if self._waits and (none or sides_known(self.session.job.blank)):
            self._lay = (self.session.job, None, ())
            self.show_job()

    def open_group(self, key: str, *, open_: bool | None = None) -> None:
        """Unfold a group of fields, or fold it again."""
        wanted = key not in self.open_groups if open_ is None else open_
        self.open_groups = self.open_groups | {key} if wanted else self.open_groups - {key}
        self.show_job()
        self.groups_changed.emit()

    def _edited(self, spec: Spec, value: Any, merge: str) -> None:
        if spec.kind == "link":
            self.link_wanted.emit(spec.key)
            return
        if spec.kind == "group":
            self.open_group(spec.key.removeprefix("group."))
            return
        if spec.kind == "scope":
            others = frozenset(key for key in self.open_groups if not key.startswith("scope."))
            self.open_groups = others | {f"scope.{value}"}
            self.show_job()
            return
        if spec.kind == "letter":
            self.session.choose_letter(value)
            return
        field = self._field(spec)
        try:
            job = spec.put(self.session.job, value)
        except KilnError as error:
            if field is not None:
                field.refuse(str(error))
            return
        if field is not None:
            field.refuse("")
        self.session.put(job, _words(spec, value), merge and f"{spec.key}@{self.session.index}")

    def _field(self, spec: Spec) -> Field | None:
        for form in self.forms.values():
            if spec.key in form.fields:
                return form.fields[spec.key]
        return None


def _words(spec: Spec, value: Any) -> str:
    """Words for the undo step: the field's own label and the value as it is shown."""
    label = spec.label[0].lower() + spec.label[1:]
    for option, words in spec.options:
        if option == value:
            return f"{label} {words.lower()}"
    if isinstance(value, float | int):
        unit = {"length": " mm", "angle": "°", "percent": " %", "stops": " stops"}.get(spec.kind, "")
        return f"{label} {value:.3g}{unit}"
    return label if spec.kind == "words" else f"{label} {value}"
