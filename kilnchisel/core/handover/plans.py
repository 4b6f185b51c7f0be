"""A drawing at 1:1 as a shop takes it: over pages, on one page, and as DXF."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from kilnchisel.core.handover.paper.marks import Drawing, Page
from kilnchisel.core.handover.paper.pdf import pdf_of
from kilnchisel.core.handover.paper.sheets import Paper
from kilnchisel.core.handover.paper.tiles import tiled, whole
from kilnchisel.core.handover.vectors import dxf_of, groups_of


def plan_files(
    name: str, title: str, drawing: Drawing, words: str, paper: Paper, before: Sequence[Page] = ()
) -> dict[str, bytes]:
    """The files of a drawing, bytes by their names; ``before``: pages that come before its own. Raises
    KilnError where it takes too many pages."""
    return {
        f"{name}.pdf": pdf_of(title, [*before, *tiled(drawing, paper, title)]),
        f"{name}-whole.pdf": pdf_of(title, [whole(drawing, title)]),
        f"{name}.dxf": dxf_of(title, groups_of(drawing), words),
    }


def named_for(stem: str, side: str, sides: Collection[object]) -> str:
    """What a file of a side is called: by the stem alone where there is one side only."""
    return stem if len(sides) == 1 else f"{stem}-{side.replace(' ', '-')}"
