"""The ground of every job value: frozen, validated at the door, unknown fields kept for later versions."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints


class Value(BaseModel):
    """An immutable part of a job. Equal values are interchangeable and hash alike."""

    model_config = ConfigDict(
        frozen=True,
        extra="allow",
        allow_inf_nan=False,
        validate_default=True,
        revalidate_instances="always",  # a copy with changed fields is checked as it enters a job
    )

    def __hash__(self) -> int:
        # Fields a newer version added are kept but play no part in what is built here.
        return hash(tuple(getattr(self, name) for name in type(self).model_fields))


Colour = Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$", to_lower=True)]
Percent = Annotated[float, Field(ge=0, le=100)]
Degrees = Annotated[float, Field(ge=-360, le=360)]
