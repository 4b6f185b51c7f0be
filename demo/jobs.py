"""Jobs of the Tarnlight Observatory's gift counter and grounds. The observatory is invented."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from demo.bench import JOBS as BENCH
from demo.cloakroom import JOBS as CLOAKROOM
from demo.inphoto import JOBS as PHOTOGRAPHED
from demo.night import JOBS as NIGHT
from demo.yard import JOBS as YARD
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.job.artwork import Artwork, Badge, Border, Holes, Picture, Ring, Shape, Star
from kilnchisel.core.job.assets import keep_asset
from kilnchisel.core.job.blank import Band, Globe, Jar, Medallion, Mug, Plaque
from kilnchisel.core.job.crafts import Engraved, Fitting, Printed, Raised, Relief
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import (
    AS_HANDED_OVER,
    AsBlank,
    Brass,
    Bronze,
    Enamel,
    Glass,
    Ink,
    PaintedWood,
    Slate,
    Wear,
)
from kilnchisel.core.job.lettering import Lay, Lettering, Repeat
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.sets import fitted
from kilnchisel.core.job.wording import (
    Circle,
    Column,
    Curve,
    LetterChange,
    LineFace,
    ShippedFace,
    Wording,
)
from kilnchisel.core.lettering.content import content_of_file

FOLDER = Path(__file__).parent
MIDNIGHT, RUST = "#22345f", "#b0512f"


def night_crew_mug() -> Job:
    """An enamel mug with rows in three faces."""

    def row(text: str, face: str, cap: float, up: float, colour: str, spacing: float = 0.0) -> Lettering:
        return Lettering(
            content=Wording(
                text=text, face=ShippedFace(name=face), cap_height_mm=cap, letter_spacing_mm=spacing
            ),
            lay=Lay(side="outside", along_mm=6.0, across_mm=up),
            craft=Printed(),
            finish=Ink(colour=colour),
        )

    return Job(
        name="Night-crew mug",
        blank=Mug(),
        finish=Enamel(colour="#ece2cb", gloss=86),
        rim_finish=Enamel(colour="#1b2747", gloss=90),
        letterings=(
            row("TARNLIGHT", "cinzel-bold", 9.0, 49.0, MIDNIGHT, 0.6),
            row("hill observatory", "pacifico", 6.0, 33.0, RUST),
            row("EST. ON A CLEAR NIGHT", "league-spartan-bold", 2.9, 20.5, MIDNIGHT, 0.7),
        ),
    )


def trail_slate() -> Job:
    """A slate plaque, engraved, lying on an oak bench."""
    return Job(
        name="Dome path slate",
        blank=Plaque(width_mm=260, height_mm=150, thickness_mm=14, edge_round_mm=1.6, corner_mm=3),
        finish=Slate(oiled=30),
        rim_finish=Slate(oiled=10),
        letterings=(
            Lettering(
                content=Wording(
                    text="DOME PATH",
                    face=ShippedFace(name="cinzel-bold"),
                    cap_height_mm=24,
                    letter_spacing_mm=1.2,
                ),
                lay=Lay(side="front", across_mm=23),
                craft=Engraved(depth_mm=1.6, darkened=0),
                finish=Enamel(colour="#e9e3d4", gloss=20),
            ),
            Lettering(
                content=Wording(
                    text="Dim your lamp from here on.\nThe stars will do the rest.",
                    face=ShippedFace(name="eb-garamond"),
                    cap_height_mm=9.5,
                    row_spacing=185,
                ),
                lay=Lay(side="front", across_mm=-31),
                craft=Engraved(depth_mm=0.9, darkened=0),
                finish=Enamel(colour="#e9e3d4", gloss=20),
            ),
        ),
    )


def first_light_brass() -> Job:
    """A cast brass plaque on a plastered wall: dark ground, raised letters."""
    return Job(
        name="First-light brass",
        blank=Plaque(shape="oval", width_mm=240, height_mm=160, thickness_mm=8, edge_round_mm=2.5),
        finish=Enamel(colour="#232b28", gloss=45),
        rim_finish=Brass(polish="satin"),
        wear=Wear(rubbed=8, dirt=16, scratched=14, noise=1),
        letterings=(
            Lettering(
                content=Wording(
                    text="FIRST LIGHT",
                    face=ShippedFace(name="cinzel-bold"),
                    cap_height_mm=20,
                    letter_spacing_mm=1.0,
                ),
                lay=Lay(side="front", across_mm=14),
                craft=Raised(height_mm=1.6),
                finish=Brass(polish="satin"),
            ),
            Lettering(
                content=Wording(
                    text="TARNLIGHT OBSERVATORY\n9 OCTOBER 1931",
                    face=ShippedFace(name="league-spartan-bold"),
                    cap_height_mm=8,
                    letter_spacing_mm=1.1,
                    row_spacing=190,
                ),
                lay=Lay(side="front", across_mm=-24),
                craft=Raised(height_mm=1.2),
                finish=Brass(polish="satin"),
            ),
        ),
    )


def gift_roundel() -> Job:
    """A round enamel sign: words over the top and under the bottom, rings, stars and the dome."""
    gold, cream = Brass(polish="polished"), Enamel(colour="#efe6d0", gloss=70)

    def ring(diameter: float, line: float) -> Lettering:
        return Lettering(
            content=Shape(form=Ring(diameter_mm=diameter, line_mm=line)),
            lay=Lay(side="front"),
            craft=Raised(height_mm=0.8),
            finish=gold,
        )

    return Job(
        name="Gift counter roundel",
        blank=Plaque(shape="oval", width_mm=300, height_mm=300, thickness_mm=8, edge_round_mm=2.5),
        finish=Enamel(colour="#1f3a3d", gloss=82),
        rim_finish=gold,
        letterings=(
            Lettering(
                content=Wording(
                    text="TARNLIGHT OBSERVATORY\nGIFTS OF THE NIGHT",
                    face=ShippedFace(name="cinzel-bold"),
                    cap_height_mm=17,
                    letter_spacing_mm=1.2,
                    arrangement=Circle(radius_mm=111, second_under=True),
                ),
                lay=Lay(side="front"),
                craft=Raised(height_mm=1.0),
                finish=gold,
            ),
            ring(282, 2.0),
            ring(196, 1.6),
            Lettering(
                content=artwork("dome.svg", width_mm=128),
                lay=Lay(side="front", across_mm=4),
                craft=Raised(height_mm=0.8),
                finish=cream,
            ),
            Lettering(
                content=Shape(form=Star(diameter_mm=13, points=4, inner=30)),
                lay=Lay(side="front", along_mm=-115, across_mm=-31),
                craft=Raised(height_mm=0.8),
                finish=cream,
            ),
            Lettering(
                content=Shape(form=Star(diameter_mm=13, points=4, inner=30)),
                lay=Lay(side="front", along_mm=115, across_mm=-31),
                craft=Raised(height_mm=0.8),
                finish=cream,
            ),
        ),
    )


def cafe_board() -> Job:
    """A tall painted board that reads downward, letters cut in and coloured."""
    cream, amber = Enamel(colour="#f1e7d2", gloss=30), Enamel(colour="#d98a2b", gloss=30)
    words = "NIGHT\nCAFÉ"
    lit = tuple(LetterChange(at=at, finish=amber) for at in range(6, 10))
    return Job(
        name="Night café board",
        blank=Plaque(width_mm=220, height_mm=460, thickness_mm=22, edge_round_mm=4, corner_mm=12),
        finish=PaintedWood(colour="#3b2a3f", gloss=34, grain=60, grain_deg=90),
        rim_finish=PaintedWood(colour="#2b1e2e", gloss=30, grain=60, grain_deg=90),
        letterings=(
            Lettering(
                content=Wording(
                    text=words,
                    face=ShippedFace(name="league-spartan-bold"),
                    cap_height_mm=52,
                    row_spacing=142,
                    align="left",
                    arrangement=Column(),
                    letters=lit,
                ),
                lay=Lay(side="front"),
                craft=Engraved(depth_mm=4.0, darkened=0),
                finish=cream,
            ),
            Lettering(
                content=Shape(
                    form=Border(width_mm=198, height_mm=438, line_mm=2.4, corner_mm=12, corners="hollow")
                ),
                lay=Lay(side="front"),
                craft=Engraved(depth_mm=1.2, darkened=0),
                finish=cream,
            ),
            Lettering(
                content=Shape(form=Holes(number="two", hole_mm=4, apart_mm=120)),
                lay=Lay(side="front", across_mm=222),
                craft=Fitting(form="eyes", size_mm=20, length_mm=150),
                finish=Brass(polish="satin"),
            ),
        ),
    )


def script_brass() -> Job:
    """A brass plate in a script whose letters were tucked in by hand, on a line that swings."""
    text = "Vega, Lyra"
    tucked = (
        LetterChange(at=0, raise_mm=-1.0, size=112),
        LetterChange(at=1, kern_mm=-3.4),
        LetterChange(at=5, kern_mm=-2.2),
        LetterChange(at=6, kern_mm=-1.6, raise_mm=-1.0, size=108),
        LetterChange(at=7, kern_mm=-2.2),
    )
    return Job(
        name="Telescope name plate",
        blank=Plaque(width_mm=180, height_mm=78, thickness_mm=3, edge_round_mm=0.8, corner_mm=8),
        finish=Brass(polish="brushed"),
        rim_finish=Brass(polish="polished"),
        letterings=(
            Lettering(
                content=Wording(
                    text=text,
                    face=ShippedFace(name="great-vibes"),
                    cap_height_mm=27,
                    letters=tucked,
                    arrangement=Curve(points=((-74.0, -14.0), (-28.0, -8.0), (24.0, -14.0), (74.0, -8.0))),
                ),
                lay=Lay(side="front", along_mm=-2, across_mm=1),
                craft=Engraved(depth_mm=0.5, darkened=0),
                finish=Enamel(colour="#1c1a18", gloss=35),
            ),
            Lettering(
                content=Wording(
                    text="152 mm refractor, 1931",
                    face=LineFace(name="hershey-sans"),
                    cap_height_mm=4.2,
                    pen_mm=0.5,
                    letter_spacing_mm=0.7,
                ),
                lay=Lay(side="front", across_mm=-29),
                craft=Engraved(depth_mm=0.2, darkened=0),
                finish=Enamel(colour="#1c1a18", gloss=35),
            ),
        ),
    )


def welcome_slate() -> Job:
    """A slate that welcomes visitors in four scripts."""

    def row(text: str, face: str, cap: float, up: float) -> Lettering:
        return Lettering(
            content=Wording(text=text, face=ShippedFace(name=face), cap_height_mm=cap),
            lay=Lay(side="front", across_mm=up),
            craft=Engraved(depth_mm=1.2, darkened=0),
            finish=Enamel(colour="#e9e3d4", gloss=20),
        )

    return Job(
        name="Welcome slate",
        blank=Plaque(width_mm=300, height_mm=260, thickness_mm=14, edge_round_mm=1.6, corner_mm=3),
        finish=Slate(oiled=35),
        rim_finish=Slate(oiled=10),
        letterings=(
            row("Welcome to the hill", "eb-garamond", 17, 84),
            row("أهلاً بكم في مرصد التل", "amiri-bold", 17, 30),
            row("ברוכים הבאים לגבעה", "frank-ruhl", 17, -28),
            row("星の山へようこそ", "biz-gothic", 17, -84),
        ),
    )


def moon_mug() -> Job:
    """A mug printed in colour: a picture of the moon, and words that circle it."""
    return Job(
        name="Moon mug",
        blank=Mug(height_mm=95, diameter_mm=82),
        finish=Enamel(colour="#20263a", gloss=90),
        rim_finish=Enamel(colour="#d9d2c4", gloss=85),
        letterings=(
            Lettering(
                content=picture("moon.png", width_mm=46),
                lay=Lay(side="outside", along_mm=4, across_mm=50),
                craft=Printed(),
                finish=Ink(gloss=60),
            ),
            Lettering(
                content=Wording(
                    text="GOOD NIGHT SEEING",
                    face=ShippedFace(name="league-spartan-bold"),
                    cap_height_mm=4.6,
                    letter_spacing_mm=1.6,
                    arrangement=Circle(radius_mm=27),
                ),
                lay=Lay(side="outside", along_mm=4, across_mm=50),
                craft=Printed(),
                finish=Ink(colour="#efe2c0"),
            ),
        ),
    )


def honey_jar() -> Job:
    """A jar of the observatory's honey: a printed label with backing, and letters on the lid."""
    cream, dark = "#f3e7cd", "#3a2313"

    def row(text: str, face: str, cap: float, up: float, **more: Any) -> Lettering:
        return Lettering(
            content=Wording(text=text, face=ShippedFace(name=face), cap_height_mm=cap, **more),
            lay=Lay(side="outside", across_mm=up),
            craft=Printed(),
            finish=Ink(colour=dark),
        )

    label = Lettering(
        content=Shape(form=Badge(form="scooped", width_mm=72, height_mm=46)),
        lay=Lay(side="outside"),
        craft=Printed(film_mm=0.08),
        finish=Ink(colour=cream, gloss=25),
    )
    return Job(
        name="Hill honey jar",
        blank=Jar(filled=88, contents_colour="#c8761c", contents_clear=85),
        finish=Glass(),
        rim_finish=Brass(polish="satin"),
        letterings=(
            label,
            row("Hill Honey", "kaushan-script", 11.0, 6.5),
            row("TARNLIGHT OBSERVATORY", "league-spartan-bold", 2.9, -8.5, letter_spacing_mm=0.5),
            row("heather and clear nights · 340 g", "eb-garamond", 2.6, -14.5),
            Lettering(
                content=Wording(
                    text="FROM THE DOME HIVES",
                    face=ShippedFace(name="league-spartan-bold"),
                    cap_height_mm=4.4,
                    letter_spacing_mm=1.4,
                    arrangement=Circle(radius_mm=20),
                ),
                lay=Lay(side="lid", repeat=Repeat(times=2)),
                craft=Raised(height_mm=0.5),
                finish=Brass(polish="polished"),
            ),
        ),
    )


