"""What is known of each blank as an object: its size, how it stands, its parts, and what a job on it
begins with."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from kilnchisel.core.job.aprons import APRON_SIZES
from kilnchisel.core.job.blank import (
    Band,
    Blank,
    Bottle,
    Can,
    Globe,
    Jar,
    Medallion,
    Mug,
    Plaque,
    Tumbler,
)
from kilnchisel.core.job.boards import (
    Board,
    Book,
    BoxSign,
    Plate,
    ShopFront,
    Wall,
    Window,
)
from kilnchisel.core.job.bodies import (
    Apparel,
    Apron,
    Bank,
    Bracelet,
    Cap,
    Garment,
    Handle,
    Mesh3D,
    PeakedCap,
    Signet,
    ToteBag,
)
from kilnchisel.core.job.finish import (
    AS_HANDED_OVER,
    Brass,
    Cloth,
    Enamel,
    Glass,
    Gold,
    Grass,
    Masonry,
    Paint,
    PaintedWood,
    Paper,
    Plastic,
    Silver,
    Stainless,
    Wear,
    Wood,
)
from kilnchisel.core.job.garments import (
    HANGER_WALL_MM,
    HOOK_MM,
    collar_of,
    folded_size,
    measures_of,
    wall_behind,
)
from kilnchisel.core.job.setting import Ground
from kilnchisel.core.job.totes import TOTE_SIZES
from kilnchisel.core.job.vehicles import Aeroplane, BoxTruck, Coach, Hatchback, Hull, SailingHull, Van
from kilnchisel.core.kinds import UnknownKind

FOLDED_MM = 6.0  # two layers of cloth and the air between them
PILED_MM = 60.0  # a garment folded

Stance = Literal["standing", "lying", "hung", "worn"]
Measure = Callable[[Any], float]  # of a blank, mm
Word = str | Callable[[Any], str | None] | None  # of a blank: fixed, or by its form; None for nothing


def _upright(blank: Any) -> tuple[float, float]:
    return blank.diameter_mm, blank.height_mm


def _flat(blank: Any) -> tuple[float, float]:
    return blank.width_mm, blank.height_mm


def _ring(blank: Any) -> tuple[float, float]:
    return blank.inner_mm + 2 * blank.thickness_mm, blank.width_mm


def _lesser(blank: Any) -> float:
    return float(min(blank.height_mm, blank.width_mm))


def _worn_size(blank: Any) -> tuple[float, float]:
    """As wide as the arms hang, and as high as the cloth is long with its hood up."""
    m = measures_of(blank.garment, blank.size)
    return m.chest + 0.68 * m.sleeve, m.length + m.rib_hem + 0.78 * m.hood


def _hanging_size(blank: Any) -> tuple[float, float]:
    m = measures_of(blank.garment, blank.size)
    return m.chest + 0.9 * m.sleeve, m.length + m.rib_hem + HOOK_MM


def _off_the_wall(blank: Any) -> float:
    return wall_behind(measures_of(blank.garment, blank.size))


def _flat_size(blank: Any) -> tuple[float, float]:
    m = measures_of(blank.garment, blank.size)
    aside = math.cos(math.radians(m.sleeve_deg)) * (m.sleeve + m.rib_hem)
    return m.shoulders + 2 * aside, m.length + m.rib_hem + m.hood


def _tote_size(blank: Any) -> tuple[float, float]:
    m = TOTE_SIZES[blank.size]
    return m.wide, m.high + (m.peg if blank.shown == "hanging" else m.turn)


def _folded_size(blank: Any) -> tuple[float, float]:
    return folded_size(measures_of(blank.garment, blank.size))


def _pile_size(blank: Any) -> tuple[float, float]:
    """What is folded, with a hood laid up above it, which stands and is seen shorter."""
    wide, high = _folded_size(blank)
    return wide, high + 0.5 * measures_of(blank.garment, blank.size).hood


def _folded_middle(blank: Any) -> float:
    """The middle of what is seen of a front that is folded, below its collar."""
    m = measures_of(blank.garment, blank.size)
    return (collar_of(m, "front") + m.length / 2 - _folded_size(blank)[1]) / 2


def _chest_height(blank: Any) -> float:
    """The middle of a print on the chest, from the middle of a front."""
    m = measures_of(blank.garment, blank.size)
    return m.length / 2 - m.drop_front - 0.27 * m.length


def _own_thickness(blank: Any) -> float:
    return float(getattr(blank, "thickness_mm", 0.0))


@dataclass(frozen=True)
class Traits:
    """A kind of blank.

    ``size``: width and height as it stands or lies, roughly. ``side``: the one that a first lettering goes
    on, with the room for it and the v of its middle; ``along`` where it is not in the middle of that.
    ``stances``: how it can be shown, first as it is. ``rim``, ``detail``: what its second and third finish
    are for. ``finishes``: of blank, rim and detail at first, None being a job's own defaults. ``manner``:
    how a first lettering is made. ``view``: how high the camera is, degrees, and how far off, in sizes of
    the blank. ``wear``: what use has done to it. ``stays``: it is there already; nobody makes or turns it.
    ``bought``: it comes whole, and no one counts what it is made of. ``walled``: it is a wall or part of
    one. ``gapped``: the sides with narrow gaps, as between panels, which a film goes over.
    ``as_shown``: what is otherwise where the blank is shown otherwise (its field ``shown``).
    """

    size: Callable[[Any], tuple[float, float]]
    side: str = "outside"
    room: Measure = lambda b: 0.42 * float(b.height_mm)
    middle: Measure = lambda _: 0.0
    along: Measure = lambda _: 0.0
    stances: tuple[Stance, ...] = ("standing",)
    at_first: str | None = None  # the stance of a new job, where it is not the first
    thickness: Measure = _own_thickness
    deep: Measure | None = None  # from front to back as it stands, where that is not its width
    set: str = "table by a window"  # the set that a new job opens in
    rim: Word = "rim"
    detail: Word = None
    finishes: tuple[Any, Any, Any] | None = None
    ground: Ground | None = None
    manner: Literal["printed", "pale ink", "engraved", "gilt"] = "printed"
    view: tuple[float, float] = (20.0, 5.9)
    wear: Wear = AS_HANDED_OVER
    stays: bool = False
    bought: bool = False
    walled: bool = False
    gapped: Callable[[Any], tuple[str, ...]] = lambda _: ()
    as_shown: dict[str, dict[str, Any]] = field(default_factory=dict)

    @property
    def lies(self) -> bool:
        """Whether it lies on the ground or hangs on a wall, rather than standing."""
        return "lying" in self.stances


GAP_MM = 30.0  # between panels: what is wider is a window or a recess
WALL_MM = 120.0  # roughly: how deep a wall stands
ASPHALT = Ground(kind="asphalt")
BOARDED: tuple[Stance, ...] = ("lying", "hung", "standing")
LYING = (52.0, 4.3)  # views
OUT_OF_DOORS = (7.0, 3.1)

ON_A_TABLE: dict[str, Any] = {  # what of cloth is otherwise where it lies: its frame is on the table
    "stances": ("lying",),
    "thickness": lambda _: 0.0,
    "deep": lambda _: FOLDED_MM,
    "set": "paper",
    "view": LYING,
}


def _vehicle(**known: Any) -> Traits:
    """Of what stands out of doors on its wheels or keel, where nothing else is said."""
    usual: dict[str, Any] = {
        "size": lambda b: (b.length_mm, b.height_mm),
        "side": "left side",
        "deep": lambda b: b.width_mm,
        "set": "quay at dusk",
        "rim": "wheels and lamp rings",
        "detail": "windows",
        "finishes": (
            Paint(colour="#f1efe8", gloss=92),
            Stainless(polish="satin"),
            Paint(colour="#1b1f22", gloss=92),
        ),
        "ground": ASPHALT,
        "view": OUT_OF_DOORS,
        "bought": True,
    }
    return Traits(**(usual | known))


# what is seen into through its windows
GLAZED = (Paint(colour="#f1efe8", gloss=92), Stainless(polish="satin"), Glass(colour="#82918b"))

TRAITS: dict[type, Traits] = {
    Mug: Traits(
        _upright,
        room=lambda b: b.height_mm * 0.66,
        middle=lambda b: round(b.height_mm * 0.52, 1),
        bought=True,
    ),
    Plaque: Traits(
        _flat,
        side="front",
        room=_lesser,
        stances=BOARDED,
        rim="edge",
        manner="engraved",
        view=LYING,
    ),
    Tumbler: Traits(lambda b: (max(b.top_mm, b.foot_mm), b.height_mm), set="weathered planks", bought=True),
    Jar: Traits(_upright, room=lambda b: b.height_mm * 0.5, rim="lid", set="linen cloth", bought=True),
    Bottle: Traits(_upright, rim="cap", bought=True),
    Can: Traits(_upright, rim="rims and lids", set="white sweep", bought=True),
    Cap: Traits(
        _upright,
        set="white sweep",
        room=lambda b: b.height_mm * 0.9,
        rim=None,
        finishes=(Paint(colour="#d9cdb2", gloss=70), Enamel(), Enamel()),
    ),
    Band: Traits(
        _ring,
        set="warm grey sweep",
        room=lambda b: b.width_mm * 2.6,
        rim="inside",
        detail=lambda b: "inlay" if b.inlay_mm else None,
        finishes=(Gold(), Gold(), Silver()),
        manner="engraved",
        view=(30.0, 5.9),
    ),
    Signet: Traits(
        lambda b: (b.inner_mm + 2 * b.thickness_mm, b.inner_mm + 2 * b.thickness_mm + b.rise_mm),
        side="head",
        deep=lambda b: b.head_high_mm,
        set="leather bench top",
        room=lambda b: b.head_mm * 0.5,
        rim="inside",
        finishes=(Gold(polish="satin"), Gold(), Enamel()),
        manner="engraved",
        view=(46.0, 5.9),
    ),
    Bracelet: Traits(
        _ring,
        set="black acrylic",
        room=lambda b: b.width_mm * 2.6,
        rim="inside",
        finishes=(Silver(), Silver(polish="polished"), Enamel()),
        manner="engraved",
        view=(30.0, 4.3),
    ),
    Medallion: Traits(
        lambda b: (b.diameter_mm, b.diameter_mm),
        set="felt bench top",
        side="front",
        room=lambda b: (b.diameter_mm - 2 * b.rim_mm) * 0.45,
        stances=("lying", "hung"),
        manner="engraved",
        view=LYING,
    ),
    Globe: Traits(
        lambda b: (b.diameter_mm, b.diameter_mm * (1.17 if b.foot else 1.0)),
        side="all round",
        set="paper",
        room=lambda b: b.diameter_mm * 0.5,
        rim=lambda b: "foot" if b.foot else None,
    ),
    Board: Traits(
        _flat,
        gapped=lambda b: ("front",) if 0 < b.line_mm < GAP_MM and b.line_rise_mm < 0 else (),
        side="front",
        room=_lesser,
        stances=BOARDED,
        at_first="hung",
        rim="edge and frame",
        detail=lambda b: "border line" if b.line_mm else None,
        finishes=(PaintedWood(), PaintedWood(colour="#d8c59a"), Paint(colour="#d8b45a", gloss=60)),
        ground=Ground(kind="plaster", colour="#c9bfad"),
        set="render wall by day",
        manner="gilt",
        view=(4.0, 3.4),
    ),
    Plate: Traits(
        _flat,
        set="warm grey sweep",
        side="front",
        room=_lesser,
        stances=BOARDED,
        rim=lambda b: "rim" if b.rim_mm > 0 else None,
        finishes=(Paint(colour="#eef0ea", gloss=80), Paint(colour="#22345f"), Enamel()),
        view=LYING,
    ),
    BoxSign: Traits(
        _flat,
        side="front",
        bought=True,
        room=lambda b: _lesser(b) * 0.55,
        rim="case",
        detail="bracket",
        finishes=(
            Plastic(colour="#f4ecd8", gloss=45),
            Paint(colour="#2d3b36"),
            Paint(colour="#25282a", gloss=55),
        ),
        ground=Ground(kind="plaster", colour="#b3a892"),
        deep=lambda b: b.depth_mm,
        set="shop street at dusk",
    ),
    Wall: Traits(
        _flat,
        gapped=lambda b: ("front",) if b.surface != "plaster" else (),
        stays=True,
        walled=True,
        side="front",
        room=lambda b: b.height_mm * 0.9,
        rim=lambda b: "joints" if b.surface != "plaster" else None,
        deep=lambda _: WALL_MM,
        set="quay at dusk",
        finishes=(Masonry(), Masonry(colour="#b9b0a0"), Enamel()),
        ground=ASPHALT,
        manner="pale ink",
        view=OUT_OF_DOORS,
    ),
    ShopFront: Traits(
        _flat,
        gapped=lambda _: ("wall",),
        stays=True,
        walled=True,
        side="fascia",
        room=lambda b: b.fascia_mm * 2.2,
        rim="joints",
        detail="woodwork",
        deep=lambda _: 2 * WALL_MM,
        set="quay at dusk",
        finishes=(
            Masonry(),
            Masonry(colour="#b9b0a0"),
            Paint(colour="#1f3b36", gloss=70),
        ),
        ground=ASPHALT,
        manner="pale ink",
        view=OUT_OF_DOORS,
    ),
    Window: Traits(
        _flat,
        stays=True,
        walled=True,
        side="outside",
        room=lambda b: b.width_mm * 0.42,
        rim="frame",
        deep=lambda _: 2 * WALL_MM,
        set="quay at dusk",
        finishes=(
            Masonry(colour="#cbc3b2", surface="plaster"),
            PaintedWood(colour="#2f3b3a"),
            Enamel(),
        ),
        ground=ASPHALT,
        manner="pale ink",
        view=(2.0, 2.6),
    ),
    Book: Traits(
        _flat,
        bought=True,
        side="front cover",
        room=lambda b: b.width_mm * 0.5,
        middle=lambda b: round(b.height_mm * 0.14, 1),
        stances=("lying", "standing"),
        rim=None,
        detail="pages",
        finishes=(Cloth(), Cloth(), Paper()),
        manner="pale ink",
        view=LYING,
    ),
    Handle: Traits(
        lambda b: (b.length_mm * (1.0 if b.head == "none" else 1.45), b.widest_mm),
        side="front",
        deep=lambda b: b.widest_mm,
        set="workshop bench",
        room=lambda b: b.widest_mm * 0.9,
        along=lambda b: round(-0.09 * b.length_mm, 1),  # where it is widest
        rim="ferrule",
        detail=lambda b: "bristles" if b.head == "brush" else None,
        finishes=(Wood(), Brass(), Paper(colour="#33291f")),
        wear=Wear(handled=26.0),  # a tool is used
        manner="engraved",
        view=(20.0, 4.3),
    ),
    Hull: _vehicle(
        room=lambda b: b.height_mm * 0.72,
        middle=lambda b: round(-0.1 * b.height_mm, 0),
        rim=None,
        detail=lambda b: "windows" if b.window_rows else None,
        finishes=(Paint(colour="#f1efe8"), Paint(colour="#22345f"), Paint(colour="#1a2026", gloss=100)),
    ),
    Van: _vehicle(
        set="kerbside",
        gapped=lambda _: ("left side", "right side", "nose", "rear"),
        room=lambda b: b.height_mm * 0.48,
        along=lambda b: round(0.285 * b.length_mm, 0),  # between the door and the rear
        rim="hubs and lamps",
        finishes=GLAZED,
    ),
    Hatchback: _vehicle(
        set="kerbside",
        gapped=lambda _: ("left side", "right side", "bonnet", "nose", "rear"),
        room=lambda b: b.height_mm * 0.3,
        along=lambda b: round(-0.07 * b.length_mm, 0),  # on the front door
        middle=lambda b: round(-0.05 * b.height_mm, 0),
        rim="rims and lamp rings",
        finishes=GLAZED,
    ),
    BoxTruck: _vehicle(
        set="kerbside",
        gapped=lambda _: ("left door", "right door", "nose", "rear"),
        finishes=GLAZED,
        room=lambda b: b.height_mm * 0.62,
        middle=lambda b: round(0.06 * b.height_mm, 0),
    ),
    Coach: _vehicle(
        set="kerbside",
        gapped=lambda _: ("left side", "right side", "nose", "rear"),
        finishes=GLAZED,
        room=lambda b: b.length_mm * 0.15,
        along=lambda b: round(-0.03 * b.length_mm, 0),  # between the axles
        middle=lambda b: round(-0.112 * b.height_mm, 0),  # over the flaps, under the glass
    ),
    Aeroplane: _vehicle(
        set="hard standing",
        gapped=lambda _: ("left side", "right side"),
        size=lambda b: (b.length_mm, 1.36 * b.width_mm + b.fin_mm),
        deep=lambda b: b.span_mm,
        room=lambda b: b.length_mm * 0.12,
        along=lambda b: round(-0.17 * b.length_mm, 0),  # before the wing
        middle=lambda b: round(0.36 * b.width_mm, 0),  # over the windows
        rim="wings",
        finishes=(
            Paint(colour="#efede7", gloss=92),
            Paint(colour="#a8adb0", gloss=70),
            Paint(colour="#14181a", gloss=96),
        ),
    ),
    SailingHull: _vehicle(
        set="hard standing",
        size=lambda b: (b.length_mm, b.draught_mm + 1.4 * b.freeboard_mm + 700.0),
        room=lambda b: b.freeboard_mm * 1.5,
        along=lambda b: round(0.2 * b.length_mm, 0),  # on the quarter
        middle=lambda b: round(0.12 * b.freeboard_mm, 0),
        rim="bottom paint",
        detail="stripe and windows",
        finishes=(
            Paint(colour="#f1efe8", gloss=96),
            Paint(colour="#5f2a24", gloss=22),
            Paint(colour="#1c2b4a", gloss=96),
        ),
    ),
    Apparel: Traits(
        _worn_size,
        bought=True,
        side="front",
        room=lambda b: measures_of(b.garment, b.size).chest * 0.34,
        middle=lambda b: round(_chest_height(b), 0),
        stances=("worn",),
        thickness=lambda _: 240.0,
        deep=lambda _: 260.0,
        set="grey studio",
        as_shown={
            "on a hanger": {
                "size": _hanging_size,
                "stances": ("hung",),
                "thickness": _off_the_wall,
                "deep": lambda b: 2 * _off_the_wall(b),
                "set": "wall by a window",
            },
            "laid flat": ON_A_TABLE | {"size": _flat_size},
            "folded": ON_A_TABLE
            | {
                "size": _pile_size,
                "room": lambda b: 0.36 * _folded_size(b)[0],
                "middle": lambda b: round(_folded_middle(b), 0),
                "deep": lambda _: PILED_MM,
                "set": "table by a window",
            },
        },
        rim="rib",
        detail="stitches",
        finishes=(
            Cloth(colour="#26314f", weave="cotton"),
            Cloth(colour="#232d49", weave="cotton"),
            Cloth(colour="#33405f", weave="cotton"),
        ),
        manner="pale ink",
        view=(2.0, 3.6),
    ),
    ToteBag: Traits(
        _tote_size,
        bought=True,
        side="front",
        stances=("hung",),
        room=lambda b: 0.5 * TOTE_SIZES[b.size].wide,
        thickness=lambda _: HANGER_WALL_MM,
        deep=lambda _: 2 * HANGER_WALL_MM,
        set="wall by a window",
        rim="handles",
        detail="stitches",
        finishes=(
            Cloth(colour="#d8ceb8", weave="canvas"),
            Cloth(colour="#d8ceb8", weave="canvas"),
            Cloth(colour="#efe9da", weave="cotton"),
        ),
        view=(2.0, 3.6),
        as_shown={"laid flat": ON_A_TABLE},
    ),
    Apron: Traits(
        lambda b: (APRON_SIZES[b.size].wide, APRON_SIZES[b.size].high + APRON_SIZES[b.size].turn),
        bought=True,
        side="front",
        stances=("worn",),
        room=lambda b: 0.6 * APRON_SIZES[b.size].bib,
        middle=lambda b: round(APRON_SIZES[b.size].high / 2 - 0.5 * APRON_SIZES[b.size].bib_high, 0),
        thickness=lambda _: 240.0,
        deep=lambda _: 300.0,
        set="grey studio",
        rim="strap and tie",
        detail="stitches",
        finishes=(
            Cloth(colour="#3d3a36", weave="canvas"),
            Cloth(colour="#35322f", weave="canvas"),
            Cloth(colour="#8f8a80", weave="cotton"),
        ),
        manner="pale ink",
        view=(2.0, 3.6),
        as_shown={"laid flat": ON_A_TABLE},
    ),
    PeakedCap: Traits(
        lambda b: (0.26 * b.head_mm, b.crown_mm + 30.0),
        bought=True,
        side="front",
        room=lambda b: b.crown_mm * 0.75,
        middle=lambda b: round(0.4 * b.crown_mm, 0),
        deep=lambda b: 0.34 * b.head_mm + b.peak_mm,
        set="warm grey sweep",
        rim="peak and button",
        detail="stitches",
        finishes=(
            Cloth(colour="#2b3a33", weave="cotton"),
            Cloth(colour="#243029", weave="cotton"),
            Cloth(colour="#8d8467", weave="cotton"),
        ),
        manner="pale ink",
        view=(14.0, 4.6),
    ),
    Garment: Traits(
        lambda b: (b.chest_mm + 1.4 * b.sleeve_mm, b.length_mm),
        gapped=lambda _: ("front",),
        bought=True,
        side="front",
        room=lambda b: b.chest_mm * 0.5,
        middle=lambda b: round(b.length_mm * 0.16, 0),
        stances=("lying", "hung"),
        thickness=lambda _: FOLDED_MM,
        set="warm grey sweep",
        rim="collar and hem",
        finishes=(Cloth(colour="#26314f"), Cloth(colour="#1d2742"), Cloth()),
        manner="pale ink",
        view=LYING,
    ),
    Bank: Traits(
        lambda b: (b.width_mm, b.rise_mm),
        stays=True,
        side="slope",
        deep=lambda b: b.deep_mm,
        set="open field",
        room=lambda b: b.rise_mm * 1.6,
        rim="cut ground",
        finishes=(Grass(), Grass(), Enamel()),
        ground=Ground(kind="grass"),
        manner="pale ink",
        view=OUT_OF_DOORS,
    ),
    Mesh3D: Traits(
        lambda b: (max(b.size_mm[:2]), b.size_mm[2]),
        side="any spot",
        deep=lambda b: b.size_mm[1],
        set="warm grey sweep",
        # of a flat sheet that lies, its narrower extent
        room=lambda b: min(b.size_mm[0], b.size_mm[2]) * 0.4 or sorted(b.size_mm)[-2],
        rim=None,
        finishes=(Paint(colour="#cfc6b4", gloss=45), Paint(colour="#5b6f6a"), Paint(colour="#3a3f42")),
    ),
}


def traits_of(blank: Blank) -> Traits:
    """What is known of this kind of blank. Raises UnknownKind for one that is not in the table."""
    known = TRAITS.get(type(blank))
    if known is None:
        raise UnknownKind(f"The table of traits has no entry for {type(blank).__name__}.")
    other = known.as_shown.get(getattr(blank, "shown", ""))
    return replace(known, **other) if other else known


def size_of(blank: Blank) -> tuple[float, float]:
    """Width and height of a blank as it stands or lies, roughly, mm."""
    return traits_of(blank).size(blank)


def main_side(blank: Blank) -> tuple[str, float, float]:
    """The side a first lettering goes on, the room for it and its middle's v, mm."""
    traits = traits_of(blank)
    return traits.side, traits.room(blank), traits.middle(blank)


def stances_of(blank: Blank) -> tuple[str, ...]:
    """How a blank can be shown: lying, hung on a wall, standing on its lower edge."""
    return traits_of(blank).stances


def stance_among(blank: Blank, wanted: str) -> str:
    """How a blank is shown: as it is wanted where it can be, else as it stands."""
    stances = stances_of(blank)
    return wanted if wanted in stances else stances[0]


def thickness_of(blank: Blank) -> float:
    """How thick a blank that lies flat is, mm."""
    return traits_of(blank).thickness(blank)


def deep_of(blank: Blank) -> float:
    """How far a blank goes from front to back as it stands, mm."""
    traits = traits_of(blank)
    if traits.deep is not None:
        return traits.deep(blank)
    return traits.thickness(blank) if traits.lies else traits.size(blank)[0]


def rim_word(blank: Blank) -> str | None:
    """What the second finish of a blank is for; None where it has no such part."""
    return _word(traits_of(blank).rim, blank)


def detail_word(blank: Blank) -> str | None:
    """What the third finish of a blank is for; None where it has no such part."""
    return _word(traits_of(blank).detail, blank)


def _word(word: Word, blank: Blank) -> str | None:
    return word(blank) if callable(word) else word
