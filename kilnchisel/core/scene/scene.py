"""The scene: everything a renderer needs, and nothing about how it draws.

Scene coordinates are mm, z up. The piece keeps its own frame and is brought into the scene by
``stance``, so that changing how it lies does not touch its meshes.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import product
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import BEHIND, Body
from kilnchisel.core.blanks.coarse import matrix_in, repeated
from kilnchisel.core.blanks.masonry import bricks_of
from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.crafts.piece import Part, Piece
from kilnchisel.core.detail import Detail
from kilnchisel.core.finishes.bricktones import toned
from kilnchisel.core.finishes.finish import SHOP_LIT, contents_of, lamp_in_a_room, lit_face, material_of
from kilnchisel.core.finishes.gas import lamp_radiance
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.finishes.wear import Marked
from kilnchisel.core.job.blank import Vessel
from kilnchisel.core.job.boards import BoxSign, ShopFront, Wall, Window
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.crafts import Carved, Engraved, Pressed, Relief, Standing, Tube
from kilnchisel.core.job.finish import AsBlank, Grass, Masonry
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.photo import Photo
from kilnchisel.core.job.setting import Copy, Glow, Ground, Light
from kilnchisel.core.job.trims import finishes_of
from kilnchisel.core.lettering.polygons import run_of
from kilnchisel.core.remembered import remembered
from kilnchisel.core.scene.bays import bays_of
from kilnchisel.core.scene.copies import moved, placings_of
from kilnchisel.core.scene.eased import eased
from kilnchisel.core.scene.exposure import gain_of, lit_by, spot_of
from kilnchisel.core.scene.grass import on_bank
from kilnchisel.core.scene.grounds import Base, ground_of
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.lamps import Panel, draft_room, panels_of
from kilnchisel.core.scene.light import (
    DARK,
    DARK_SHARE,
    ROOM_WHITE,
    Room,
    degrees_apart,
    name_of,
    room_of,
    seen_room,
)
from kilnchisel.core.scene.lined import linings
from kilnchisel.core.scene.materials import material_of_part
from kilnchisel.core.scene.onphoto import (
    Photographed,
    Plane,
    photo_base,
    photo_view,
    photographed,
)
from kilnchisel.core.scene.stance import stance_of
from kilnchisel.core.scene.street import Street, street_of
from kilnchisel.core.scene.trees import trees_about
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

# behind a parallel view: a sheet of grey, so that colours can be judged, darker towards its corners, so
# that it is seen to be one
SHEET, SHEET_FALLS = 0.34, 0.5


@dataclass(frozen=True, eq=False)
class Backdrop:
    """What is seen where nothing stands: the room out of focus, or one colour (3,)."""

    room: str
    strength: float
    turn: float
    colour: Array | None = None

    def seen(self, view: View) -> Array:
        """The all-round picture behind a view, (h, w, 3) linear; as far out of focus as the view's lens
        makes what is far away."""
        if self.colour is not None:
            return _plain(*(float(one) for one in self.colour))
        return _seen_room(self.room, self.strength, degrees_apart(float(np.degrees(view.blur_at(np.inf)))))


@remembered
def _plain(red: float, green: float, blue: float) -> Array:
    """All round of one colour: the same one for every scene before it."""
    return np.broadcast_to(np.array([red, green, blue], np.float32), (2, 4, 3)).copy()


NO_GLOW = Glow(strength=0)


@dataclass(frozen=True, eq=False)
class Lamps:
    """Straight pieces of lit tubes: start, end (m, 3) in the scene, radius (m,), radiance (m, 3); the
    number (m,) of the lettering each is of, and from where to where (m, 2) along its tube it is, 0 to 1."""

    start: Array
    end: Array
    radius: Array
    radiance: Array
    lettering: Array
    along: Array


@dataclass(frozen=True, eq=False)
class Scene:
    """Items, ground and light. ``middle`` and ``radius_mm``: the piece's ball, scene coordinates.

    ``room`` is what light there is besides the ``panels``, the strongest first; ``draft_room`` has all of
    them but the ``panel`` painted in, for who knows only one.
    """

    items: tuple[Item, ...]
    stance: Array  # (4, 4), piece to scene
    base: Base | None
    room: Room
    draft_room: Room
    panels: tuple[Panel, ...]
    backdrop: Backdrop
    gain: Array  # (3,): exposure and white balance
    middle: Array
    radius_mm: float
    slots: dict[str, Material]  # of the blank, by what they are for: of what it has
    others: tuple[Material, ...]  # of the copies that have a finish of their own
    proxy: Body | None  # the blank's coarse body, for gathering light; None for a bare mesh
    clear: bool = False  # light goes through the piece
    lamps: Lamps | None = None
    shines: bool = False  # whether any item does
    photo: Photographed | None = None  # what is behind, and takes the piece's shadow
    bare: tuple[Item, ...] = ()  # what of the piece is part of the photo, as it is without lettering
    caught: Base | None = None  # the plane by which the piece meets the photo
    before: tuple[str, ...] = ()  # how the masks of items begin that nothing in the photo hides
    glow: Glow = NO_GLOW
    company: tuple[Companion, ...] = ()  # the other pieces in the photo, the farthest first
    street: Street | None = None  # behind the piece, part of its ground
    laid: tuple[Item, ...] = ()  # flat on its ground, part of it
    trees: tuple[Item, ...] = ()  # far off, round its ground
    grass: tuple[Item, ...] = ()  # on the land that is part of the piece, beside its sides

    def seen_in(self, view: View) -> Scene:
        """What of it a view shows: a parallel one, before its sheet of grey, no street nor bays, and any
        other the street, or the sweep, that is behind the piece as one looks from there."""
        if view.parallel:
            bare = self.street is None and not (self.laid or self.about)
            return self if bare else self._bare_ground
        if self.base is not None and self.base.grassed is not None:
            return self._grassed(self.base.seen_in(view))
        if self.base is not None and self.base.sweep is not None:
            far = (view.eye - self.base.point) @ self.base.rises
            return self._swept_behind if far > (self.base.sweep[0] if self.base.stays else 0.0) else self
        if self.street is None:
            return self
        behind = (view.eye - self.middle) @ self.street.facing >= 0
        return self if behind else self._across_the_street

    def staying(self, toward: Array) -> Scene:
        """With its sweep where it is behind the piece for who looks from a way, (3,); there it stays until
        one looks from where it rises."""
        if self.base is None or self.base.sweep is None:
            return self
        scene = self._swept_behind if toward @ self.base.rises > 0 else self
        assert scene.base is not None
        return replace(scene, base=replace(scene.base, stays=True))

    def _grassed(self, base: Base) -> Scene:
        """The same one for views alike."""
        if base is self.base:
            return self
        last = self._last_grassed
        if not last or last[0].base is None or last[0].base.relief != base.relief:
            last[:] = [replace(self, base=base)]
        return last[0]

    @cached_property
    def _last_grassed(self) -> list[Scene]:
        return []

    @cached_property
    def _bare_ground(self) -> Scene:
        return replace(self, street=None, laid=(), trees=(), grass=())

    @cached_property
    def _across_the_street(self) -> Scene:
        assert self.street is not None
        return replace(self, street=self.street.across().lit_by(self.panels))

    @cached_property
    def _swept_behind(self) -> Scene:
        """Its sweep turned half round; laid flat where one of the lights would come from behind that."""
        assert self.base is not None and self.base.sweep is not None
        turned = replace(self.base, turned=not self.base.turned)
        behind, round_, _ = self.base.sweep
        shining = (one.middle for one in self.panels if one.throws is None)
        if any((middle - self.base.point) @ turned.rises > behind + round_ for middle in shining):
            turned = replace(self.base, sweep=None)
        return replace(self, base=turned)

    @property
    def about(self) -> tuple[Item, ...]:
        """What stands about, in open light, as if the piece did not darken it."""
        return self.grass + self.trees

    @property
    def panel(self) -> Panel | None:
        """The strongest light that is set up."""
        return next((one for one in self.panels if one.throws is None), None)


@dataclass(frozen=True, eq=False)
class Companion:
    """Another piece in a scene's photo, alone in it. ``plane``: by which it meets the photo; ``nearer``:
    than the piece itself, before which it stands; ``key``: equal for equal pictures of it."""

    scene: Scene
    plane: Plane
    nearer: bool
    key: str

    def view(self, aspect: float) -> View:
        """The photo's camera as it sees this piece."""
        assert self.scene.photo is not None
        return photo_view(self.plane, self.scene.photo.photo, aspect)