def night_band() -> Job:
    """A band engraved outside and inside; the inside reads from inside."""
    return Job(
        name="Engraved band",
        blank=Band(inner_mm=18.2, width_mm=8.0, thickness_mm=2.0, profile="court"),
        finish=Brass(polish="polished"),
        rim_finish=Brass(polish="polished"),
        letterings=(
            Lettering(
                content=Wording(
                    text="PER NOCTEM AD LUCEM",
                    face=ShippedFace(name="cinzel-bold"),
                    cap_height_mm=3.4,
                    letter_spacing_mm=0.5,
                ),
                lay=Lay(side="outside"),
                craft=Engraved(floor="v", depth_mm=0.4, angle_deg=90, darkened=92),
                finish=AsBlank(),
            ),
            Lettering(
                content=Wording(
                    text="first light, 9 October", face=ShippedFace(name="great-vibes"), cap_height_mm=2.6
                ),
                lay=Lay(side="inside", along_mm=27),
                craft=Engraved(floor="v", depth_mm=0.3, angle_deg=90, darkened=92),
                finish=AsBlank(),
            ),
        ),
    )


def moon_globe() -> Job:
    """A globe of the moon with the names of invented craters on their own latitudes."""

    def crater(text: str, cap: float, along: float, up: float) -> Lettering:
        return Lettering(
            content=Wording(text=text, face=ShippedFace(name="cinzel-bold"), cap_height_mm=cap),
            lay=Lay(side="all round", along_mm=along, across_mm=up),
            craft=Engraved(depth_mm=0.5, darkened=0),
            finish=Enamel(colour="#3b3326", gloss=20),
        )

    def ring(size: float, along: float, up: float) -> Lettering:
        return Lettering(
            content=Shape(form=Ring(diameter_mm=size, line_mm=0.9)),
            lay=Lay(side="all round", along_mm=along, across_mm=up),
            craft=Engraved(depth_mm=0.5, darkened=0),
            finish=Enamel(colour="#3b3326", gloss=20),
        )

    return Job(
        name="Moon globe",
        blank=Globe(diameter_mm=150),
        finish=Enamel(colour="#d8cfba", gloss=35),
        rim_finish=PaintedWood(colour="#4a3426", gloss=45, grain=70),
        letterings=(
            crater("SEA OF CALM NIGHTS", 6.5, -10, 8),
            crater("Tarn", 5.0, 38, 44),
            ring(17, 12, 43),
            crater("Old Lamp", 4.6, -34, 52),
            ring(24, -75, 49),
            crater("Ferrier", 4.6, 40, -30),
            ring(13, 15, -31),
            crater("Watchman", 4.6, -26, -38),
            ring(9, -56, -39),
        ),
    )


