"""What lies in pieces on a sheet of maps goes on beyond their rims, so that nothing else bleeds in."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.picture.baked import Maps

Array = NDArray[Any]

GUTTER = 8  # texels round each piece: enough for three halvings of the maps


def spread(into: Maps, maps: Maps, wide: int, at: tuple[int, int] | None = None) -> None:
    """Lay maps into others, so many texels round them too, where there is a place for them: what is nothing
    near a rim becomes as that is nearest. ``at``: their top and left there; None: they are the same, and
    keep what they have."""
    import cv2

    margin = 0 if at is None else wide
    part = np.pad(maps.part, margin, constant_values=-1)
    empty = (part < 0).astype(np.uint8)
    if not (part >= 0).any():
        return
    far, label = cv2.distanceTransformWithLabels(empty, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    here = np.flatnonzero(part.ravel() >= 0)
    nearest = np.zeros(int(label.max()) + 1, np.int64)
    nearest[label.ravel()[here]] = here
    known = far <= wide + 1
    if at is None:
        known &= part < 0
    # back to the side's own texels, without the gutter that was put round it
    y, x = np.divmod(nearest[label[known]], part.shape[1])
    y, x = y - margin, x - margin
    top, left = (0, 0) if at is None else at
    window = np.s_[
        top - margin : top - margin + part.shape[0], left - margin : left - margin + part.shape[1]
    ]
    for mine, own in (
        (into.colour, maps.colour),
        (into.roughness, maps.roughness),
        (into.metal, maps.metal),
        (into.height, maps.height),
        (into.normal, maps.normal),
    ):
        mine[window][known] = own[y, x]
    if maps.emission is not None:
        if into.emission is None:
            into.emission = np.zeros((*into.shape, 3), np.float16)
        into.emission[window][known] = maps.emission[y, x]