@remembered
def box_of(body: Body) -> Array:
    """The box round a body, its own coordinates, but for what is behind glass, (2, 3)."""
    boxes = [shell.mesh.bounds for shell in body.shells if not shell.solid.startswith(BEHIND)]
    for sheet in body.sheets:
        rim = np.asarray(sheet.border.exterior.coords)
        if sheet.net is not None:
            rim = sheet.net.points
        ends = sheet.side.to_body(rim, np.zeros(len(rim)))
        boxes.append(np.stack([ends.min(axis=0), ends.max(axis=0)]))
    return np.stack([np.min([box[0] for box in boxes], axis=0), np.max([box[1] for box in boxes], axis=0)])


def middle_of(body: Body, stance: Array) -> tuple[Array, float]:
    """Middle (scene coordinates) and radius of the ball round a body, mm, but for what is behind glass."""
    low, high = box_of(body)
    return stance[:3, :3] @ ((low + high) / 2) + stance[:3, 3], float(np.linalg.norm(high - low) / 2)


def prepare_surroundings(job: Job, proxy: Body, *, detail: Detail) -> None:
    """Make what is round a piece and is remembered, so that it is at hand when the scene is made: it takes
    as long as the piece does. ``proxy``: the coarse body of its blank."""
    if job.setting.photo is not None:
        return
    middle, radius = middle_of(proxy, stance_of(job))
    draft_room(job.setting.light, spot_of(middle), radius)
    base = ground_of(job, middle, radius)
    street_of(job, radius)
    bays_of(base, job.setting.ground, radius)
    trees_about(base, job.setting.light, radius, detail=detail)