def first_light_medal() -> Job:
    """A medallion: words round the field and round the edge, the dome in the middle."""
    return Job(
        name="First-light medallion",
        blank=Medallion(diameter_mm=80, thickness_mm=6, rim_mm=3.5, sunk_mm=1.2),
        finish=Enamel(colour="#1c3a34", gloss=55),
        rim_finish=Brass(polish="polished"),
        letterings=(
            Lettering(
                content=Wording(
                    text="FIRST LIGHT\nTARNLIGHT 1931",
                    face=ShippedFace(name="cinzel-bold"),
                    cap_height_mm=5.6,
                    letter_spacing_mm=0.9,
                    arrangement=Circle(radius_mm=27.5, second_under=True),
                ),
                lay=Lay(side="front"),
                craft=Raised(height_mm=0.8, edge="rounded", edge_mm=0.3),
                finish=Brass(polish="polished"),
            ),
            Lettering(
                content=artwork("dome.svg", width_mm=40),
                lay=Lay(side="front", across_mm=2),
                craft=Raised(height_mm=0.9, edge="rounded", edge_mm=0.4),
                finish=Brass(polish="polished"),
            ),
            Lettering(
                content=Wording(
                    text="the night is long and full of stars",
                    face=ShippedFace(name="eb-garamond"),
                    cap_height_mm=2.8,
                ),
                lay=Lay(side="edge", repeat=Repeat(fill=True, gap_mm=8)),
                craft=Engraved(depth_mm=0.3, darkened=80),
                finish=AsBlank(),
            ),
        ),
    )


