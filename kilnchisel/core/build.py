"""The chain of the stages, each remembered by the values it was given.

A keystroke redoes outline, lay and the one sheet it lies on; moving the camera redoes none of them.
"""

from __future__ import annotations

import contextlib
import hashlib
import math
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.beside import Beside, all_of
from kilnchisel.core.blanks.bodies import body_of, sides_about, sides_at
from kilnchisel.core.blanks.body import Body, Sheet, Sides
from kilnchisel.core.blanks.imported import free_mesh
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.blanks.terrain import level_of_bank
from kilnchisel.core.crafts.fittings import fitting_parts
from kilnchisel.core.crafts.freemesh import craft_free
from kilnchisel.core.crafts.inked import inked_of
from kilnchisel.core.crafts.lettered import FarFace, craft_sheet
from kilnchisel.core.crafts.piece import Lamp, Part, Piece, shell_parts
from kilnchisel.core.crafts.standing import standing_parts
from kilnchisel.core.crafts.threads import embroidered_parts, overlocked_parts
from kilnchisel.core.crafts.through import across, behind_parts, pressed_out
from kilnchisel.core.crafts.tubes import tube_parts
from kilnchisel.core.crafts.upright import upright_parts
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes.wear import Marked, marked
from kilnchisel.core.job.artwork import Artwork, Frame, Shape
from kilnchisel.core.job.blank import Blank
from kilnchisel.core.job.bodies import Bank, Mesh3D
from kilnchisel.core.job.company import alone
from kilnchisel.core.job.crafts import (
    Craft,
    CutThrough,
    Embroidered,
    Fitting,
    Standing,
    Tube,
    WovenPatch,
    stands_free,
)
from kilnchisel.core.job.edits import change, with_lettering
from kilnchisel.core.job.lettering import Content, Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.photo import Photo
from kilnchisel.core.job.traits import traits_of
from kilnchisel.core.job.wording import Circle, Rows, Wording
from kilnchisel.core.job.words.sections import piece_words
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.laying.chart import Chart
from kilnchisel.core.laying.laid import Laid, lay_outline
from kilnchisel.core.laying.patch import ANY_SPOT, chart_for
from kilnchisel.core.lettering.content import artwork_size, outline_of_content
from kilnchisel.core.lettering.faces import load_face
from kilnchisel.core.lettering.outline import Outline
from kilnchisel.core.lettering.polygons import stroke_mm
from kilnchisel.core.remembered import known, made_elsewhere, remembered
from kilnchisel.core.scene.copies import shown_body
from kilnchisel.core.scene.grounds import plane_of
from kilnchisel.core.scene.onphoto import Plane, between_places, light_brought, light_turned, photo_view
from kilnchisel.core.scene.scene import (
    Companion,
    OnPhoto,
    Scene,
    box_of,
    middle_of,
    prepare_surroundings,
    scene_of,
)
from kilnchisel.core.scene.stance import stance_of
from kilnchisel.core.scene.view import View, square_on, walk_round

Array = NDArray[Any]


@dataclass(frozen=True)
class _Making:
    """What decides the geometry of one lettering: everything but its finish."""

    index: int
    content: Content
    lay: Lay
    craft: Craft


@remembered
def outline_of(wording: Content) -> Outline:
    """The drawn wording or artwork. Raises KilnError when it cannot be used."""
    return outline_of_content(wording)


@remembered
def laid_of(blank: Blank, wording: Content, lay: Lay, *, detail: Detail) -> Laid:
    """The wording on its side; on a mesh in detail or in a hurry. Raises KilnError for a side the blank
    does not have."""
    round_ = isinstance(wording, Wording) and isinstance(wording.arrangement, Circle)
    outline = outline_of(wording)
    side = side_of(blank, lay, reach_of(outline, lay), detail=detail)
    if isinstance(wording, Shape) and isinstance(wording.form, Frame):
        outline = outline_of(_following(wording, wording.form, side, lay))
    return lay_outline(outline, side, lay, centre=round_)