def scene_of(
    job: Job,
    piece: Piece,
    proxy: Body,
    marks: dict[str, Marked] | None = None,
    on_photo: OnPhoto | None = None,
    *,
    detail: Detail = Detail.FINE,
) -> Scene:
    """The scene of a crafted job. ``proxy``: the coarse body of its blank; ``marks``: the edges of its
    sides by name, where it is worn; ``on_photo``: how it meets the place of its photo. FINE: with its hard
    edges eased."""
    marks, setting, slots = marks or {}, job.setting, _slots(job)
    stance = stance_of(job)
    middle, radius = middle_of(proxy, stance)
    ground, base = slots["blank"], None
    if on_photo is not None:
        gain = gain_of(setting, middle, radius, ground.albedo)
        base = _base_on(on_photo, setting.light, middle, radius, gain)
        if on_photo.plain is not None:  # of the blank, what the photo shows
            slots = _alike(base.material)
            if on_photo.carried and _is_flat(
                on_photo.plain
            ):  # what is there has no edge where the blank has
                piece = _without_shells(piece)
                on_photo = replace(on_photo, plain=_without_shells(on_photo.plain))
    else:
        slots["blank"] = _with_turf(job, slots["blank"], middle, radius)
    items = _items(job, piece, slots, proxy, marks)
    bare: tuple[Item, ...] = ()
    if on_photo is not None and on_photo.plain is not None:
        items = tuple(
            replace(item, catches=_is_blanks(job, part))
            for item, part in zip(items, piece.parts, strict=True)
        )
        bare = _items(job, on_photo.plain, slots, proxy, {})
    if detail.fine:
        items = _with_eased_edges(items, [part.solid for part in piece.parts], radius)
        if bare and on_photo is not None and on_photo.plain is not None:
            bare = _with_eased_edges(bare, [part.solid for part in on_photo.plain.parts], radius)
    placings = placings_of(job, proxy)
    inside = () if bare else linings(piece, items, slots, moving=not detail.fine)
    if placings:
        items = _with_copies(job, placings, items, piece, proxy, marks)
        inside += tuple(
            replace(one, mesh=moved(one.mesh, placing)) for placing in placings for one in inside
        )
        proxy = repeated(proxy, placings, _own(setting.copies))
        middle, radius = middle_of(proxy, stance)
    room = room_of(setting.light)
    if on_photo is None:
        base = ground_of(job, middle, radius)
    panels = panels_of(setting.light, middle, radius)
    street = street_of(job, radius) if on_photo is None else None
    turf = _turf(job, slots["blank"], stance) if detail.fine and on_photo is None else ((), ())
    return Scene(
        items=items + inside + turf[0],
        stance=stance,
        base=None if on_photo is not None and on_photo.carried else base,
        room=room,
        draft_room=draft_room(setting.light, spot_of(middle), radius),
        panels=panels,
        backdrop=_backdrop(setting.ground, name_of(setting.light), setting.light.strength, room.turn),
        gain=gain_of(setting, middle, radius, ground.albedo),
        middle=middle,
        radius_mm=radius,
        slots=slots.of(proxy),
        others=tuple(material_of(copy.finish) for copy in setting.copies if copy.finish is not None),
        proxy=proxy,
        clear=ground.kind == "glass",
        lamps=_lamps(job, piece, stance, placings),
        shines=any(item.material.shines for item in items),
        glow=setting.glow,
        photo=None if on_photo is None else photographed(on_photo.photo),
        bare=bare,
        caught=None if on_photo is None else base,
        before=tuple(f"lettering {n} " for n, one in enumerate(job.letterings, start=1) if one.before),
        street=None if street is None else street.lit_by(panels),
        laid=bays_of(base, setting.ground, radius),
        trees=trees_about(base, setting.light, radius, detail=detail),
        grass=turf[1],
    )


