"""Cloth that was draped once: panels as smooth surfaces over their flat patterns, read from the program's
own data (``python -m tailoring`` makes it)."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import unit
from kilnchisel.core.blanks.net import gridded
from kilnchisel.core.blanks.packing import unpacked
from kilnchisel.core.blanks.sides import true_size
from kilnchisel.core.blanks.spline import spline_slopes, splined
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.errors import KilnError
from kilnchisel.core.paths import RESOURCES
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

FOLDER = RESOURCES / "cloth"
LIES = ("laid flat", "folded")
OVER_MM = 5.0


@dataclass(frozen=True, eq=False)
class Run:
    """A part of a panel's outline: (n, 2) mm, both ends included. ``seam``: what it is sewn along, "" where
    it is a free edge."""

    points: Array
    seam: str


@dataclass(frozen=True, eq=False)
class Panel:
    """A piece of cloth. ``runs`` go round its pattern counter-clockwise as it is read from outside;
    ``rib``: it is knitted rib; ``thick_mm``: how thick it is. ``values`` (rows, columns, 3): coefficients
    of cubic B-splines ``step`` mm apart from ``corner`` on."""

    name: str
    runs: tuple[Run, ...]
    rib: bool
    thick_mm: float
    corner: Array
    step: float
    values: Array

    @cached_property
    def outline(self) -> shapely.Polygon:
        """Its flat pattern."""
        return shapely.Polygon(np.concatenate([run.points[:-1] for run in self.runs]))

    def place(self, uv: Array) -> Array:
        """Places on the cloth as it is draped, (n, 2) mm of the pattern -> (n, 3) mm."""
        return splined(self.values, self._steps_to(uv))

    def slopes(self, uv: Array) -> tuple[Array, Array]:
        """The steps on the cloth for a step along u and along v, (n, 3) each."""
        along, up = spline_slopes(self.values, self._steps_to(uv))
        return along / self.step, up / self.step

    def normal(self, uv: Array) -> Array:
        """The way that the cloth looks at places, (n, 3), unit."""
        return unit(np.cross(*self.slopes(uv)))

    def _steps_to(self, uv: Array) -> Array:
        return np.asarray((np.asarray(uv) - self.corner) / self.step)


@dataclass(frozen=True, eq=False)
class ClothSide(Surface):
    """A side of cloth: its sheet is the flat pattern, to which lettering is true when it is ironed,
    whatever the cloth gives where it hangs. ``sloped``: the slopes of its place, where they are known."""

    sloped: Callable[[Array], tuple[Array, Array]] | None = None

    def _slopes(self, uv: Array) -> tuple[Array, Array]:
        return super()._slopes(uv) if self.sloped is None else self.sloped(uv)

    def jacobian(self, uv: Array) -> Array:
        return true_size(len(uv))

    def true_at(self, spot: Array) -> Array:
        return np.eye(2)


@dataclass(frozen=True, eq=False)
class Draped:
    """A garment as it came to rest. ``lift_mm``: how much higher it is here than where its pattern lies."""

    panels: tuple[Panel, ...]
    lift_mm: float

    def named(self, name: str) -> Panel:
        """A panel by its name. Raises KeyError."""
        return {panel.name: panel for panel in self.panels}[name]


def path_of(garment: str, size: str, shown: str = "worn") -> Path:
    """Where the cloth of a garment in a size is kept, as it is shown."""
    name = f"{garment} {size.lower()}" + (f" {shown}" if shown != "worn" else "")
    return FOLDER / f"{name.replace(' ', '-')}.npz"


@remembered
def draped(garment: str, size: str, shown: str = "worn") -> Draped:
    """The panels of a garment in a size as it is shown, the lowest place of the cloth on z = 0; what lies,
    its back on y = 0. Raises KilnError where the program's data is not whole."""
    path = path_of(garment, size, shown)
    try:
        with np.load(path, allow_pickle=False) as held:
            head = json.loads(held["head"].tobytes())
            rings = [held[f"ring{number}"] for number in range(len(head["panels"]))]
            lattices = [unpacked(held[f"values{number}"]) for number in range(len(head["panels"]))]
    except (OSError, ValueError, KeyError) as error:
        raise KilnError(
            f"The cloth of this garment cannot be read from {path.name}; install anew."
        ) from error
    panels = []
    for told, ring, lattice in zip(head["panels"], rings, lattices, strict=True):
        values = lattice * head["grain_mm"]
        points = gridded(np.append(ring, ring[:1], axis=0).astype(float))
        runs, at = [], 0
        for seam, count in told["edges"]:
            runs.append(Run(points[at : at + count + 1], seam))
            at += count
        corner = np.array(told["corner"])
        panels.append(
            Panel(told["name"], tuple(runs), told["rib"], told["thick_mm"], corner, told["step"], values)
        )
    low = min(float(panel.place(run.points)[:, 2].min()) for panel in panels for run in panel.runs)
    back = max(float(_within(panel)[:, 1].max()) for panel in panels) if shown in LIES else 0.0
    for panel in panels:
        panel.values[..., 1] -= back
        panel.values[..., 2] -= low
    return Draped(tuple(panels), -low)


def _within(panel: Panel) -> Array:
    """Places all over a panel, (n, 3)."""
    west, south, east, north = panel.outline.bounds
    u, v = np.meshgrid(np.arange(west, east, OVER_MM), np.arange(south, north, OVER_MM))
    uv = np.stack([u.ravel(), v.ravel()], axis=1)
    ring = shapely.get_coordinates(panel.outline.exterior)
    return panel.place(np.concatenate([uv[shapely.contains_xy(panel.outline, uv)], ring]))