LEAST_ROW_MM = 0.1


@remembered
def row_length(wording: Wording) -> float:
    """The length of the words set straight, mm. Raises KilnError when their face cannot be used."""
    straight = wording.model_copy(update={"arrangement": Rows()})
    return max(outline_of(straight).width_mm, LEAST_ROW_MM)


def width_of(job: Job, index: int) -> float:
    """How wide a lettering is drawn, mm; what cannot be drawn counts as 100."""
    try:
        return max(round(outline_of(job.letterings[index].content).width_mm, 1), 1.0)
    except KilnError:
        return 100.0


FRAME_POINTS = 2000


def _following(shape: Shape, form: Frame, side: Side, lay: Lay) -> Shape:
    """A frame with the outline of the side it lies on, about the place it lies at. Round a closed side it
    keeps its own."""
    if side.period is not None or isinstance(side, Chart):
        return shape
    around = shapely.Polygon(side.domain.exterior)
    if len(around.exterior.coords) > FRAME_POINTS:
        around = shapely.simplify(around, 0.01)
    points = shapely.get_coordinates(around)[:-1] - (lay.along_mm, lay.across_mm)
    drawn = tuple((float(u), float(v)) for u, v in points)
    return shape.model_copy(update={"form": form.model_copy(update={"points": drawn})})


def side_of(blank: Blank, lay: Lay, reach_mm: float = 10.0, *, detail: Detail = Detail.FINE) -> Side:
    """The side a lettering lies on. On a mesh it is made for the lettering, ``reach_mm`` each way from
    its spot, in detail or in a hurry. Raises KilnError for a side the blank does not have."""
    if isinstance(blank, Mesh3D):
        return chart_for(free_mesh(blank), lay, reach_mm, detail=detail)
    return sides_at(blank).named(lay.side)


def side_about(job: Job, index: int) -> Side | None:
    """The side a lettering lies on, for whoever asks whether it closes, tapers or has zones; None on a
    mesh, where it does none of that, and for a side that the blank does not have."""
    if isinstance(job.blank, Mesh3D):
        return None
    with contextlib.suppress(KilnError):
        return sides_about(job.blank).named(job.letterings[index].lay.side)
    return None


def reach_of(outline: Outline, lay: Lay) -> float:
    """How far a lettering comes from its spot, with some air, mm."""
    left, low, right, high = outline.bounds
    far = max(abs(left), abs(right)), max(abs(low), abs(high))
    return 1.15 * float(np.hypot(*far)) + float(np.hypot(lay.along_mm, lay.across_mm)) + 1.0


def lettering_laid(job: Job, index: int, *, detail: Detail = Detail.FINE) -> Laid:
    """One lettering of a job, laid; on a mesh in detail or in a hurry."""
    lettering = job.letterings[index]
    return laid_of(job.blank, lettering.content, lettering.lay, detail=_laying(job.blank, detail))


def sides_of_job(job: Job) -> Sides | None:
    """The sides of the job's blank; None on a mesh, where a lettering makes its own."""
    return None if isinstance(job.blank, Mesh3D) else sides_at(job.blank)


def laid_elsewhere(job: Job, laid: tuple[Laid, ...], sides: Sides | None, *, detail: Detail) -> None:
    """The letterings of a job as another process has laid them, on its sides: nobody need do it again."""
    if sides is not None:
        made_elsewhere(sides, sides_at, job.blank)
    for lettering, one in zip(job.letterings, laid, strict=True):
        content = lettering.content
        made_elsewhere(one, laid_of, job.blank, content, lettering.lay, detail=_laying(job.blank, detail))
        if not (isinstance(content, Shape) and isinstance(content.form, Frame)):  # it follows its side
            made_elsewhere(one.outline, outline_of, content)
            if isinstance(content, Wording) and content.arrangement == Rows():
                made_elsewhere(max(one.outline.width_mm, LEAST_ROW_MM), row_length, content)