@dataclass(frozen=True, eq=False)
class OnPhoto:
    """A photo, and the plane by which a piece meets its place. ``plain``: the piece without lettering where
    only that is shown; ``carried``: the plane is a side of the piece itself."""

    photo: Photo
    plane: Plane
    plain: Piece | None = None
    carried: bool = False


def _base_on(on_photo: OnPhoto, light: Light, middle: Array, radius: float, gain: Array) -> Base:
    """What in the photo meets the piece and takes its shadow."""
    plane = on_photo.plane
    lit = lit_by(light, spot_of(middle), radius, plane.point, plane.normal[None])[0]
    return photo_base(plane, on_photo.photo, radius, lit * gain)


def _is_flat(plain: Piece) -> bool:
    """Whether every side of a piece without lettering is plane."""
    sides = [part.mesh.normals for part in plain.parts if part.side is not None]
    return all(np.ptp(normals, axis=0).max() < FLAT for normals in sides)


def _without_shells(piece: Piece) -> Piece:
    """What is on the sides of a piece."""
    kept = tuple(p for p in piece.parts if p.side is not None or p.lettering is not None)
    return replace(piece, parts=kept)


def _is_blanks(job: Job, part: Part) -> bool:
    """Whether a part shows the blank: it is of no lettering, or is left as the blank is."""
    if part.lettering is None or part.role == "blank":
        return True
    lettering = job.letterings[part.lettering]
    cut = isinstance(lettering.craft, Engraved | Pressed | Carved | Relief)
    return cut and isinstance(lettering.finish, AsBlank)


