"""Jobs of the observatory's yard and paths: the shuttle van, its permit plate, a trail sign, the bank."""

from __future__ import annotations

from demo.bench import words
from kilnchisel.core.job.artwork import Holes, Rule, Shape
from kilnchisel.core.job.boards import Board, Plate
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.crafts import Fitting, Raised, Standing
from kilnchisel.core.job.finish import Glass, Grass, Ink, Paint, PaintedWood, Stainless, Wear, Wood
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job, Plates
from kilnchisel.core.job.vehicles import Van
from kilnchisel.core.job.wording import Circle

MIDNIGHT, RUST, CREAM = "#22345f", "#b0512f", "#efe6cf"


def shuttle_van() -> Job:
    """The shuttle van: one lettering on both sides, reading right on each, and the rear doors."""
    return Job(
        name="Shuttle van",
        blank=Van(),
        finish=Paint(colour="#ece6d6", gloss=92),
        rim_finish=Stainless(polish="satin"),
        detail_finish=Glass(colour="#82918b"),
        plates=Plates(registration="TO 1897"),
        letterings=(
            Lettering(
                content=words("TARNLIGHT", "cinzel-bold", 215, letter_spacing_mm=12),
                lay=Lay(side="left side", along_mm=1390, across_mm=230, both=True),
                finish=Ink(colour=MIDNIGHT, gloss=80),
            ),
            Lettering(
                content=words("hill observatory", "pacifico", 125),
                lay=Lay(side="left side", along_mm=1390, across_mm=10, both=True),
                finish=Ink(colour=RUST, gloss=80),
            ),
            Lettering(
                content=words("LAST RIDE DOWN 1 AM", "league-spartan-bold", 56, letter_spacing_mm=8),
                lay=Lay(side="left side", along_mm=1390, across_mm=-190, both=True),
                finish=Ink(colour=MIDNIGHT, gloss=80),
            ),
            Lettering(
                content=words("Dim your lights", "pacifico", 62),
                lay=Lay(side="rear", along_mm=0, across_mm=-240),
                finish=Ink(colour=MIDNIGHT, gloss=80),
            ),
        ),
    )


def permit_plate() -> Job:
    """A parking-permit plate with raised letters between its slots."""
    return Job(
        name="Parking permit",
        blank=Plate(),
        finish=Paint(colour="#f2ecdb", gloss=82, effect="reflective"),
        rim_finish=Paint(colour=MIDNIGHT, gloss=85),
        wear=Wear(rubbed=24, dirt=34, scratched=26, noise=1.5),
        letterings=(
            Lettering(
                content=words("TARNLIGHT OBSERVATORY", "league-spartan-bold", 11, letter_spacing_mm=1),
                lay=Lay(side="front", across_mm=38),
                craft=Raised(height_mm=0.8, edge="drawn", edge_mm=0.7),
                finish=Paint(colour=RUST, gloss=85),
            ),
            Lettering(
                content=words("NIGHT 0742", "league-spartan-bold", 31, letter_spacing_mm=2),
                lay=Lay(side="front", across_mm=-20),
                craft=Raised(height_mm=1.4, edge="drawn", edge_mm=1.3),
                finish=Paint(colour=MIDNIGHT, gloss=85),
            ),
            Lettering(
                content=words("STAFF PARKING · LOWER TERRACE", "league-spartan-bold", 6),
                lay=Lay(side="front", across_mm=-58),
                craft=Raised(height_mm=0.5, edge="drawn", edge_mm=0.4),
                finish=Paint(colour=RUST, gloss=85),
            ),
            Lettering(
                content=Shape(form=Holes(hole_mm=6, apart_mm=177.8, apart_up_mm=120.7)),
                lay=Lay(side="front"),
                craft=Fitting(form="caps", size_mm=15),
                finish=Stainless(polish="polished"),
            ),
        ),
    )


def trail_sign() -> Job:
    """An oval trail sign with a domed face, a cut border line and gilded letters."""
    gilt = Paint(colour="#d9b158", gloss=74)
    return Job(
        name="Trail sign",
        blank=Board(
            shape="oval",
            width_mm=760,
            height_mm=480,
            thickness_mm=36,
            edge="round",
            edge_mm=10,
            dome_mm=34,
            line_mm=6,
            line_in_mm=16,
            line_rise_mm=-2.5,
        ),
        finish=PaintedWood(colour="#29473f", gloss=45, grain=60),
        rim_finish=PaintedWood(colour="#29473f", gloss=45, grain=60),
        detail_finish=gilt,
        wear=Wear(rubbed=16, dirt=30, noise=2),
        letterings=(
            Lettering(
                content=Shape(form=Rule(length_mm=470, line_mm=40)),
                lay=Lay(side="front", across_mm=120),
                craft=Fitting(size_mm=88, length_mm=820),
                finish=Wood(colour="#8b7a66", ring_mm=7, pores=20, gloss=5, grain_deg=90),
            ),
            Lettering(
                content=words("TARN PATH", "cinzel-bold", 66, letter_spacing_mm=4),
                lay=Lay(side="front", across_mm=2),
                craft=Raised(height_mm=3, edge="ridge", slope_deg=38),
                finish=gilt,
            ),
            Lettering(
                content=words(
                    "TO THE HILL OBSERVATORY",
                    "league-spartan-bold",
                    20,
                    letter_spacing_mm=4,
                    arrangement=Circle(radius_mm=470, centre_deg=180, heads="in"),
                ),
                lay=Lay(side="front", across_mm=300),
                craft=Raised(height_mm=4, edge="rounded", edge_mm=1.4),
                finish=gilt,
            ),
            Lettering(
                content=words("forty minutes, mostly up", "pacifico", 24),
                lay=Lay(side="front", across_mm=108),
                craft=Raised(height_mm=4, edge="rounded", edge_mm=1.4),
                finish=Paint(colour=CREAM, gloss=60),
            ),
        ),
    )


def bank_letters() -> Job:
    """Large letters of corrugated sheet on the grass bank below the dome, each in its frame."""
    return Job(
        name="Bank letters",
        blank=Bank(seed=2),
        finish=Grass(),
        rim_finish=Grass(),
        letterings=(
            Lettering(
                content=words("TARNLIGHT", "league-spartan-bold", 1500, letter_spacing_mm=260),
                lay=Lay(side="slope", across_mm=-700),
                craft=Standing(thickness_mm=90, standoff_mm=160, upright=True, face="wave", held="frame"),
                finish=Paint(colour="#f4f1e8", gloss=20),
            ),
        ),
    )


JOBS = {
    "shuttle-van": shuttle_van,
    "permit-plate": permit_plate,
    "trail-sign": trail_sign,
    "bank-letters": bank_letters,
}