def prepare(job: Job) -> None:
    """Read the fonts, the artwork's sizes and the mesh of a job and make its sides, so that whoever asks
    for them later has them. What cannot be read is told where it is asked for."""
    for lettering in job.letterings:
        with contextlib.suppress(KilnError):
            if isinstance(lettering.content, Wording):
                load_face(lettering.content.face)
            if isinstance(lettering.content, Artwork):
                artwork_size(lettering.content)
    with contextlib.suppress(KilnError):
        if isinstance(job.blank, Mesh3D):
            free_mesh(job.blank).nearest(np.zeros(3))  # with what looking for places on it takes
        else:
            sides_at(job.blank)


@remembered
def _sheet_parts(
    blank: Blank,
    side: str,
    makings: tuple[_Making, ...],
    across_makings: tuple[_Making, ...] = (),
    *,
    detail: Detail,
) -> tuple[Part, ...]:
    """``across_makings``: what is on the other face, where something is cut through or pressed out."""
    sheet = body_of(blank).sheet(side)
    sheet = sheet.coarser() if detail.rough else sheet
    laid = _all_laid(blank, makings, detail)
    faces = across(body_of(blank), side)
    if faces is None:
        return craft_sheet(sheet, laid, detail=detail)
    other = body_of(blank).sheet(faces[1].name)
    panel = FarFace(faces[2], other, _all_laid(blank, across_makings, detail))
    return craft_sheet(sheet, laid, panel, detail=detail)


def _laying(blank: Blank, detail: Detail) -> Detail:
    """Only on a mesh is it worth hurrying a lay."""
    return detail if isinstance(blank, Mesh3D) else Detail.FINE


def _all_laid(blank: Blank, makings: tuple[_Making, ...], detail: Detail) -> list[tuple[int, Laid, Craft]]:
    """The letterings as a craft takes them; rough with fewer points."""
    laying = _laying(blank, detail)
    laid = [(m.index, laid_of(blank, m.content, m.lay, detail=laying), m.craft) for m in makings]
    return [(i, item.roughly(), craft) for i, item, craft in laid] if detail.rough else laid


@remembered
def _shells(blank: Blank, *, detail: Detail) -> tuple[Part, ...]:
    return shell_parts(body_of(blank, detail=detail))


@remembered
def _piece(blank: Blank, makings: tuple[_Making, ...], *, detail: Detail) -> Piece:
    if isinstance(blank, Mesh3D):
        surface = tuple(m for m in makings if not stands_free(m.craft))
        laid = _all_laid(blank, surface, detail)
        return _with_free(blank, craft_free(free_mesh(blank), laid, detail=detail), makings, detail=detail)
    body = body_of(blank)
    for making in makings:
        body.sheet(making.lay.side)  # names the sides when there is no such side
    shells = Beside(lambda: _shells(blank, detail=detail))
    made, cuts, free = [], [], []
    for sheet in body.sheets:
        name = sheet.side.name
        mine = tuple(on for m in makings if (on := _on_side(m, body, name)) is not None)
        free += [m for m in mine if stands_free(m.craft)]
        cut = tuple(m for m in mine if not stands_free(m.craft))
        partner = body.opposite(name)
        across_ = tuple(
            on
            for m in makings
            if partner is not None
            and not stands_free(m.craft)
            and (on := _on_side(m, body, partner)) is not None
        )
        faces = across(body, name)
        thick = math.inf if faces is None else faces[2]
        if not any(_opens(m) for m in (*cut, *across_)) and not any(
            pressed_out(m.craft, thick) for m in across_
        ):
            across_ = ()  # nothing reaches from one face to the other
        own = detail if cut or across_ else _bare_detail(blank, sheet, detail=detail)
        made.append(partial(_sheet_parts, blank, name, cut, across_, detail=own))
        cuts.append(cut)
    parts: list[Part] = []
    for cut, own_parts in zip(cuts, all_of(made), strict=True):
        parts += own_parts
        for making in cut:
            parts += _behind(blank, making) + _overlocked(blank, making, detail=detail)
    parts = [*shells.get(), *parts]
    return _with_free(blank, tuple(parts), tuple(free), detail=detail)


