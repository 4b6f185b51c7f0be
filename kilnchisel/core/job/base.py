"""The ground of every job value: frozen, validated at the door, unknown fields kept for later versions."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from kilnchisel.core.errors import KilnError


class Value(BaseModel):
    """An immutable part of a job. Equal values are interchangeable and hash alike."""

    model_config = ConfigDict(
        frozen=True,
        extra="allow",
        allow_inf_nan=False,
        validate_default=True,
        revalidate_instances="always",  # a copy with changed fields is checked as it enters a job
    )

    # beside its fields: neither copied, written nor sent with them
    __slots__ = ("_known_hash",)

    def __hash__(self) -> int:
        # A job is asked for it at every stage, letter by letter: it is worked out once.
        try:
            return object.__getattribute__(self, "_known_hash")  # type: ignore[no-any-return]
        except AttributeError:
            # Fields a newer version added are kept but play no part in what is built here.
            found = hash(tuple(getattr(self, name) for name in type(self).model_fields))
            object.__setattr__(self, "_known_hash", found)
            return found


Colour = Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$", to_lower=True)]
Percent = Annotated[float, Field(ge=0, le=100)]
Degrees = Annotated[float, Field(ge=-360, le=360)]


def refuse_corners(corner_mm: float, side_mm: float) -> None:
    """Raises KilnError where two round corners are more than a side has room for."""
    if 2 * corner_mm > side_mm:
        raise KilnError(
            f"Corners of {corner_mm:g} mm do not fit a side of {side_mm:g} mm; at most {side_mm / 2:g} mm."
        )
