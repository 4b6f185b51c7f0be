"""The inside of what is seen into through its own glass: lined panels, and the inner faces of panes.

Bodies are surfaces of one side; where a pane lets one look in, what is seen of the panels from within is
not what they are outside. That is for pictures only, and no part of a solid.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from kilnchisel.core.blanks.body import BEHIND
from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.crafts.piece import Piece
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.items import Item

THICK_MM = 4.0  # of a pane
LINED_MM = 12.0  # how deep a lining lies


def linings(
    piece: Piece, items: tuple[Item, ...], slots: dict[str, Material], *, moving: bool
) -> tuple[Item, ...]:
    """The inner faces of a piece that has something behind its glass; none of any other. ``moving``: only
    of what stays."""
    if not any(part.solid.startswith(BEHIND) and part.role == "seat" for part in piece.parts):
        return ()
    glazed = {
        part.solid for part, item in zip(piece.parts, items, strict=True) if _is_pane(part.role, item)
    }
    found = []
    for part, item in zip(piece.parts, items, strict=True):
        if part.solid not in glazed or (moving and not item.still):
            continue
        pane = _is_pane(part.role, item)
        mesh = _turned_over(item.mesh, THICK_MM if pane else LINED_MM)
        material = item.material if pane else slots["cabin"]
        found.append(replace(item, name=f"{item.name}, inside", side=None, mesh=mesh, material=material))
    return tuple(found)


def _is_pane(role: str, item: Item) -> bool:
    return role == "detail" and item.material.kind == "glass"


@remembered
def _turned_over(mesh: Mesh, deep_mm: float) -> Mesh:
    """A mesh so deep within, seen from the other side."""
    inner = mesh.points - deep_mm * mesh.normals
    return Mesh(inner, -mesh.normals, mesh.uv, np.ascontiguousarray(mesh.faces[:, ::-1]))