def _bare_detail(blank: Blank, sheet: Sheet, *, detail: Detail) -> Detail:
    """In what detail a side without letters is made: in all, even while something moves, as it need not be
    made again then. But for the very first picture windows and gaps are not let into a fine net."""
    first = not known(_sheet_parts, blank, sheet.side.name, (), (), detail=Detail.FINE)
    return detail if first and sheet.net is not None and sheet.insets else Detail.FINE


def _opens(making: _Making) -> bool:
    """Whether it goes right through its panel."""
    return isinstance(making.craft, CutThrough) and making.craft.fill == "open"


@remembered
def _behind(blank: Blank, making: _Making) -> tuple[Part, ...]:
    """What is seen through the openings of a lettering."""
    panel = across(body_of(blank), making.lay.side)
    if not isinstance(making.craft, CutThrough) or panel is None:
        return ()
    laid = laid_of(blank, making.content, making.lay, detail=Detail.FINE)
    return behind_parts(making.index, laid, making.craft, panel[2])


@remembered
def _overlocked(blank: Blank, making: _Making, *, detail: Detail) -> tuple[Part, ...]:
    """The thread over the edge of a patch."""
    if not isinstance(making.craft, WovenPatch):
        return ()
    laid = laid_of(blank, making.content, making.lay, detail=Detail.FINE)
    return overlocked_parts(making.index, laid, making.craft, detail=detail)


@dataclass(frozen=True)
class _Off:
    """A lettering that stands off its surface, with what it is laid on."""

    blank: Blank
    making: _Making
    laid: Laid
    detail: Detail


Free = tuple[tuple[Part, ...], tuple[Lamp, ...]]


@remembered
def _free_parts(blank: Blank, making: _Making, *, detail: Detail) -> Free:
    laid = laid_of(
        blank,
        making.content,
        making.lay,
        detail=_laying(blank, detail),
    )
    return parts_off(making.craft, _Off(blank, making, laid, detail))


@by_kind(Tube | Standing | Fitting | Embroidered)
def parts_off(craft: Any, off: _Off) -> Free:
    """The parts and lamps of a craft that stands off the surface."""
    raise NotImplementedError


def _sheet_under(off: _Off) -> Sheet:
    """The sheet that a lettering stands off."""
    side = off.laid.side
    if isinstance(side, Chart):
        return Sheet(side, "blank", net=side.net)
    sheet = body_of(off.blank).sheet(off.making.lay.side)
    return sheet.coarser() if off.detail.rough else sheet


@parts_off.of(Tube)
def _tubes(craft: Tube, off: _Off) -> Free:
    return tube_parts(off.making.index, off.laid, craft, detail=off.detail)


@parts_off.of(Embroidered)
def _sewn(craft: Embroidered, off: _Off) -> Free:
    index, laid, detail = off.making.index, off.laid, off.detail
    thread = embroidered_parts(index, laid, craft, detail=detail)
    if detail.rough:
        return thread, ()
    body = standing_parts(_sheet_under(off), index, laid, SEWN, detail=detail)[0]
    return tuple(replace(part, role="thread") for part in body) + thread, ()


# what lies under thread, and is all of it in a solid: as solid as its stitches are together
SEWN = Standing.model_construct(
    thickness_mm=0.45, standoff_mm=-0.2, edge="rounded", edge_mm=0.15, pins=False, light="none"
)


@parts_off.of(Fitting)
def _fittings(craft: Fitting, off: _Off) -> Free:
    return fitting_parts(body_of(off.blank), off.making.index, off.laid, craft), ()


@parts_off.of(Standing)
def _standing(craft: Standing, off: _Off) -> Free:
    index, laid, detail = off.making.index, off.laid, off.detail
    if craft.upright:
        return upright_parts(index, laid, craft, detail=detail), ()
    return standing_parts(
        _sheet_under(off),
        index,
        laid.roughly() if detail.rough else laid,
        craft,
        detail=detail,
    )