def founder_medal() -> Job:
    """A bronze medal: the observatory's first astronomer in relief, her name round her."""
    return Job(
        name="Founder's medal",
        blank=Medallion(diameter_mm=90, thickness_mm=7, rim_mm=3.2, sunk_mm=1.5),
        finish=Bronze(polish="satin", uneven=35, dullest=55),
        rim_finish=Bronze(polish="polished"),
        wear=Wear(rubbed=22, dirt=46, scratched=10),
        letterings=(
            Lettering(
                content=picture("astronomer.png", 47.0),
                lay=Lay(side="front", across_mm=-2.5),
                craft=Relief(height_mm=2.6, blend_mm=0.8, smooth_mm=0.15),
                finish=AsBlank(),
            ),
            Lettering(
                content=Wording(
                    text="ODA VERN · FIRST ASTRONOMER",
                    face=ShippedFace(name="cinzel-bold"),
                    cap_height_mm=5.2,
                    letter_spacing_mm=0.7,
                    arrangement=Circle(radius_mm=33.5),
                ),
                lay=Lay(side="front"),
                craft=Raised(height_mm=0.8, edge="rounded", edge_mm=0.3),
                finish=AsBlank(),
            ),
        ),
    )


def artwork(name: str, **more: Any) -> Artwork:
    """A drawing of the demo's own."""
    return content_of_file(FOLDER / "artwork" / name).model_copy(update=more)


