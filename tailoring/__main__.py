"""``python -m tailoring [GARMENT [SIZE ...]]``: make the cloth data of the garments anew.

Each garment is sewn from its flat pattern, put on a body that is not seen, and left to come to rest;
what is kept in ``kilnchisel/resources/cloth`` is each panel as a smooth surface over its pattern. The seed
is the same each time. A few minutes each on one core.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor

import numpy as np
import shapely

from kilnchisel.core.blanks.cloth import path_of
from kilnchisel.core.blanks.net import closely, net_over
from kilnchisel.core.job.garments import SIZES, TABLE, measures_of
from kilnchisel.core.writing import write_whole
from tailoring.drape import WORN, draped
from tailoring.fitted import fitted
from tailoring.patterns import panels_of
from tailoring.sewn import sewn
from tailoring.written import written

STEP_MM = 10.0  # of the particles
KNOT_MM = {False: 8.0, True: 6.0}  # of the surfaces; of rib
NET_MM = 6.0  # of the triangles whose edges keep their lengths
SEED = 20
ROUNDS = 3.2  # seconds that it takes to come to rest


def make(garment: str, size: str) -> str:
    """Drape a garment and keep it; says how well it went."""
    m, (fabric, pose) = measures_of(garment, size), WORN[garment]
    panels = panels_of(m, STEP_MM)
    cloth = sewn(panels, STEP_MM)
    told: list[str] = []
    places = draped(cloth, m, fabric, pose, seed=SEED, seconds=ROUNDS, say=told.append)
    surfaces, off = {}, 0.0
    for panel in panels:
        uv, _, particle = cloth.own[panel.name]
        border = np.arange(len(uv)) < len(panel.ring)
        # rib is stretched where it is sewn on
        net = None if panel.rib else net_over(shapely.Polygon(closely(panel.ring, NET_MM)), NET_MM)
        surfaces[panel.name] = fitted(uv, places[particle], border, KNOT_MM[panel.rib], net)
        off = max(off, float(np.percentile(surfaces[panel.name].off, 95)))
    data = written(panels, surfaces, fabric.thick)
    path = path_of(garment, size)
    write_whole(path, data)
    return f"{path.name}: {len(data) / 1000:.0f} kB, {told[-1]}, surfaces within {off:.2f} mm (95 %)"


def main(words: list[str]) -> None:
    """Make those that are named, or all."""
    garments = words[:1] or list(TABLE)
    wanted = [(one, size) for one in garments for size in (words[1:] or SIZES)]
    with ProcessPoolExecutor(max_workers=2) as pool:
        for line in pool.map(make, *zip(*wanted, strict=True)):
            print(line, flush=True)


if __name__ == "__main__":
    main(sys.argv[1:])