def _with_free(
    blank: Blank, parts: tuple[Part, ...], makings: tuple[_Making, ...], *, detail: Detail
) -> Piece:
    """A piece with the letterings that stand free of it, without parts of which nothing is left on it."""
    lamps: tuple[Lamp, ...] = ()
    for making in makings:
        if stands_free(making.craft):
            more, shining = _free_parts(blank, making, detail=detail)
            parts, lamps = parts + more, lamps + shining
    return Piece(tuple(part for part in parts if len(part.mesh.faces)), lamps)


def _on_side(making: _Making, body: Body, name: str) -> _Making | None:
    """A lettering as it lies on a side: its own, or the one opposite if it is wanted there too."""
    if making.lay.side == name:
        return making
    if making.lay.both and body.opposite(making.lay.side) == name:
        return replace(making, lay=_across(making.lay, body, name))
    return None


def _across(lay: Lay, body: Body, side: str) -> Lay:
    """The lay of a lettering's other half: as it is, or on a long body at the same place along it."""
    along = -lay.along_mm if body.lengthwise else lay.along_mm
    return lay.model_copy(update={"side": side, "along_mm": along})


def has_gaps(job: Job, index: int) -> bool:
    """Whether there are gaps between panels on the side that a lettering is on."""
    return job.letterings[index].lay.side in traits_of(job.blank).gapped(job.blank)


def lays_of(job: Job, index: int) -> tuple[Lay, ...]:
    """Where a lettering lies: its own place, and that on the side opposite if it is wanted there too."""
    lay = job.letterings[index].lay
    if not lay.both or isinstance(job.blank, Mesh3D):
        return (lay,)
    body = body_of(job.blank)
    other = body.opposite(lay.side)
    return (lay,) if other is None else (lay, _across(lay, body, other))


def laids_of(job: Job, index: int) -> tuple[Laid, ...]:
    """A lettering wherever it lies: on its own side, and on the one opposite if it is wanted there too."""
    content = job.letterings[index].content
    return tuple(laid_of(job.blank, content, lay, detail=Detail.FINE) for lay in lays_of(job, index))


def _making(index: int, lettering: Lettering) -> _Making:
    return _Making(index, lettering.content, lettering.lay, lettering.craft)


def piece_of(job: Job, *, detail: Detail = Detail.FINE) -> Piece:
    """The crafted piece. Raises KilnError with what is wrong.

    Rough: curved sides in fewer strips, for a picture while something moves; not a closed solid.
    """
    makings = (_making(i, item) for i, item in enumerate(job.letterings) if not item.hidden)
    return _piece(job.blank, tuple(makings), detail=detail)


@remembered
def _scene(job: Job, *, detail: Detail) -> Scene:
    about = None if known(body_of, job.blank, detail=Detail.ROUGH) else Beside(partial(_about, job, detail))
    marks = _marks(job, detail=detail) if job.wear.rubbed > 0 or job.wear.dirt > 0 else {}
    piece = piece_of(job, detail=detail)
    if about is not None:
        about.finish()
    proxy = body_of(job.blank, detail=Detail.ROUGH)
    on_photo, told = on_photo_of(job, detail=detail), job
    if on_photo is not None:  # a photo's light is told in the photo's place
        light = light_brought(job.setting.light, on_photo.plane, on_photo.photo)
        job = job.model_copy(update={"setting": job.setting.model_copy(update={"light": light})})
    scene = scene_of(job, piece, proxy, marks, on_photo, detail=detail)
    if on_photo is None or not told.others:
        return scene
    return replace(scene, company=_company(told, on_photo))


def _about(job: Job, detail: Detail) -> None:
    """What of a job's scene does not depend on its lettering, for the first time."""
    prepare_surroundings(job, body_of(job.blank, detail=Detail.ROUGH), detail=detail)


