"""Which part of a draft a change of lettering changes: where letters are, and where they were. All else of
the sheets they are on stays as it was drawn; they cost the most to draw, and letters are small."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.finishes.material import Material
from kilnchisel.core.picture.card import weakly
from kilnchisel.core.picture.shot import Shot

Array = NDArray[Any]
Box = tuple[int, int, int, int]  # of pixels: left, low, right, high; past the last

SHARE, PIXELS = 0.05, 3  # of the box's smaller side, and besides: how far the round of an edge may reach
WHOLE = {"texture", "covers"}  # of a material: known by what they are, not by their values


def sheets_of(shot: Shot) -> tuple[Any, ...] | None:
    """Equal for two pictures that differ, of all that a change of lettering may change, in letters alone.
    None where they change more than where they are: something shines, or film blurs what is behind it."""
    scene = shot.scene
    items = [item for item in scene.items if not item.still]
    if shot.detail.fine or shot.photo is not None or scene.lamps is not None:
        return None
    if any(item.material.film > 0 or item.material.shines for item in scene.items):
        return None
    sheets = tuple((item.name, item.mask, _told(item.material)) for item in items if not item.lettered)
    return sheets, weakly(shot.maps)


def _told(material: Material) -> tuple[Any, ...]:
    values = tuple(getattr(material, one.name) for one in fields(material) if one.name not in WHOLE)
    # what lies over a sheet and follows its letters is another each time
    covers = tuple((weakly(cover.amount), _told(cover.material)) for cover in material.covers)
    return values, weakly(material.texture), covers


def letters_in(shot: Shot) -> Box | None:
    """The pixels within which all letters are, as far as the picture shows them. None where something of
    them is behind the eye."""
    width, height = shot.size
    clip = shot.view.clip_matrix(shot.aspect) @ shot.scene.stance
    low, high = np.full(2, np.inf), np.full(2, -np.inf)
    for item in shot.scene.items:
        if item.still or not item.lettered or not len(item.mesh.points):
            continue
        at = item.mesh.points @ clip[:, :3].T + clip[:, 3]
        if at[:, 3].min() <= 1e-6:
            return None
        spots = at[:, :2] / at[:, 3:]
        low, high = np.minimum(low, spots.min(axis=0)), np.maximum(high, spots.max(axis=0))
    if (high < low).any():
        return 0, 0, 0, 0
    size = np.array([width, height])
    low, high = (low + 1) / 2 * size, (high + 1) / 2 * size
    more = SHARE * float((high - low).min()) + PIXELS
    left, bottom = np.clip(np.floor(low - more), 0, size).astype(int).tolist()
    right, top = np.clip(np.ceil(high + more), 0, size).astype(int).tolist()
    return left, bottom, right, top


def both(one: Box, other: Box) -> Box:
    """What holds two boxes, of which one may be empty."""
    if one[0] >= one[2] or one[1] >= one[3]:
        return other
    if other[0] >= other[2] or other[1] >= other[3]:
        return one
    return min(one[0], other[0]), min(one[1], other[1]), max(one[2], other[2]), max(one[3], other[3])
