"""What the window asks for and what it gets: plain values that go from process to process."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from kilnchisel.core.build import square_on_view, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.handover.pictures import PictureOrder
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import Camera
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.scene.lamps import toward_of
from kilnchisel.core.scene.view import View
from kilnchisel.core.shop.check import Check
from kilnchisel.core.shop.readings import Reading


@dataclass(frozen=True)
class Look:
    """How the picture is looked at in the window."""

    square_on: bool = False
    zoom: float = 1.0
    at: tuple[float, float] | None = None  # sheet point looked at when square-on


@dataclass(frozen=True)
class DraftOrder:
    """A draft to draw. ``scale`` < 1 while something moves."""

    job: Job
    index: int | None
    look: Look
    size: tuple[int, int]
    scale: float
    detail: Detail
    number: int


@dataclass(frozen=True, eq=False)
class Drawn:
    """A drawn draft with what the handles and rulers need to lie exactly on it."""

    order: DraftOrder
    pixels: Any
    view: View
    stance: Any
    middle: Any  # of the piece in the scene, (3,) mm
    half: Any  # the size of the box round the piece in its own frame, (3,) mm
    laid: tuple[Laid, ...]
    seconds: float  # that drawing it took, the geometry apart

    def reaches(self, camera: Camera) -> float:
        """How far the piece comes from its middle towards a camera, mm, at most: nearer, that is within."""
        way = toward_of(camera.turn_deg, camera.tilt_deg)
        return float(np.abs(self.stance[:3, :3].T @ way) @ self.half)


@dataclass(frozen=True, eq=False)
class Taken:
    """Readings and checks of the chosen lettering."""

    job: Job
    index: int
    readings: tuple[Reading, ...]
    checks: tuple[Check, ...]


@dataclass(frozen=True)
class MockupOrder:
    """A mockup to refine in the window, or (``picture``) one to be written to a file."""

    job: Job
    index: int | None
    look: Look
    size: tuple[int, int]
    samples: int
    number: int
    picture: PictureOrder | None = None


@dataclass(frozen=True)
class SolidOrder:
    """The piece as a file of a solid; the name's ending says which format."""

    job: Job
    name: str
    number: int


@dataclass(frozen=True)
class WatchOrder:
    """A router program's stock to be seen, so many seconds after the start; in the picture of its job, or
    from ``above``."""

    number: int
    program: int
    seconds: float
    size: tuple[int, int]
    above: bool


@dataclass(frozen=True)
class Told:
    """What there is to know of a program before it runs: ``stock`` mm, how long it takes, its cutters,
    whether it can be seen in the picture of its job, and whether it is turned about A; ``found``: what it
    leaves, in words."""

    name: str
    stock: tuple[float, float, float]
    seconds: float
    tools: tuple[str, ...]
    pictured: bool
    turned: bool
    found: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class Seen:
    """The stock at a time: ``pixels`` (h, w, 3) uint8; which cutter is at it, and the program's line;
    ``tip``: where it is, mm."""

    order: WatchOrder
    pixels: Any
    tool: str
    line: int
    tip: tuple[float, float, float]


def view_for(job: Job, index: int | None, look: Look, size: tuple[int, int]) -> View:
    """The camera of a look."""
    aspect = size[0] / size[1]
    if look.square_on:
        return square_on_view(job, index or 0, aspect, look.zoom, look.at)
    return view_of(job, aspect)