def _company(job: Job, on_photo: OnPhoto) -> tuple[Companion, ...]:
    """The other pieces in the photo, the farthest first. Raises KilnError where one cannot be made."""
    here, found = _away(on_photo.plane, on_photo.photo), []
    for other in job.others:
        one = alone(job, other)
        photo, setting = one.setting.photo, one.setting
        assert photo is not None
        light = light_turned(setting.light, between_places(on_photo.photo, photo))
        one = one.model_copy(update={"setting": setting.model_copy(update={"light": light})})
        try:
            scene, plane = scene_of_job(one), photo_plane_of(one)
        except KilnError as error:
            raise KilnError(f"Another piece in the photo, {piece_words(other)}: {error}") from None
        assert plane is not None
        away, key = _away(plane, photo), _key_of(one)
        found.append((away, Companion(scene, plane, away < here, key)))
    return tuple(one for _, one in sorted(found, key=lambda pair: -pair[0]))


def _key_of(job: Job) -> str:
    """Equal for two jobs with equal scenes."""
    said = job.model_dump_json(exclude={"name": True, "setting": {"camera": True}})
    return hashlib.sha256(said.encode()).hexdigest()


def _away(plane: Plane, photo: Photo) -> float:
    """How far from the camera a piece meets the photo, mm."""
    return float(np.linalg.norm(photo_view(plane, photo, 1.0).eye - plane.point))


def on_photo_of(job: Job, *, detail: Detail = Detail.FINE) -> OnPhoto | None:
    """How the piece meets its photo; None where it stands in none."""
    photo, plane = job.setting.photo, photo_plane_of(job)
    if photo is None or plane is None:
        return None
    plain = None
    if photo.shown == "lettering" and job.letterings:
        plain = piece_of(job.model_copy(update={"letterings": ()}), detail=detail)
    return OnPhoto(photo, plane, plain, carried=_carried(job))


def photo_plane_of(job: Job) -> Plane | None:
    """The plane by which the piece meets its photo's place; None where it stands in none. Where only the
    lettering is shown and the place is a wall, it is the side of the first lettering that lies on that."""
    if job.setting.photo is None:
        return None
    if _carried(job):
        return _lettered_plane(job)
    point, normal, along = plane_of(job)
    if isinstance(job.blank, Bank) and job.setting.photo.shown == "lettering":
        # the ground at the foot of a bank is that of the photo, not its underside
        point = point + level_of_bank(job.blank) * normal
    return Plane(point, normal, along)


def _carried(job: Job) -> bool:
    """Whether a side of the piece itself is the photo's wall."""
    photo = job.setting.photo
    return photo is not None and photo.is_its_wall and bool(job.letterings)


def _lettered_plane(job: Job) -> Plane:
    """The side of the first lettering, where it is met straight on from its middle."""
    side, stance = lettering_laid(job, 0, detail=Detail.ROUGH).side, stance_of(job)
    low_u, low_v, high_u, high_v = side.domain.bounds
    along = job.letterings[0].lay.along_mm if side.period is not None else (low_u + high_u) / 2
    spot = np.array([[along, (low_v + high_v) / 2]])
    right, _, out = side.frames(spot)[0] @ stance[:3, :3].T
    point = stance[:3, :3] @ side.to_body(spot, np.zeros(1))[0] + stance[:3, 3]
    return Plane(point, out, right)


def _marks(job: Job, *, detail: Detail) -> dict[str, Marked]:
    """The edges of every side, for wear to follow."""
    if isinstance(job.blank, Mesh3D):
        return {}  # a mesh has no sheet that all of it lies on
    body = body_of(job.blank)
    makings = [_making(i, item) for i, item in enumerate(job.letterings) if not item.hidden]
    found = {}
    for sheet in body.sheets:
        name = sheet.side.name
        mine = (_on_side(making, body, name) for making in makings)
        on = tuple(m for m in mine if m is not None and not stands_free(m.craft))
        found[name] = _marked(job.blank, name, on, detail=detail)
    return found


WEAR_REACH = 0.22  # of a stroke: how far from its edge a letter is rubbed
PLAIN_REACH = 0.008  # of a side's shorter extent, where there are no letters
LEAST_STEP_MM = 0.002  # what is lower is no edge


