"""What part of which picture is sampled, and sampling it in slices that can be stopped between."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.picture.apart import Draw, Sampled
from kilnchisel.core.picture.refined import Wish
from kilnchisel.core.picture.tracing import Slice, TracedScene
from kilnchisel.core.scene.view import View

Array = NDArray[Any]
Stop = Callable[[], bool]

# pixels x samples a slice: about 0.1 s on two cores; a third larger, pictures take a tenth less
SLICE = 180_000
GUIDE_SAMPLES = 24  # at least, of what tells edges
FIRST_GUIDES = 3  # besides those of the first samples, so that edges are smooth from the first look on


@dataclass(frozen=True, eq=False)
class Asked:
    """What is asked of the tracer: a picture of ``size`` with so many samples, and what is wished for with
    it; ``looks``: sample counts at which it is wanted on the way; ``progress`` hears the share done."""

    view: View
    size: tuple[int, int]
    samples: int
    stop: Stop
    progress: Callable[[float], None]
    looks: tuple[int, ...] = ()
    wish: Wish | None = None

    @property
    def steps(self) -> tuple[int, ...]:
        """The sample counts at which a picture is wanted."""
        return (*(n for n in self.looks if n < self.samples), self.samples)

    @property
    def frame(self) -> Frame:
        """All of the picture."""
        return Frame(self.view, self.size)


class Cancelled(Exception):
    """The picture is not wanted any more."""


@dataclass(frozen=True, eq=False)
class Frame:
    """A picture of ``size`` seen by ``view``, or of that the pixels of a ``box``: rows and columns."""

    view: View
    size: tuple[int, int]
    box: tuple[slice, slice] | None = None

    @property
    def rows(self) -> tuple[int, int]:
        return (0, self.size[1]) if self.box is None else (self.box[0].start, self.box[0].stop)

    @property
    def columns(self) -> tuple[int, int]:
        return (0, self.size[0]) if self.box is None else (self.box[1].start, self.box[1].stop)

    @property
    def pixels(self) -> int:
        """How many there are."""
        (first, last), (left, right) = self.rows, self.columns
        return (last - first) * (right - left)

    @property
    def high_deg(self) -> float:
        """The angle of the whole picture's height."""
        return float(2 * np.degrees(np.arctan(self.view.tall)))

    def of(self, values: Array) -> Array:
        """Of values of the whole picture, (h, w) or (h, w, n), those of the box."""
        return values if self.box is None else values[self.box]

    def over(self, whole: Array, values: Array) -> Array:
        """Values of the whole picture with those of the box laid over."""
        if self.box is None:
            return values
        made = whole.copy()
        made[self.box] = values
        return made

    def step(self, left: int) -> int:
        """How many samples are taken at once of so many that are left."""
        return int(np.clip(SLICE // max(self.pixels, 1), 1, left))

    def parting(self, stop: Stop) -> Sampled:
        """Its samples as a ``Parting`` asks for them: what draws, how many, from which one on."""
        return lambda draw, count, had: self.sampled(draw, count, 7 * had + 1, stop, had)

    def masks(self, traced: TracedScene, samples: int, stop: Stop) -> tuple[Array, tuple[str, ...]]:
        """The sum of so many samples of what ``TracedScene.masks`` tells of its pixels, and the names."""
        names: list[tuple[str, ...]] = []

        def draw(part: Slice) -> Array:
            values, found = traced.masks(part)
            names.append(found)
            return values

        return self.sampled(draw, samples, 3, stop), names[0]

    def sampled(self, draw: Draw, samples: int, seed: int, stop: Stop, had: int = 0) -> Array:
        """Samples of its pixels, in bands of rows small enough to stop between. ``had``: how many there
        have been of this kind. Raises Cancelled."""
        (top, low), across = self.rows, self.columns
        bands = max(1, -(-self.pixels * samples // SLICE))
        rows = np.linspace(top, low, bands + 1).astype(int)
        strips = []
        for number, (first, last) in enumerate(pairwise(rows)):
            if stop():
                raise Cancelled
            if last > first:
                here = int(first), int(last)
                part = Slice(self.view, self.size, here, samples, seed * 4099 + number, had, across)
                strips.append(draw(part))
        return np.concatenate(strips)