def picture(name: str, width_mm: float) -> Picture:
    """A colour picture of the demo's own."""
    data = (FOLDER / "artwork" / name).read_bytes()
    return Picture(sha256=keep_asset(data, name), name=name, width_mm=width_mm)


PIECES: dict[str, Callable[[], Job]] = {
    "night-crew-mug": night_crew_mug,
    "dome-path-slate": trail_slate,
    "first-light-brass": first_light_brass,
    "gift-roundel": gift_roundel,
    "cafe-board": cafe_board,
    "telescope-plate": script_brass,
    "welcome-slate": welcome_slate,
    "moon-mug": moon_mug,
    "honey-jar": honey_jar,
    "night-band": night_band,
    "moon-globe": moon_globe,
    "first-light-medal": first_light_medal,
    "founder-medal": founder_medal,
    **YARD,
    **BENCH,
    **CLOAKROOM,
    **NIGHT,
}


# the set that each is shown in, and what is changed of its camera there
SHOWN: dict[str, tuple[str, dict[str, float]]] = {
    "night-crew-mug": ("white sweep", {}),
    "dome-path-slate": ("weathered planks", {}),
    "first-light-brass": ("picture light", {}),
    "gift-roundel": ("board wall by day", {}),
    "cafe-board": ("brick wall by day", {}),
    "telescope-plate": ("workshop bench", {}),
    "welcome-slate": ("linen cloth", {}),
    "moon-mug": ("table by a window", {}),
    "honey-jar": ("linen cloth", {}),
    "night-band": ("black acrylic", {}),
    "moon-globe": ("paper", {}),
    "first-light-medal": ("felt bench top", {}),
    "founder-medal": ("leather bench top", {}),
    "permit-plate": ("warm grey sweep", {}),
    "observers-logbook": ("table by a window", {}),
    "lens-brush": ("workshop bench", {}),
    "directors-signet": ("leather bench top", {}),
    "tarn-stone": ("weathered planks", {}),
    "crew-shirt": ("grey studio", {}),
    "crew-cap": ("warm grey sweep", {"turn_deg": 24.0, "tilt_deg": 15.0}),
    "shop-tote": ("wall by a window", {}),
    "shop-shirt": ("table by a window", {"turn_deg": 4.0}),
    "shuttle-van": ("kerb at evening", {}),
    "trail-sign": ("meadow", {}),
    "bank-letters": ("open field", {}),
    "dome-letters": ("in the dark", {}),
    "night-cafe-neon": ("in the dark", {}),
    "shuttle-stop": ("wall at night", {}),
    "cafe-box-sign": ("shop street at dusk", {}),
    "gift-shop": ("quay at dusk", {}),
    "dome-window": ("quay at dusk", {"turn_deg": 9.0, "tilt_deg": 1.0}),
}


def shown(stem: str) -> Job:
    """A demo job in its set, as it is handed over."""
    name, camera = SHOWN[stem]
    piece = PIECES[stem]()
    job = fitted(change(piece, ("wear", "handled"), AS_HANDED_OVER.handled), name)
    seen = job.setting.camera.model_copy(update=camera)
    return change(job, ("setting", "camera"), seen) if camera else job


JOBS: dict[str, Callable[[], Job]] = {stem: partial(shown, stem) for stem in PIECES}


ALL: dict[str, Callable[[], Job]] = JOBS | {stem: make for stem, (_, make) in PHOTOGRAPHED.items()}


def titles() -> dict[str, str]:
    """The names of all demo jobs, by the stems of their files."""
    names = {stem: make().name for stem, make in JOBS.items()}
    return names | {stem: name for stem, (name, _) in PHOTOGRAPHED.items()}


def write_job(stem: str, preview: bytes) -> None:
    """Write one demo job's file beside this module."""
    save_packed(ALL[stem](), FOLDER / f"{stem}.kcj", preview)