@remembered
def _marked(blank: Blank, name: str, makings: tuple[_Making, ...], *, detail: Detail) -> Marked:
    side = body_of(blank).sheet(name).side
    low_u, low_v, high_u, high_v = side.domain.bounds
    reach = PLAIN_REACH * min(high_u - low_u, high_v - low_v)
    regions, strokes = [], []
    for index, laid, craft in _all_laid(blank, makings, Detail.ROUGH):
        for ink in inked_of(index, laid, craft, 1.0, detail=Detail.ROUGH):
            # of a relief or a carved ground, what its field makes of it
            height = ink.stage.knots[-1][1] or ink.stage.higher_mm - ink.stage.deeper_mm
            if abs(height) >= LEAST_STEP_MM:
                # where the ground swells round a letter, the edge is the letter's own
                region = ink.region if ink.stage.level else ink.layer.region
                regions.append((region, height))
                strokes.append(stroke_mm(region))
    if strokes:
        reach = WEAR_REACH * min(strokes)
    return marked(side.domain, regions, reach, closed=side.period is not None, detail=detail)


def scene_of_job(job: Job, *, detail: Detail = Detail.FINE) -> Scene:
    """The scene of a job; the name and the camera play no part in it. ``detail``: as ``piece_of``."""
    camera = type(job.setting.camera)()
    setting = job.setting.model_copy(update={"camera": camera})
    return _scene(job.model_copy(update={"name": "scene", "setting": setting}), detail=detail)


def body_of_job(job: Job) -> Body:
    """The blank's body."""
    return body_of(job.blank)


def can_be_on_both(job: Job, index: int) -> bool:
    """Whether a lettering's side has an opposite that does not have it already: the other face, or half
    way round."""
    lay, side = job.letterings[index].lay, side_about(job, index)
    if side is None:
        return False
    if side.period is None:
        return sides_about(job.blank).opposite(lay.side) is not None
    return lay.repeat is None or not (lay.repeat.fill or lay.repeat.times % 2 == 0)


def unlinked(job: Job, index: int) -> Job:
    """The job with a lettering's opposite made one of its own."""
    lettering = job.letterings[index]
    body = body_of(job.blank)
    side = body.sheet(lettering.lay.side).side
    own = lettering.lay.model_copy(update={"both": False})
    if side.period is not None:
        half = side.period / 2
        along = (own.along_mm + 2 * half) % (2 * half) - half  # half way round, the short way
        other = own.model_copy(update={"along_mm": round(along, 3)})
    else:
        other = _across(own, body, body.opposite(own.side) or own.side)
    job = change(job, ("letterings", index, "lay"), own)
    return with_lettering(job, lettering.model_copy(update={"lay": other}), index + 1)


def first_side(blank: Blank) -> Side:
    """A side to look at where there is no lettering yet."""
    if isinstance(blank, Mesh3D):
        return chart_for(free_mesh(blank), Lay(side=ANY_SPOT), 0.3 * min(blank.size_mm))
    return sides_at(blank).all[0]


def sides_of(blank: Blank) -> tuple[str, ...]:
    """The names of the sides that can be lettered."""
    if isinstance(blank, Mesh3D):
        mesh = free_mesh(blank)
        return (ANY_SPOT, *(area.name for area in mesh.areas), *(area.name for area in mesh.round_areas))
    return tuple(side.name for side in sides_about(blank).all)


def middle_of_job(job: Job) -> Array:
    """The middle of the piece in the scene, which the camera looks at; lettering does not move it."""
    return _ball_of(job)[0]


def radius_of_job(job: Job) -> float:
    """The radius of the ball round the piece, mm."""
    return _ball_of(job)[1]


def half_of_job(job: Job) -> Array:
    """Half the size of the box round the piece, in its own frame, (3,) mm."""
    low, high = box_of(_shown(job))
    return np.asarray((high - low) / 2)


