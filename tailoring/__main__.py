"""``python -m tailoring [GARMENT [SIZE ...]] [--shown HOW]``: make the cloth data of the garments anew.

Each garment is sewn from its flat pattern, put where it is shown, and left to come to rest; what is kept in
``kilnchisel/resources/cloth`` is each panel as a smooth surface over its pattern. The seed is the same each
time. Worn, a few minutes each on one core; hanging, laid flat or folded, about one.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
import shapely

from kilnchisel.core.blanks.cloth import path_of
from kilnchisel.core.blanks.net import closely, net_over
from kilnchisel.core.job.aprons import APRON, APRON_SHOWN, APRON_SIZES
from kilnchisel.core.job.garments import SHOWN, SIZES, TABLE, Measures, measures_of, wall_behind
from kilnchisel.core.job.totes import TOTE, TOTE_SHOWN, TOTE_SIZES
from kilnchisel.core.writing import write_whole
from tailoring.apron import OverABody, apron_panels
from tailoring.cleared import cleared
from tailoring.fabrics import FABRICS
from tailoring.fitted import fitted
from tailoring.flat import Flat
from tailoring.folded import Folded, pressed
from tailoring.hanging import Hanging
from tailoring.hooded import LaidUp, ThrownBack
from tailoring.panel import Panel
from tailoring.patterns import panels_of
from tailoring.settling import Fabric, Manner, settled
from tailoring.sewn import sewn
from tailoring.tote import OnAPeg, tote_panels
from tailoring.worn import Worn
from tailoring.written import written

NET_MM = 6.0  # of the triangles whose edges keep their lengths
SEED = 20
CREPT = 0.2  # of a knit's stiffness, after days on a hanger: its loops slip (common practice: most goes)


@dataclass(frozen=True)
class Making:
    """How what is shown so is made. ``step_mm``: of the particles; ``knot_mm``: of the surfaces, of cloth
    and of rib; ``grain_mm``: what places are rounded to; ``true``: the panels
    whose edges keep their lengths, None for all but rib; ``manner``: of garments; ``hood``: how a hood is
    put to a garment that lies or hangs already; ``left``: of the cloth's stiffness, where it has hung for
    so long that it has given way; ``upright``: the rows of its triangles, along which a net folds without
    stretch and across which it hardly does: what hangs folds upright, and creases level where they are."""

    manner: Callable[[str, Measures, Fabric], Manner] | None = None
    step_mm: float = 10.0
    knot_mm: tuple[float, float] = (8.0, 6.0)
    grain_mm: float = 1 / 256
    true: tuple[str, ...] | None = None
    hood: type[LaidUp | ThrownBack] | None = None
    left: float = 1.0
    upright: bool = False


MAKINGS = {
    "worn": Making(Worn, upright=True),
    "on a hanger": Making(
        lambda _, m, fabric: Hanging(m, fabric, wall_behind(m)), hood=ThrownBack, left=CREPT, upright=True
    ),
    "laid flat": Making(lambda _, m, fabric: Flat(fabric), grain_mm=1 / 128, hood=LaidUp),
    "hanging": Making(),
    "folded": Making(
        lambda _, m, fabric: Folded(m, fabric),
        7.0,
        (6.0, 5.0),
        1 / 64,
        ("front", "left hood", "right hood"),
        hood=LaidUp,
    ),
}


def _cut(garment: str, size: str, shown: str, fabric: Fabric) -> tuple[tuple[Panel, ...], Manner]:
    """The panels of what is made, and how it is put where it is shown."""
    making = MAKINGS[shown]
    if garment == TOTE:
        tote = TOTE_SIZES[size]
        still = ("front handle", "back handle")
        manner: Manner = OnAPeg(tote, fabric) if shown == "hanging" else Flat(fabric, still)
        return tote_panels(tote, making.step_mm, shown), manner
    if garment == APRON:
        apron = APRON_SIZES[size]
        put: Manner = OverABody(apron, fabric) if shown == "worn" else Flat(fabric, ("strap",))
        return apron_panels(apron, making.step_mm, shown), put
    m = measures_of(garment, size)
    assert making.manner is not None
    return panels_of(m, making.step_mm), making.manner(garment, m, fabric)


def make(garment: str, size: str, shown: str) -> str:
    """Drape a garment and keep it; says how well it went."""
    making = MAKINGS[shown]
    fabric = FABRICS[garment].crept(making.left)
    panels, manner = _cut(garment, size, shown, fabric)
    cloth = sewn(panels, making.step_mm, upright=making.upright)
    told: list[str] = []
    if making.hood and garment in TABLE and (m := measures_of(garment, size)).hood:
        bare = sewn(panels_of(replace(m, hood=0.0), making.step_mm), making.step_mm, upright=making.upright)
        put = settled(bare, fabric, manner, seed=SEED)
        fabric = FABRICS[garment]  # nothing hangs from a hood
        manner = making.hood(m, fabric, bare, put)
    places = settled(cloth, fabric, manner, seed=SEED, say=told.append)
    surfaces, off = {}, 0.0
    for panel in panels:
        uv, _, particle = cloth.own[panel.name]
        border = np.arange(len(uv)) < len(panel.ring)
        # rib is stretched where it is sewn on
        kept = not panel.rib and (making.true is None or panel.name in making.true)
        net = net_over(shapely.Polygon(closely(panel.ring, NET_MM)), NET_MM) if kept else None
        surfaces[panel.name] = fitted(uv, places[particle], border, making.knot_mm[panel.rib], net)
        off = max(off, float(np.percentile(surfaces[panel.name].off, 95)))
    # the hood is laid up after the folding: nothing presses it
    within = pressed(fabric).thick if shown == "folded" else fabric.thick
    thick = {one.name: fabric.thick if "hood" in one.name else within for one in panels}
    if shown == "folded":
        surfaces = cleared(panels, surfaces, thick, measures_of(garment, size))
    data = written(panels, surfaces, thick, making.grain_mm, making.true)
    path = path_of(garment, size, shown)
    write_whole(path, data)
    return f"{path.name}: {len(data) / 1000:.0f} kB, {told[-1]}, surfaces within {off:.2f} mm (95 %)"


MADE: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    **dict.fromkeys(TABLE, (SIZES, SHOWN)),
    TOTE: (tuple(TOTE_SIZES), TOTE_SHOWN),
    APRON: (tuple(APRON_SIZES), APRON_SHOWN),
}


def main() -> None:
    """Make those that are named, or all."""
    parser = argparse.ArgumentParser(prog="python -m tailoring", description=(__doc__ or "").split("\n")[2])
    parser.add_argument("garment", nargs="?", choices=list(MADE), metavar="GARMENT")
    parser.add_argument("size", nargs="*", metavar="SIZE")
    parser.add_argument("--shown", choices=list(MAKINGS), action="append", metavar="HOW")
    given = parser.parse_args()
    sizes = MADE[given.garment][0] if given.garment else SIZES
    if unknown := set(given.size) - set(sizes):
        parser.error(f"no size is called {min(unknown)}: {', '.join(sizes)}")
    wanted = [
        (one, size, how)
        for one in ([given.garment] if given.garment else MADE)
        for how in given.shown or MAKINGS
        if how in MADE[one][1]
        for size in given.size or MADE[one][0]
    ]
    with ProcessPoolExecutor(max_workers=2) as pool:
        for line in pool.map(make, *zip(*wanted, strict=True)):
            print(line, flush=True)


if __name__ == "__main__":
    main()
