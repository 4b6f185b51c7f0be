"""Papers that are printed on, and words set in columns on them: headings, lines, tables, from page to page.

Each page has the job, what it is and its number at its foot.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.paper.marks import (
    INK,
    PALE,
    PENCIL,
    Block,
    Line,
    Mark,
    Page,
    Words,
)
from kilnchisel.core.handover.paper.pdf import width_of

import numpy as np  # isort: skip

EDGE_MM = 12.0  # what no printer reaches, and room to hold it
TEXT_MM, SMALL_MM, HEAD_MM, TITLE_MM = 3.2, 2.7, 4.2, 7.0
LINE = 1.45  # of a size, from line to line
FOOT_MM = 7.0


@dataclass(frozen=True)
class Paper:
    """A format, upright, mm."""

    name: str
    wide_mm: float
    tall_mm: float


# ISO 216, and ANSI/ASME Y14.1 for Letter and Tabloid
PAPERS = {
    paper.name: paper
    for paper in (
        Paper("A4", 210, 297),
        Paper("A3", 297, 420),
        Paper("Letter", 215.9, 279.4),
        Paper("Tabloid", 279.4, 431.8),
    )
}


def paper_named(name: str) -> Paper:
    """A paper by its name, in any case. Raises KilnError."""
    for paper in PAPERS.values():
        if paper.name.lower() == name.strip().lower():
            return paper
    raise KilnError(f"“{name}” is no paper here; there is {', '.join(PAPERS)}.")


@dataclass
class Sheets:
    """Pages being filled from the top; ``foot``: what stands at the foot of each."""

    paper: Paper
    foot: str
    wide: bool = False  # lying instead of upright
    pages: list[Page] = field(default_factory=list)
    y: float = 0.0
    _blocks: list[Block] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.y = self.top

    @property
    def size(self) -> tuple[float, float]:
        across, tall = self.paper.wide_mm, self.paper.tall_mm
        return (tall, across) if self.wide else (across, tall)

    @property
    def top(self) -> float:
        return self.size[1] - EDGE_MM

    @property
    def low(self) -> float:
        """Where words end and the foot begins."""
        return EDGE_MM + FOOT_MM

    @property
    def box(self) -> tuple[float, float]:
        """From where to where words run."""
        return EDGE_MM, self.size[0] - EDGE_MM

    def add(self, *blocks: Block) -> None:
        """Blocks that say where they are."""
        self._blocks.extend(blocks)

    def room(self, needed: float) -> None:
        """A page with so much room, mm: the next one where this has less."""
        if self.y - needed < self.low and self._blocks:
            self.turn()

    def turn(self) -> None:
        """End this page."""
        left, right = self.box
        number = len(self.pages) + 1
        foot = (
            Words((left, EDGE_MM), self.foot, SMALL_MM, colour=PENCIL),
            Words((right, EDGE_MM), f"{number}", SMALL_MM, colour=PENCIL, align="right"),
        )
        rule = Line(np.array([[left, EDGE_MM + 4.5], [right, EDGE_MM + 4.5]]), 0.2, PALE)
        self.pages.append(Page(*self.size, (*self._blocks, Block("", (rule, *foot)))))
        self._blocks = []
        self.y = self.top

    def done(self) -> list[Page]:
        """All its pages."""
        if self._blocks or not self.pages:
            self.turn()
        return self.pages

    def words(
        self,
        text: str,
        tag: str = "P",
        size: float = TEXT_MM,
        *,
        bold: bool = False,
        colour: str = INK,
        left: float | None = None,
        right: float | None = None,
    ) -> None:
        """A heading or a paragraph, broken where it is too long, each line on the next."""
        start, end = self.box
        start, end = start if left is None else left, end if right is None else right
        marks: list[Mark] = []
        for line in broken(text, end - start, size, bold=bold):
            if not marks:
                self.room(size * LINE)
            elif self.y - size * LINE < self.low:
                self.add(Block(tag, tuple(marks)))
                marks = []
                self.turn()
            self.y -= size * LINE
            marks.append(Words((start, self.y + 0.3 * size), line, size, bold, colour))
        if marks:
            self.add(Block(tag, tuple(marks)))

    def heading(self, text: str) -> None:
        """A heading of a part, with room above it and for what follows."""
        self.room(HEAD_MM * 4)
        self.y -= HEAD_MM * 0.7 if self._blocks else 0.0
        self.words(text, "H2", HEAD_MM, bold=True)
        self.y -= 1.0

    def table(
        self, heads: tuple[str, ...], rows: list[tuple[str, ...]], shares: tuple[float, ...] | None = None
    ) -> None:
        """A table over the whole width; ``shares``: of it, by column; without them by what is in them.
        Its heads are there again on each page."""
        left, right = self.box
        wide = right - left
        if shares is None:
            most = [
                max(width_of(row[k], TEXT_MM, bold=row is heads) for row in (heads, *rows)) + 4.0
                for k in range(len(heads))
            ]
            shares = tuple(min(w, 0.5 * wide) for w in most)
            shares = (*shares[:-1], max(wide - sum(shares[:-1]), shares[-1]))
        total = sum(shares)
        at = [left + wide * sum(shares[:k]) / total for k in range(len(shares) + 1)]
        parts: list[Block] = []

        def ended() -> None:
            if parts:
                self.add(Block("Table", parts=tuple(parts)))
                parts.clear()

        def head() -> None:
            parts.append(self._row(heads, at, "TH"))

        self.room(TEXT_MM * LINE * 3)
        head()
        for row in rows:
            lines = max(len(broken(cell, at[k + 1] - at[k] - 2, TEXT_MM)) for k, cell in enumerate(row))
            if self.y - lines * TEXT_MM * LINE - 1 < self.low:
                ended()
                self.turn()
                head()
            parts.append(self._row(row, at, "TD"))
        ended()
        self.y -= 1.5

    def _row(self, row: tuple[str, ...], at: list[float], tag: str) -> Block:
        bold = tag == "TH"
        size = SMALL_MM if bold else TEXT_MM
        top, lowest = self.y, self.y
        cells = []
        for k, cell in enumerate(row):
            y = top
            marks = []
            for line in broken(cell, at[k + 1] - at[k] - 2, size, bold=bold):
                y -= size * LINE
                marks.append(Words((at[k], y + 0.3 * size), line, size, bold, PENCIL if bold else INK))
            lowest = min(lowest, y)
            cells.append(Block(tag, tuple(marks)))
        self.y = lowest - 0.8
        self.add(Block("", (Line(np.array([[at[0], self.y], [at[-1], self.y]]), 0.15, PALE),)))
        return Block("TR", parts=tuple(cells))


def broken(text: str, wide: float, size: float, *, bold: bool = False) -> list[str]:
    """Words in lines no wider than so many mm; a word that is wider alone is broken within."""
    lines: list[str] = []
    for row in text.split("\n"):
        now = ""
        for word in row.split():
            longer = f"{now} {word}" if now else word
            if width_of(longer, size, bold=bold) <= wide:
                now = longer
                continue
            if now:
                lines.append(now)
            while len(word) > 1 and width_of(word, size, bold=bold) > wide:
                fits = next(
                    k
                    for k in range(len(word) - 1, 0, -1)
                    if k == 1 or width_of(word[:k], size, bold=bold) <= wide
                )
                lines.append(word[:fits])
                word = word[fits:]
            now = word
        lines.append(now)
    return lines