def _ball_of(job: Job) -> tuple[Array, float]:
    return middle_of(_shown(job), stance_of(job))


def _shown(job: Job) -> Body:
    return shown_body(job, body_of(job.blank, detail=Detail.ROUGH))


def view_of(job: Job, aspect: float = 1.5) -> View:
    """The job's own camera, for a picture of this width over height; above the ground, whatever it says."""
    photo, plane = job.setting.photo, photo_plane_of(job)
    if photo is not None and plane is not None:
        return photo_view(plane, photo, aspect)
    camera, middle = job.setting.camera, middle_of_job(job)
    if camera.tilt_deg < (least := lowest_tilt(job, middle)):
        camera = camera.model_copy(update={"tilt_deg": least})
    sharp_at = _sharp_at(job, middle) if camera.f_number > 0 else None
    return walk_round(camera, middle, aspect, sharp_at)


ABOVE = 0.01  # of its distance, that a camera is above the ground at least


def lowest_tilt(job: Job, middle: Array) -> float:
    """How low the camera may be, degrees, round a piece with this middle in the scene, (3,): from below the
    ground that it stands on it is not seen."""
    point, normal, _ = plane_of(job)
    if job.setting.ground.kind == "none" or normal[2] == 0:
        return -90.0
    far, rise = job.setting.camera.distance_mm, job.setting.camera.rise_mm
    # its eye is rise cos(tilt) + far sin(tilt) above the middle
    reach, lead = np.hypot(far, rise), np.arctan2(rise, far)
    least = ABOVE * far + point[2] - middle[2]
    return float(np.degrees(np.arcsin(np.clip(least / reach, -1.0, 1.0)) - lead))


def _sharp_at(job: Job, middle: Array) -> Array:
    """What a lens is focused on: the first lettering, where it faces the front, else the middle."""
    if not job.letterings:
        return middle
    return _lettered_plane(job).point


CLOSE = 1.3  # how much larger a picture of a lettering is than that


def close_up_view(job: Job, index: int, aspect: float) -> View:
    """Straight at a lettering that fills the picture. Raises KilnError where there is none."""
    whole = square_on_view(job, index, aspect)
    if not job.letterings:
        return whole
    laid = lettering_laid(job, index)
    if laid.ink.is_empty:
        return whole
    left, low, right, high = laid.ink.bounds
    wide = right - left
    if laid.side.period is not None:  # no more of it is seen than is across
        wide = min(wide, laid.side.period / np.pi)
    half = CLOSE * max((high - low) / 2, wide / 2 / aspect)
    zoom = whole.tall / half
    return square_on_view(job, index, aspect, zoom, ((left + right) / 2, (low + high) / 2))


def square_on_view(
    job: Job,
    index: int,
    aspect: float,
    zoom: float = 1.0,
    at: tuple[float, float] | None = None,
) -> View:
    """Straight at a lettering (or at the first side without one), the blank filling the picture.

    ``at``: the sheet point (u, v) mm to look at instead of the lettering's own.
    """
    stance = stance_of(job)
    if job.letterings:
        if not 0 <= index < len(job.letterings):
            raise KilnError(f"There is no lettering {index + 1}; the job has {len(job.letterings)}.")
        lay = job.letterings[index].lay
        side = lettering_laid(job, index).side
        along = np.array([[lay.along_mm, 0.0]])
    else:
        side = first_side(job.blank)
        along = np.zeros((1, 2))
    low_u, low_v, high_u, high_v = side.domain.bounds
    flat = side.period is None
    aim = (0.0 if flat else float(along[0, 0]), (low_v + high_v) / 2) if at is None else at
    spot = np.array([aim])
    width = (high_u - low_u) if side.period is None else side.period / np.pi
    half = max((high_v - low_v) / 2, width / 2 / aspect) * 1.18 / zoom
    point = side.to_body(spot, np.zeros(1))[0]
    frame = side.frames(spot)[0]
    return square_on(stance[:3, :3] @ point + stance[:3, 3], frame @ stance[:3, :3].T, half)
