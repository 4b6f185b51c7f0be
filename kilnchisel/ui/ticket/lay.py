"""The Lay section: which side, where on it, and how it stands to what else is there."""

from __future__ import annotations

import math

from kilnchisel.core.blanks.imported import free_mesh
from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.build import can_be_on_both, outline_of, side_about, sides_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import Mug
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.tradeplaces import places_of
from kilnchisel.core.job.wording import Fit, Wording
from kilnchisel.core.laying.flat import unrolls_true
from kilnchisel.core.laying.patch import ANY_SPOT
from kilnchisel.core.lettering.arranging import is_straight
from kilnchisel.core.shop.placing import at_place, companions, lined_up, spread_out
from kilnchisel.ui.ticket.fields import Spec, at, link, ranged

LINE_UPS = (
    ("left", "Left edges"),
    ("middle", "Middles"),
    ("right", "Right edges"),
    ("top", "Upper edges"),
    ("level", "Levels"),
    ("bottom", "Lower edges"),
)


STANDS = ((False, "Behind"), (True, "Before"))  # what hides things in a photo


def lay_specs(job: Job, here: tuple[str | int, ...]) -> list[Spec]:
    path = (*here, "lay")
    fields = []
    try:
        sides = sides_of(job.blank)
    except KilnError:
        sides = ()  # a mesh that is lost: the picture says so
    if len(sides) > 1:
        options = tuple((name, name.capitalize()) for name in sides)
        kind = "choice" if len(sides) < 4 else "menu"
        fields.append(at((*path, "side"), "Side", kind, options=options))
    fields += _wrap(job, here)
    fields.append(
        ranged(
            job, (*path, "along_mm"), "Along", "length", hint="From the middle of the front, to the right."
        )
    )
    index = int(here[1])
    side = side_about(job, index)
    if side is not None and side.period is not None:
        fields += _round(job, path, index, side.period / (2 * math.pi))
    across = "Up" if isinstance(job.blank, Mug) else "Above middle"
    fields.append(ranged(job, (*path, "across_mm"), across, "length"))
    fields.append(ranged(job, (*path, "turn_deg"), "Turn", "angle", step=1))
    photo = job.setting.photo
    if photo is not None and photo.before is not None:
        fields.append(at((*here, "before"), "In the photo", "switch", options=STANDS))
    hint = "Mirrored: for film behind glass that is read from the front, and for stamps."
    reads = ((False, "As it stands"), (True, "Mirrored"))
    fields.append(at((*path, "mirrored"), "Reads", "switch", options=reads, hint=hint))
    if can_be_on_both(job, index):
        fields.append(
            at(
                (*path, "both"),
                "Opposite side",
                "switch",
                options=((False, "No"), (True, "The same")),
                hint="One lettering on both sides, reading right on each.",
            )
        )
    if job.letterings[index].lay.both:
        fields.append(link("lay.unlink", "", "Unlink the opposite side"))
    if side is not None and side.clear:
        fields += [
            link("lay.between along", "Between zones", "Half way, sideways"),
            link("lay.between up", "", "Half way, up and down"),
        ]
    if names := places_of(job.blank):
        fields.append(
            Spec(
                "lay.at place",
                "Put it",
                lambda _: "",
                lambda job, name: at_place(job, index, name) if name else job,
                "menu",
                options=(("", "where the trade does…"), *((name, name.capitalize()) for name in names)),
                hint="On garments from the collar or the end of a sleeve; in rings beside an inscription.",
            )
        )
    fields += _company(job, index)
    if side is not None and side.taper is not None and job.letterings[index].lay.wrap == "follow":
        fields.append(
            at(
                (*path, "cone"),
                "On the taper",
                "choice",
                options=(("straight rows", "Rows level"), ("unrolled", "Unrolled")),
                hint="Level rows stretch away from their middle; unrolled ones bend and stay true.",
            )
        )
    if side is not None and side.period is not None:
        fields.append(
            ranged(
                job,
                (*path, "seam_deg"),
                "Seam at",
                "angle",
                step=5,
                hint="From the middle of the lettering round to the seam; 180° is opposite.",
            )
        )
    if _is_stretched(job, index):
        fields.append(
            ranged(
                job,
                (*path, "stretch_limit"),
                "Warn of stretch",
                "percent",
                step=1,
                hint="More is warned of.",
            )
        )
        fields.append(link("lay.stretch", "", "Show it in the picture"))
    return fields


def _is_stretched(job: Job, index: int) -> bool:
    if isinstance(job.blank, Mesh3D):
        return True  # nearly always; to be sure it would have to be unrolled here, which takes its time
    side = side_about(job, index)
    unrolled = side is not None and side.taper is not None and job.letterings[index].lay.cone == "unrolled"
    return side is not None and not unrolled and not unrolls_true(side)


def _wrap(job: Job, here: tuple[str | int, ...]) -> list[Spec]:
    """How letters lie on a surface that bends."""
    lay = job.letterings[int(here[1])].lay
    options = [("follow", "Follow"), ("project", "Straight on")]
    if isinstance(job.blank, Mesh3D):
        if lay.side != ANY_SPOT:
            return []
        try:
            if free_mesh(job.blank).surface_map is not None:
                options.append(("own map", "Its own map"))
        except KilnError:
            pass  # the picture says what is wrong with the mesh
    elif isinstance(side_about(job, int(here[1])), Plane | None):
        return []
    return [
        at(
            (*here, "lay", "wrap"),
            "On the surface",
            "choice",
            options=tuple(options),
            hint="Follow the surface, or be seen straight on and trimmed where it turns away.",
        )
    ]


def _company(job: Job, index: int) -> list[Spec]:
    """How the letterings of one side stand to each other."""
    others = len(companions(job, index)) - 1
    if others < 1:
        return []
    fields = [
        Spec(
            "lay.line up",
            "Line up others",
            lambda _: "",
            lambda job, edge: lined_up(job, index, edge) if edge else job,
            "menu",
            options=(("", "by…"), *LINE_UPS),
            hint="The other letterings of this side are brought into line with this one.",
        )
    ]
    if others >= 2:
        fields.append(
            Spec(
                "lay.spread out",
                "Equal gaps",
                lambda _: "",
                lambda job, way: spread_out(job, index, way) if way else job,
                "menu",
                options=(("", "all of this side…"), ("up", "Up and down"), ("along", "Sideways")),
            )
        )
    return fields


def _round(job: Job, path: tuple[str | int, ...], index: int, radius: float) -> list[Spec]:
    """The place as degrees round, and how far round the words go, on a closed side."""
    fields = [
        Spec(
            "along_deg",
            "Round",
            lambda job: math.degrees(job.letterings[index].lay.along_mm / radius),
            lambda job, value: change(job, (*path, "along_mm"), math.radians(value) * radius),
            "angle",
            step=5,
            hint="The same place as degrees round.",
        )
    ]
    wording = job.letterings[index].content
    if not isinstance(wording, Wording) or not is_straight(wording):
        return fields

    def degrees(job: Job) -> float:
        try:
            return math.degrees(outline_of(job.letterings[index].content).width_mm / radius)
        except KilnError:
            return 0.0

    def spread(job: Job, value: float) -> Job:
        by = Fit(by="spacing", width_mm=max(math.radians(value) * radius, 0.5))
        return change(job, ("letterings", index, "content", "fit"), by)

    return [
        *fields,
        Spec(
            "spread_deg",
            "Spread over",
            degrees,
            spread,
            "angle",
            step=5,
            least=1.0,
            most=360.0,
            hint="The letters are set apart until the words go so far round.",
        ),
    ]
