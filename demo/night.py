"""Jobs that shine: the café's neon, the dome's lit letters, the shuttle stop's panel."""

from __future__ import annotations

from demo.bench import words
from kilnchisel.core.job.blank import Plaque
from kilnchisel.core.job.boards import BoxSign, ShopFront, Wall, Window
from kilnchisel.core.job.crafts import CutThrough, Printed, Standing, Tube
from kilnchisel.core.job.finish import (
    Glass,
    Gold,
    Ink,
    Masonry,
    Paint,
    PaintedWood,
    Paper,
    Plastic,
    Stainless,
)
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Backing, LineFace, Wording


def lines(text: str, face: str, cap: float, **more: object) -> Wording:
    """Words in a face of single strokes, capitals so many mm high."""
    return Wording.model_validate(
        {"text": text, "face": LineFace(name=face), "cap_height_mm": cap, "pen_mm": 10.0, **more}
    )


def cafe_neon() -> Job:
    """The night café's name in neon on the brick beside its door."""
    return Job(
        name="Night café neon",
        blank=Wall(width_mm=3000, height_mm=1500),
        finish=Masonry(colour="#9a5a44"),
        rim_finish=Masonry(colour="#a59a8a"),
        letterings=(
            Lettering(
                content=lines("Night Café", "allure", 205, letter_spacing_mm=6),
                lay=Lay(side="front", across_mm=90),
                craft=Tube(tube_mm=10, bend=1.0, colour="neon red", standoff_mm=36),
            ),
            Lettering(
                content=lines("OPEN TILL DAWN", "hershey-sans", 84, letter_spacing_mm=30),
                lay=Lay(side="front", across_mm=-190),
                craft=Tube(tube_mm=8, bend=1.0, colour="turquoise", standoff_mm=30, brightness=60),
            ),
        ),
    )


def dome_letters() -> Job:
    """The dome's name in brushed steel, lit from behind."""
    return Job(
        name="Dome letters",
        blank=Wall(width_mm=4200, height_mm=2300, surface="plaster"),
        finish=Paper(colour="#b4aea2"),
        rim_finish=Paper(colour="#b4aea2"),
        letterings=(
            Lettering(
                content=words("TARNLIGHT", "league-spartan-bold", 230, letter_spacing_mm=30),
                lay=Lay(side="front", across_mm=30),
                craft=Standing(
                    thickness_mm=28,
                    standoff_mm=36,
                    edge="bevelled",
                    edge_mm=2,
                    return_finish=Paint(colour="#26282a", gloss=30),
                    light="halo",
                    light_colour="warm white",
                    brightness=55,
                ),
                finish=Stainless(polish="brushed"),
            ),
        ),
    )


def stop_panel() -> Job:
    """The shuttle stop's steel panel, cut through, with light behind it."""
    return Job(
        name="Shuttle stop panel",
        blank=Plaque(width_mm=420, height_mm=180, thickness_mm=4),
        finish=Paint(colour="#2b3a44", gloss=35),
        rim_finish=Paint(colour="#2b3a44", gloss=35),
        letterings=(
            Lettering(
                content=words("SHUTTLE", "saira-stencil", 56, letter_spacing_mm=3),
                lay=Lay(side="front", across_mm=18),
                craft=CutThrough(behind="light", behind_mm=10, light_colour="warm white", brightness=110),
            ),
            Lettering(
                content=words("EVERY HALF HOUR", "saira-stencil", 17, letter_spacing_mm=2),
                lay=Lay(side="front", across_mm=-56),
                craft=CutThrough(behind="light", behind_mm=10, light_colour="turquoise", brightness=70),
            ),
        ),
    )


def cafe_box_sign() -> Job:
    """The night café's box sign, lit: red film that lets the light through, dark film that does not."""
    return Job(
        name="Night café box sign",
        blank=BoxSign(width_mm=620, height_mm=620),
        finish=Plastic(colour="#f4ecd8", gloss=45),
        rim_finish=Paint(colour="#22345f", gloss=60),
        detail_finish=Paint(colour="#22345f", gloss=60),
        letterings=(
            Lettering(
                content=words("Night Café", "pacifico", 88),
                lay=Lay(side="front", across_mm=52, both=True),
                craft=Printed(film_mm=0.08, lets_through=True),
                finish=Ink(colour="#b0231c", gloss=70),
            ),
            Lettering(
                content=words("TILL DAWN", "league-spartan-bold", 42, letter_spacing_mm=8),
                lay=Lay(side="front", across_mm=-86, both=True),
                craft=Printed(film_mm=0.08),
                finish=Ink(colour="#22345f", gloss=70),
            ),
        ),
    )


def gift_shop() -> Job:
    """The gift counter's front in the village: gilt letters on the fascia, hours on the door."""
    return Job(
        name="Gift shop front",
        blank=ShopFront(),
        finish=Masonry(colour="#a35a42"),
        rim_finish=Masonry(colour="#bdb4a3"),
        detail_finish=Paint(colour="#1d2f4e", gloss=72),
        letterings=(
            Lettering(
                content=words("TARNLIGHT GIFTS", "cinzel-bold", 210, letter_spacing_mm=22),
                lay=Lay(side="fascia", across_mm=-6),
                craft=Standing(thickness_mm=24, standoff_mm=12, edge="bevelled", edge_mm=3),
                finish=Gold(polish="satin", carat=24),
            ),
            Lettering(
                content=words("stars, maps & mugs", "pacifico", 150),
                lay=Lay(side="window", across_mm=420),
                craft=Printed(film_mm=0.08),
                finish=Ink(colour="#e9d9a8", gloss=60),
            ),
            Lettering(
                content=words("DAILY\n10 TO 6", "league-spartan-bold", 44, letter_spacing_mm=5),
                lay=Lay(side="door", across_mm=120),
                craft=Printed(film_mm=0.08),
                finish=Ink(colour="#e9d9a8", gloss=60),
            ),
        ),
    )


def dome_window() -> Job:
    """The booking office: letters weeded out of frosted film, rows of cream film over and under it."""
    frosted = Backing(form="rectangle", letters="weeded out", distance_mm=120)
    return Job(
        name="Booking office window",
        blank=Window(width_mm=1900, height_mm=1450, lit=60),
        finish=Masonry(colour="#c9c1b0", surface="plaster"),
        rim_finish=PaintedWood(colour="#22313f"),
        letterings=(
            Lettering(
                content=words("DOME TOURS", "cinzel-bold", 150, letter_spacing_mm=14).model_copy(
                    update={"backing": frosted}
                ),
                lay=Lay(side="outside", across_mm=-150),
                craft=Printed(film_mm=0.08),
                finish=Glass(frosted=75),
            ),
            Lettering(
                content=words("tarnlight observatory", "pacifico", 105),
                lay=Lay(side="outside", across_mm=330),
                craft=Printed(film_mm=0.08),
                finish=Ink(colour="#efe0b4", gloss=60),
            ),
            Lettering(
                content=words("CLEAR NIGHTS 8 PM · 10 PM", "league-spartan-bold", 46, letter_spacing_mm=6),
                lay=Lay(side="outside", across_mm=-480),
                craft=Printed(film_mm=0.08),
                finish=Ink(colour="#efe0b4", gloss=60),
            ),
        ),
    )


JOBS = {
    "dome-window": dome_window,
    "night-cafe-neon": cafe_neon,
    "dome-letters": dome_letters,
    "shuttle-stop": stop_panel,
    "cafe-box-sign": cafe_box_sign,
    "gift-shop": gift_shop,
}
