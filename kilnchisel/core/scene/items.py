"""What is drawn: meshes with their materials."""

from __future__ import annotations

from dataclasses import dataclass

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.finishes.material import Material


@dataclass(frozen=True, eq=False)
class Item:
    """A mesh in the piece's frame with its material. ``side``: whose sheet its uv are on, if any;
    ``still``: whether it stays when lettering changes; ``mask``: what it is of, for whoever wants to know
    which pixels are; ``catches``: it is part of the photo, of which only its light and shadow are shown;
    ``lettered``: a lettering makes it, whatever it is of."""

    name: str
    side: str | None
    mesh: Mesh
    material: Material
    still: bool = True
    mask: str = "blank"
    catches: bool = False
    lettered: bool = False
