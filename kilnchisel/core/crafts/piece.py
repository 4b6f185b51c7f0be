"""Body and laid letterings to the crafted piece: parts with a mesh and the finish they take."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from kilnchisel.core.blanks.body import MAIN, Body
from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.crafts.profile import Role
from kilnchisel.core.lettering.outline import Layer

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Part:
    """A mesh of the piece. ``lettering`` is the index of the lettering it belongs to, else None, and
    ``layer`` the layer of its outline.

    ``side``: the name of the side it is made from, its mesh's uv being that side's sheet, else None.
    ``uncut``: whether it is as it would be without lettering. ``apart``: of a part of a side, whether no
    lettering reaches it where it is now.
    """

    name: str
    role: Role
    lettering: int | None
    side: str | None
    mesh: Mesh
    layer: Layer | None = None
    solid: str = MAIN
    uncut: bool = True
    apart: bool = False

    @property
    def lettered(self) -> bool:
        """Whether a lettering makes it: a part of its own, or of the blank what it bends or cuts open."""
        return self.lettering is not None or (self.side is not None and not self.uncut)

    @property
    def still(self) -> bool:
        """Whether it stays when lettering changes."""
        return (self.side is None or self.apart) and self.uncut and self.lettering is None


@dataclass(frozen=True, eq=False)
class Lamp:
    """A tube that shines: the middle line (n, 3) mm and radius of a lettering's lit glass. ``along``: from
    which share of its whole tube to which it is."""

    lettering: int
    line: Array
    radius_mm: float
    along: tuple[float, float] = (0.0, 1.0)


@dataclass(frozen=True, eq=False)
class Piece:
    """The crafted object. The parts of one ``solid`` close; solids may overlap (a handle)."""

    parts: tuple[Part, ...]
    lamps: tuple[Lamp, ...] = ()


def shell_parts(body: Body) -> tuple[Part, ...]:
    """The parts that no lettering changes."""
    return tuple(
        Part(shell.name, shell.slot, None, None, shell.mesh, solid=shell.solid) for shell in body.shells
    )
