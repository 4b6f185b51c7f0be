"""Materials as the draft draws them: what their programs are told."""

from __future__ import annotations

from typing import Any

import numpy as np

from kilnchisel.core.detail import Detail
from kilnchisel.core.finishes.material import MOST_COVERS, Material, cover_matrix, texture_matrix
from kilnchisel.core.picture.card import KINDS, Card, look_of, set_values
from kilnchisel.core.scene.scene import Scene

FIRST_COVER = 8  # the place of the first cover's amount; the others follow
ACROSS_TAPS = {Detail.FINE: 15, Detail.ROUGH: 7}  # slopes across a grain
PANEL_TAPS = 4  # points each way, at most, on the light that is mirrored
PANEL_STEP = 0.75  # how much of a lobe's width lies between them


def use_material(card: Card, scene: Scene, material: Material, *, caught: bool, detail: Detail) -> Any:
    """Give the program of a material its values. Returns that program."""
    program = card.surface(look_of(material, caught=caught))
    maps = card.plain
    if material.texture is not None:
        maps = card.texture(material.texture, detail=detail)
    fine = 4.0 if detail.fine else 1.0
    for unit, image in enumerate((maps.tint, maps.slope)):
        image.anisotropy = fine
        image.use(unit)
    set_values(
        program,
        base=material.base,
        emission=material.emission,
        alpha=material.alpha,
        across=material.across,
        dullest=material.dullest,
        sends_back=material.sends_back,
        across_taps=ACROSS_TAPS[detail],
        panel_taps=_panel_taps(scene, material) if detail.fine else 0,
        textured=material.texture is not None,
        grain=texture_matrix(material).T,
        film=material.film,
        tint_high=maps.high,
        slope_steep=maps.steep,
        cover_count=len(material.covers),
    )
    if look_of(material, caught=caught)[1]:
        _use_covers(card, program, material)
    return program


def _panel_taps(scene: Scene, material: Material) -> int:
    """How many points each way on the strongest light tell how a material mirrors it; 0 where it is too
    polished for that: it shows the light's outline."""
    if scene.panel is None:
        return 0
    wide = float(scene.panel.half.max() / np.linalg.norm(scene.panel.middle - scene.middle))
    taps = int(np.ceil(PANEL_STEP * wide / max(material.alpha, 1e-3)))
    return taps if taps <= PANEL_TAPS else 0


def _use_covers(card: Card, program: Any, material: Material) -> None:
    """What lies over parts of a material."""
    kinds, bases, alphas, places = [0] * MOST_COVERS, [], [], []
    for number, cover in enumerate(material.covers):
        card.amount(cover.amount).use(FIRST_COVER + number)
        kinds[number] = KINDS[cover.material.kind]
        bases.append(cover.material.base)
        alphas.append(cover.material.alpha)
        place = np.eye(3)
        place[:2] = cover_matrix(cover.amount, material.round_mm).T
        places.append(tuple(place.T.ravel()))  # column by column
    spare = MOST_COVERS - len(bases)
    set_values(
        program,
        cover_kind=kinds,
        cover_base=[*bases, *[(0.0, 0.0, 0.0)] * spare],
        cover_alpha=[*alphas, *[1.0] * spare],
        cover_to=[*places, *[tuple(np.eye(3).ravel())] * spare],
    )