class _Slots(dict[str, Material]):
    """A blank's materials by what they are for, each made when it is asked for: no blank has all of them,
    and what wood and stone look like takes tens of MB."""

    def __init__(self, make: Callable[[str], Material]) -> None:
        self._make = make

    def __missing__(self, slot: str) -> Material:
        self[slot] = self._make(slot)
        return self[slot]

    def of(self, body: Body) -> dict[str, Material]:
        """Those asked for so far, and all that a body has."""
        has = {shell.slot for shell in body.shells} | {sheet.slot for sheet in body.sheets}
        return {slot: self[slot] for slot in (*self, *sorted(has))}


def _alike(material: Material) -> _Slots:
    return _Slots(lambda _: material)


def _slots(job: Job) -> _Slots:
    """The blank's materials by what they are for."""
    finishes = finishes_of(job)
    slots = _Slots(lambda slot: material_of(finishes[slot]))
    if isinstance(job.blank, BoxSign) and job.blank.brightness > 0:
        slots["blank"] = lit_face(slots["blank"], job.blank)
    if _of_bricks(job):
        slots["blank"] = _toned(job.blank, job.finish)
    if isinstance(job.blank, Window):
        slots["lamp"] = lamp_in_a_room(slots["lamp"], job.blank.lit)
    elif isinstance(job.blank, ShopFront):
        slots["lamp"] = lamp_in_a_room(slots["lamp"], SHOP_LIT)
    if isinstance(job.blank, Vessel):
        slots |= contents_of(job.blank, slots["blank"])
    return slots


def _with_turf(job: Job, blank: Material, middle: Array, radius: float) -> Material:
    """The turf of a bank that rises from grass is that of the land round it, as far as its own colour is
    not another."""
    if not isinstance(job.blank, Bank) or job.blank.seed == 0 or not isinstance(job.finish, Grass):
        return blank
    base = ground_of(job, middle, radius) if job.setting.ground.kind == "grass" else None
    if base is None or base.fades is None:
        return blank
    own = np.array(hex_to_linear(job.finish.colour)) / np.array(hex_to_linear(Grass().colour))
    red, green, blue = (float(x) for x in np.clip(np.array(base.material.base) * own, 0.0, 0.95))
    return replace(base.material, base=(red, green, blue))


def _turf(job: Job, blank: Material, stance: Array) -> tuple[tuple[Item, ...], tuple[Item, ...]]:
    """The blades of grass on a bank, and those on the land about it."""
    if not isinstance(job.blank, Bank) or job.blank.seed == 0 or not isinstance(job.finish, Grass):
        return (), ()
    slope, about = on_bank(job.blank)
    return (
        (Item("grass on the slope", "slope", slope, blank),),
        (Item("grass about it", None, moved(about, stance.tobytes()), blank, mask="ground"),),
    )


def _of_bricks(job: Job) -> bool:
    if not isinstance(job.blank, Wall | ShopFront) or not isinstance(job.finish, Masonry):
        return False
    return job.finish.surface == "brick" and getattr(job.blank, "surface", "brick") == "brick"


@remembered
def _toned(wall: Any, finish: Any) -> Material:
    """The same one each time, so that its maps are sent to the card once."""
    return toned(material_of(finish), bricks_of(wall), (wall.width_mm, wall.height_mm))


def _items(
    job: Job, piece: Piece, slots: dict[str, Material], proxy: Body, marks: dict[str, Marked]
) -> tuple[Item, ...]:
    rounds = {sheet.side.name: sheet.side.period or 0.0 for sheet in proxy.sheets}
    return tuple(
        Item(
            part.name,
            part.side,
            part.mesh,
            material_of_part(job, part, slots, marks, rounds),
            part.still and part.side not in marks,
            part.role if part.lettering is None else f"lettering {part.lettering + 1} {part.role}",
            lettered=part.lettered,
        )
        for part in piece.parts
    )


