"""The camera of a photo, by whatever in it tells where it stood."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.photo import Horizon, Parallels, Photo, Rectangle, Rims, Told
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.photo.horizon import from_horizon
from kilnchisel.core.photo.lens import straightened
from kilnchisel.core.photo.parallels import from_parallels
from kilnchisel.core.photo.rectangle import from_rectangle
from kilnchisel.core.photo.rims import from_rims
from kilnchisel.core.photo.stood import Stood
from kilnchisel.core.remembered import remembered


@remembered
def stood(told: Any, lens_mm: float | None, bent: float, size: tuple[int, int]) -> Stood:
    """Where the camera of a picture of ``size`` stood. Raises KilnError where that is not told."""
    return solved(straightened(told, bent, size), lens_mm, size)


def stood_for(photo: Photo) -> Stood:
    """Where a photo's camera stood. Raises KilnError where that is not told."""
    return stood(photo.told, photo.lens_mm, photo.bent, (photo.width_px, photo.height_px))


@by_kind(Told)
def solved(told: Any, lens_mm: float | None, size: tuple[int, int]) -> Stood:
    """The camera of a lens that bends nothing."""
    raise NotImplementedError


solved.of(Rectangle)(from_rectangle)
solved.of(Parallels)(from_parallels)
solved.of(Rims)(from_rims)
solved.of(Horizon)(from_horizon)
