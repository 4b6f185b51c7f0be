"""Jobs put into photographs: letters on a lawn, neon behind a bottle, a print on cloth."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from demo.night import lines
from demo.yard import bank_letters
from kilnchisel.core.job.blank import Plaque
from kilnchisel.core.job.boards import Wall
from kilnchisel.core.job.crafts import Printed, Tube
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Ink, Wear
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.photo import Brush, Folds, Horizon, Rectangle, Spot
from kilnchisel.core.job.wording import ShippedFace, Wording
from kilnchisel.core.photo.masks import grown_mask
from kilnchisel.core.photo.reading import photo_taken
from kilnchisel.core.scene.photojob import another_piece, in_photo, piece_in_hand, taken_in

PHOTOS = Path(__file__).parent / "photos"
LAWN, ROOM = PHOTOS / "lawn-and-hills.jpg", PHOTOS / "room-and-bottle.jpg"


def lawn_letters() -> Job:
    """Letters of 70 cm on the lawn below the hills, twelve metres away."""
    job = bank_letters()
    for path, value in (
        (("name",), "Letters on the lawn"),
        (("letterings", 0, "content", "cap_height_mm"), 700.0),
        (("letterings", 0, "craft", "thickness_mm"), 60.0),
        (("letterings", 0, "craft", "standoff_mm"), 0.0),
        (("letterings", 0, "craft", "posts"), False),
        (("letterings", 0, "craft", "held"), "posts"),
        (("letterings", 0, "craft", "face"), "flat"),
        (("blank", "seed"), 0),  # the ground is that of the photo
        (("blank", "rough_mm"), 0.0),
        (("blank", "rise_mm"), 500.0),
        (("blank", "width_mm"), 12_000.0),
        (("blank", "deep_mm"), 4000.0),
        # the meadow falls away to the right
        (("blank", "heights"), ((160.0, 110.0, 0.0, -140.0, -300.0),) * 2),
    ):
        job = change(job, path, value)
    told = Horizon(line=((0.0, 1180.0), (3088.0, 1180.0)), below=(1500.0, 1660.0), eye_mm=1650.0)
    more = {"lens_mm": 40.0, "shown": "lettering", "turn_deg": -4.0, "grown_mm": 80.0}
    return in_photo(job, taken_in(photo_taken(LAWN), told, **more))


def tasting_neon() -> Job:
    """The night café's name in neon on the wall of its tasting room, behind bottle and glass, and a print
    on the seat below: two pieces in one photo."""
    job = Job(
        name="Tasting room neon",
        blank=Wall(width_mm=3000, height_mm=1500, surface="plaster"),
        letterings=(
            Lettering(
                content=lines("Night Café", "allure", 100, letter_spacing_mm=4),
                lay=Lay(side="front"),
                craft=Tube(tube_mm=8, bend=1.0, colour="neon red", standoff_mm=28),
            ),
        ),
    )
    # four of the wall's glass bricks in a row, 200 mm each with their joints
    told = Rectangle(
        corners=((764.0, 586.0), (2132.0, 600.0), (2126.0, 258.0), (756.0, 254.0)),
        width_mm=800.0,
        height_mm=200.0,
    )
    more = {"shown": "lettering", "above_mm": -228.0, "beside_mm": -152.0}
    photo = taken_in(photo_taken(ROOM), told, **more)
    before = (
        ((1266, 500), (1266, 1250)),
        ((1210, 850), (1330, 850), (1330, 1200), (1210, 1200)),
        ((1006, 984), (1112, 984)),
        ((1064, 1080), (1064, 1240)),
        ((1960, 950), (2070, 950)),
        ((1920, 1080), (2100, 1080), (2100, 1180), (1920, 1180)),
        ((2080, 864), (2180, 864)),
        ((800, 1330), (1200, 1330)),
    )
    beside = (
        ((480, 660), (1200, 660)),
        ((1420, 660), (2260, 660)),
        ((1580, 960), (1820, 1020)),
        ((450, 1180), (900, 1100)),
        ((460, 400), (2100, 400)),
        ((1000, 860), (1110, 860)),
    )
    strokes = (*_brushes(before, 16.0, before=True), *_brushes(beside, 30.0, before=False))
    job = in_photo(job, photo.model_copy(update={"before": grown_mask(photo, strokes)}))
    # the seat before the wall is lettered too; the neon is in hand
    return piece_in_hand(another_piece(job, cushion_print()), 1)


def _brushes(lines: Any, wide: float, *, before: bool) -> tuple[Brush, ...]:
    spots: list[tuple[Spot, ...]] = [tuple((float(x), float(y)) for x, y in line) for line in lines]
    return tuple(Brush(points=line, wide_px=wide, before=before) for line in spots)


def cushion_print() -> Job:
    """A print on the reading room's seat, over its folds."""

    def row(text: str, face: str, cap: float, up: float, **how: Any) -> Lettering:
        return Lettering(
            content=Wording(text=text, face=ShippedFace(name=face), cap_height_mm=cap, **how),
            lay=Lay(side="front", across_mm=up),
            craft=Printed(),
            finish=Ink(colour="#1f2c4e", gloss=10),
        )

    job = Job(
        name="Reading room cushion",
        blank=Plaque(width_mm=620.0, height_mm=270.0, thickness_mm=4.0),
        wear=Wear(),
        letterings=(
            row("TARNLIGHT", "league-spartan-bold", 62.0, 20.0, letter_spacing_mm=6.0),
            row("read until the stars go out", "kaushan-script", 40.0, -62.0),
        ),
    )
    told = Rectangle(
        corners=((351.0, 3507.0), (1648.0, 3624.0), (1701.0, 3061.0), (415.0, 2954.0)),
        width_mm=620.0,
        height_mm=270.0,
    )
    folds = Folds(wide_mm=150.0, light_deg=90.0)
    return in_photo(job, taken_in(photo_taken(ROOM), told, shown="lettering", folds=folds))


# name and maker: a name is told without a photo being read
JOBS: dict[str, tuple[str, Callable[[], Job]]] = {
    "lawn-letters": ("Letters on the lawn", lawn_letters),
    "tasting-neon": ("Tasting room neon", tasting_neon),
    "cushion-print": ("Reading room cushion", cushion_print),
}