def _own(copies: tuple[Copy, ...]) -> tuple[int, ...]:
    """The number of each copy's own finish, 0 where it has the piece's."""
    so_far = np.cumsum([copy.finish is not None for copy in copies]).tolist()
    return tuple(n if copy.finish is not None else 0 for n, copy in zip(so_far, copies, strict=True))


def _with_copies(
    job: Job,
    placings: tuple[bytes, ...],
    items: tuple[Item, ...],
    piece: Piece,
    proxy: Body,
    marks: dict[str, Marked],
) -> tuple[Item, ...]:
    """The items of a piece and of its copies. Theirs lie on no sheet: light is looked up where they are."""
    found = list(items)
    for copy, placing in zip(job.setting.copies, placings, strict=True):
        same = items
        if copy.finish is not None:
            painted = job.model_copy(update={"finish": copy.finish})
            other = _items(painted, piece, _slots(painted), proxy, marks)
            same = tuple(replace(b, mesh=a.mesh) for a, b in zip(items, other, strict=True))
        found += [replace(item, side=None, mesh=moved(item.mesh, placing)) for item in same]
    return tuple(found)


def _with_eased_edges(items: tuple[Item, ...], solids: list[str], radius_mm: float) -> tuple[Item, ...]:
    """Items with their hard edges eased, solid by solid: one that stays as it was is not eased anew."""
    found = list(items)
    for solid in dict.fromkeys(solids):
        mine = [number for number, name in enumerate(solids) if name == solid]
        made = eased(
            tuple(items[n].mesh for n in mine),
            tuple(items[n].material.edge_mm(radius_mm) for n in mine),
            EDGE_SEEN * radius_mm,
        )
        for number, mesh in zip(mine, made, strict=True):
            found[number] = replace(items[number], mesh=mesh)
    return tuple(found)


FLAT = 1e-6  # of unit normals
EDGE_SEEN = 1 / 5000  # of the radius of a piece's ball: a narrower edge is not seen in its pictures
STRAIGHT_MM = 2.0  # a piece of a lamp may stray from its tube by so much


def _lamps(job: Job, piece: Piece, stance: Array, placings: tuple[bytes, ...]) -> Lamps | None:
    """The lit tubes of a piece, and of its copies, in straight pieces."""
    stances = [stance, *(stance @ matrix_in(placing) for placing in placings)]
    starts, ends, radii, sent, whose, along = [], [], [], [], [], []
    for lamp, into in product(piece.lamps, stances):
        craft = job.letterings[lamp.lettering].craft
        assert isinstance(craft, Tube | Standing)
        line = shapely.get_coordinates(
            shapely.simplify(shapely.LineString(lamp.line), STRAIGHT_MM), include_z=True
        )
        line = line @ into[:3, :3].T + into[:3, 3]
        starts.append(line[:-1])
        ends.append(line[1:])
        radii.append(np.full(len(line) - 1, lamp.radius_mm))
        sent.append(np.broadcast_to(lamp_radiance(craft), (len(line) - 1, 3)))
        whose.append(np.full(len(line) - 1, lamp.lettering))
        run = run_of(line)
        places = np.interp(run, (0.0, max(run[-1], 1e-9)), lamp.along)
        along.append(np.stack([places[:-1], places[1:]], axis=1))
    if not starts:
        return None
    return Lamps(*(np.concatenate(x) for x in (starts, ends, radii, sent, whose, along)))


def _backdrop(ground: Ground, room: str, strength: float, turn: float) -> Backdrop:
    if ground.behind == "plain":
        return Backdrop(room, strength, 0.0, np.array(hex_to_linear(ground.behind_colour)))
    return Backdrop(room, strength, turn)


@remembered
def _seen_room(room: str, strength: float, degrees: float) -> Array:
    share = DARK_SHARE if room == DARK else 1.0
    return seen_room(room, degrees) * np.float32(share * ROOM_WHITE * strength / 100)
