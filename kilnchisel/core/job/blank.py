"""Blanks: the objects that are lettered, by their real sizes."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field, model_validator

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Degrees, Value


class Mug(Value):
    """An upright mug with a rolled rim and, if wanted, a handle."""

    kind: Literal["mug"] = "mug"
    diameter_mm: Annotated[float, Field(ge=40, le=160)] = 84.0
    height_mm: Annotated[float, Field(ge=40, le=220)] = 84.0
    wall_mm: Annotated[float, Field(ge=1.2, le=8)] = 1.8
    rim_mm: Annotated[float, Field(ge=1.5, le=12)] = 3.6
    handle: bool = True
    handle_deg: Degrees = -90.0

    @model_validator(mode="after")
    def _rim_covers_wall(self) -> Mug:
        if self.rim_mm < 1.2 * self.wall_mm:
            least = math.ceil(12 * self.wall_mm) / 10
            raise KilnError(
                f"A rim of {self.rim_mm:g} mm cannot close a wall of {self.wall_mm:g} mm; "
                f"make the rim at least {least:g} mm."
            )
        return self


class Plaque(Value):
    """A flat plate, rectangular or oval, with rounded edges."""

    kind: Literal["plaque"] = "plaque"
    shape: Literal["rectangle", "oval"] = "rectangle"
    width_mm: Annotated[float, Field(ge=10, le=3000)] = 200.0
    height_mm: Annotated[float, Field(ge=10, le=3000)] = 120.0
    thickness_mm: Annotated[float, Field(ge=0.5, le=100)] = 10.0
    edge_round_mm: Annotated[float, Field(ge=0.05, le=50)] = 2.0
    corner_mm: Annotated[float, Field(ge=0, le=500)] = 6.0

    @model_validator(mode="after")
    def _fits(self) -> Plaque:
        if self.edge_round_mm > self.thickness_mm / 2:
            raise KilnError(
                f"An edge round of {self.edge_round_mm:g} mm needs a plate at least "
                f"{2 * self.edge_round_mm:g} mm thick; this one has {self.thickness_mm:g} mm."
            )
        small, large = sorted((self.width_mm, self.height_mm))
        if self.shape == "rectangle" and self.corner_mm > small / 2:
            raise KilnError(
                f"Corners of {self.corner_mm:g} mm do not fit a side of {small:g} mm; "
                f"at most {small / 2:g} mm."
            )
        tightest = small * small / (2 * large)
        if self.shape == "oval" and self.edge_round_mm >= 0.9 * tightest:
            raise KilnError(
                f"An oval of {self.width_mm:g} × {self.height_mm:g} mm is too pointed for an edge "
                f"round of {self.edge_round_mm:g} mm; at most {0.9 * tightest:.1f} mm."
            )
        return self


Blank = Annotated[Mug | Plaque, Field(discriminator="kind")]
