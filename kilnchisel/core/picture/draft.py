"""The draft: OpenGL through EGL, without a window. One instance belongs to one thread.

Draws the same scene and materials as the mockup. What a rasteriser cannot see (light past the piece
itself, bounces) comes from ``gather``; the panel's mirror image and soft shadow are computed per pixel.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import replace
from functools import partial
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.detail import Detail
from kilnchisel.core.finishes.material import MOST_COVERS
from kilnchisel.core.picture.backdroppass import BackdropPass
from kilnchisel.core.picture.card import (
    DEPTH_CLAMP,
    Card,
    Frames,
    Lettered,
    let_go_of,
    set_values,
    weakly,
)
from kilnchisel.core.picture.changedpart import Box, both, letters_in, sheets_of
from kilnchisel.core.picture.draftglow import PLACE as GLOW
from kilnchisel.core.picture.draftglow import DraftGlow, Veil
from kilnchisel.core.picture.draftlight import LAYERS, DraftLight
from kilnchisel.core.picture.drawnmaterials import FIRST_COVER
from kilnchisel.core.picture.drawnparts import LIGHT_MAP, DrawnParts
from kilnchisel.core.picture.gather import forget_tracers
from kilnchisel.core.picture.ggx import SIZE as SHARES
from kilnchisel.core.picture.ggx import share_table
from kilnchisel.core.picture.lenspass import LensPass, lens_of
from kilnchisel.core.picture.mirrorpass import Mirror, MirrorPass, Part, Shown
from kilnchisel.core.picture.onphoto import UNSEEN, before, behind, drawn_on_cloth
from kilnchisel.core.picture.photopass import PhotoPass
from kilnchisel.core.picture.shadowpass import ShadowPass
from kilnchisel.core.picture.shot import Shot
from kilnchisel.core.picture.smoothedges import AS_IT_IS, Again, Edges, SmoothEdges
from kilnchisel.core.scene.onfolds import Warp, warp_of
from kilnchisel.core.scene.onphoto import Photographed
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View

Array = NDArray[Any]
Mirrors = dict[Part, Mirror | None]

SAME_FOCUS = 0.03  # of the distance: while something moves, what is as much nearer is as sharp
SAMPLES = {Detail.FINE: 4, Detail.ROUGH: 0}  # of a pixel's edges
# places of textures; those of light over a sheet, of shadows and of glow are with their passes
ROOM, SHARE_TABLE = 2, 5
MIRROR = FIRST_COVER + MOST_COVERS  # and the place after it
GROUND_LIT = MIRROR + 2
PHOTO = GROUND_LIT + 1
NOTHING = ("no item",)
KEPT_COMPANY = 2  # the photo with other pieces in it, while something moves and when it rests


class Draft:
    """Renders scenes. Raises KilnError when no OpenGL through EGL can be had."""

    def __init__(self) -> None:
        self._card = Card()
        self.gl, self.name = self._card.gl, self._card.name
        self._light = DraftLight(self._card)
        self._parts = DrawnParts(self._card, self._light)
        self._glow = DraftGlow(self._card)
        self._edges = SmoothEdges(self._card)
        self._mirrors = MirrorPass(self._card)
        self._shadow = ShadowPass(self._card)
        self._backdrop = BackdropPass(self._card)
        self._photo = PhotoPass(self._card, PHOTO)
        self._lens = LensPass(self._card)
        self._shares = self.gl.texture((SHARES, SHARES), 2, share_table().tobytes(), dtype="f4")
        self._shares.filter = (moderngl.LINEAR, moderngl.LINEAR)
        self._shares.repeat_x = self._shares.repeat_y = False
        self._focus_mm = np.inf
        self._company: OrderedDict[tuple[Any, ...], Photographed] = OrderedDict()

    def render(
        self, scene: Scene, view: View, size: tuple[int, int], *, detail: Detail = Detail.FINE
    ) -> Array:
        """A picture (h, w, 4) uint8, sRGB. FINE: multisampled and with fine shadows."""
        with self.gl:  # there may be other contexts in this thread
            return self._render(scene, view, size, detail=detail)

    def coverage(self, scene: Scene, view: View, size: tuple[int, int]) -> Array:
        """Which pixels the piece covers, (h, w) bool, by pixel centres."""
        with self.gl:
            return self._coverage(scene, view, size)

    def close(self) -> None:
        """Give back all that it holds, the context too: its programs grow with all that they draw. It can
        draw no more."""
        forget_tracers()
        self.gl.release()

    # a picture

    def _render(self, scene: Scene, view: View, size: tuple[int, int], *, detail: Detail) -> Array:
        scene = scene.seen_in(view)
        if scene.company and not view.parallel:
            scene = replace(scene, photo=self._with_company(scene, size), company=())
        shot = self._begun(scene, self._steady(view, detail=detail), size, detail=detail)
        edges = self._edges_of(shot) if detail.fine and SAMPLES[detail] > 0 else None
        frames = self._card.targets(*size, SAMPLES[detail] if edges is None else 0)
        glow = self._glow.over(scene, shot.view, size, detail=detail)
        mirrors = self._all_mirrors(shot)
        self._tell(
            veil=GLOW,
            has_veil=glow is not None,
            picture_size=np.array(size, float),
            **self._photo.use(shot),
        )
        self._keep_still(shot, frames, glow, mirrors)
        photo = shot.photo
        warp = None if photo is None else warp_of(scene, shot.view, size)
        drawn = partial(self._over_still, shot, frames, mirrors, warp, edges)
        pixels = drawn()
        if photo is None or photo.mask is None:
            return pixels
        masked = self._photo.under_what_is_before(photo, pixels, size)
        if not scene.before:
            return masked
        # what differs from the picture without them is what stands before all
        rest = drawn(scene.before)[..., :3].astype(np.int16)
        stands = np.abs(pixels[..., :3] - rest).max(axis=2) > UNSEEN
        return np.ascontiguousarray(np.where(stands[..., None], pixels, masked))

    def _begun(self, scene: Scene, view: View, size: tuple[int, int], *, detail: Detail) -> Shot:
        """A shot whose light and shadows are there, and of which all programs are told."""
        gathered, maps = self._light.of(scene, detail=detail)
        shot = Shot(scene, view, size, detail, gathered, maps, self._light.room(scene))
        self._parts.begin(shot)
        self._shadow.draw(scene, detail=detail)
        shot.room.use(ROOM)
        self._shares.use(SHARE_TABLE)
        nothing = self._card.plain.tint
        nothing.use(LIGHT_MAP)
        (nothing if maps is None else maps.lit).use(GROUND_LIT)
        values: dict[str, Any] = {
            "tint_map": 0,
            "slope_map": 1,
            "gloss_room": ROOM,
            "light_map": LIGHT_MAP,
            "ground_lit": GROUND_LIT,
            "share_map": SHARE_TABLE,
            "clip": view.clip_matrix(shot.aspect),
            "stance": scene.stance,
            "eye": view.eye,
            "ahead": view.ahead,
            "parallel_view": view.parallel,
            "lens": lens_of(view, size),
            "layers": float(LAYERS),
            "gain": scene.gain,
            "is_ground": False,
            **{f"cover_{number}": FIRST_COVER + number for number in range(MOST_COVERS)},
        }
        if (base := scene.base) is not None:
            axes = np.stack([base.along, np.cross(base.normal, base.along), base.normal])
            values |= {
                "ground_axes": axes.T,
                "ground_middle": base.under(scene.middle),
                "ground_half": 2.4 * scene.radius_mm,
                "ground_fades": base.fades or (0.0, 0.0),
                "ground_open": (*self._light.over_open_ground(scene, base), 1.0),
            }
        self._card.share(**values, **self._shadow.use(scene, detail=detail))
        return shot

    def _steady(self, view: View, *, detail: Detail) -> View:
        """The view as it is drawn while something moves: in focus where it was, as long as that is near, so
        that what stays need not be drawn anew for a lettering that comes nearer by a hair."""
        off = abs(view.focus_mm / self._focus_mm - 1)
        if detail.fine or off > SAME_FOCUS:
            self._focus_mm = view.focus_mm
            return view
        return replace(view, focus_mm=self._focus_mm)

    def _tell(self, **values: Any) -> None:
        """Give all programs of a picture values."""
        self._card.share(**values)
        set_values(self._card.backdrop, **values)

    # what stays when lettering changes

    def _keep_still(self, shot: Shot, frames: Frames, glow: Veil | None, mirrors: Mirrors) -> None:
        """Draw what stays, unless it is there already."""
        # each frame keeps a viewport of its own; setting the context's would change that of whatever frame
        # was used last
        frames.still.viewport = frames.frame.viewport = (0, 0, *shot.size)
        stays = _still_key(shot), mirrors.get("still")
        # while something moves, it may keep the glow that it was drawn with, where nobody would see the
        # difference
        like = glow is not None and shot.detail.rough and glow.like(frames.glow, shot.scene.gain)
        if frames.still_of == (*stays, frames.glow if like else glow):
            return
        frames.still.use()
        self._use_mirror(mirrors.get("still"))
        self._draw_still(shot)
        frames.still_of, frames.glow = (*stays, glow), glow

    def _draw_still(self, shot: Shot, again: Again | None = None) -> None:
        """All that a change of lettering leaves as it is: backdrop, shells, ground. ``again``: as far as
        the depth that is there lets it, and it is seen there."""
        gl, scene = self.gl, shot.scene
        # what is behind all comes after what hides it, of which nothing is worked out then; but before a
        # ground that fades into it
        fades = scene.base is not None and scene.base.fades is not None
        last = again is None and not fades
        if again is None:
            gl.clear(0.5, 0.5, 0.5, 1.0, depth=1.0)
        if not last:
            if again is None:
                gl.disable(moderngl.DEPTH_TEST)
            gl.disable(moderngl.CULL_FACE)
            self._backdrop.draw(shot)
        gl.enable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        for item in reversed(scene.items):  # from the outside in: what is hidden costs nothing
            shown = again is None or again.shows(item)
            if item.still and item.material.kind != "glass" and shown:
                self._parts.item(item)
        if scene.street is not None:
            about = scene.street.items
            self._parts.about([one for one in about if again is None or again.shows(one)])
        if last:
            self._parts.grounds()
            gl.disable(moderngl.CULL_FACE)
            gl.fbo.depth_mask = False  # some of what is about is no nearer than all that depth is told for
            self._backdrop.draw(shot)
            gl.fbo.depth_mask = True
            gl.enable(moderngl.CULL_FACE)
        if scene.about:
            gl.enable_direct(DEPTH_CLAMP)  # they are farther than all that depth is told for
            gl.depth_func = "<="
            self._parts.about(scene.about)
            gl.depth_func = "<"
            gl.disable_direct(DEPTH_CLAMP)
        if not last:
            self._parts.grounds()

    # what a change of lettering may change

    def _over_still(
        self,
        shot: Shot,
        frames: Frames,
        mirrors: Mirrors,
        warp: Warp | None,
        edges: Edges | None,
        without: tuple[str, ...] = (),
    ) -> Array:
        """The picture (h, w, 4): over what stays, all that a change of lettering may change, but for the
        items whose masks begin so."""
        width, height = shot.size
        shown, part = self._to_be_drawn(shot, frames, mirrors, edges, without)
        self._card.copy(frames.frame, frames.still, part)
        if part is not None:
            frames.frame.scissor = part[0], part[1], part[2] - part[0], part[3] - part[1]
        frames.frame.use()
        self._draw_lettered(shot, frames, mirrors, without)
        if part is not None:
            frames.frame.scissor = None
            frames.frame.use()
        frames.shown = shown
        data = self._read(frames)
        if edges is not None:
            data = self._edges.over(data, edges, partial(self._draw_again, shot, mirrors))
            frames.frame.use()
        if shot.view.opening_mm > 0 and shot.detail.fine:
            data = self._lens.over(data, shot.size)
        pixels = np.frombuffer(data, dtype=np.uint8).reshape(height, width, 4)[::-1]
        if shot.photo is not None and warp is not None:
            if shot.photo.photo.folds is None:  # all of the piece is moved, not its lettering alone
                frames.frame.use()
                self.gl.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
                self._backdrop.draw(shot)
                data = self._read(frames)
            else:
                self._card.copy(frames.plain, frames.still)
                data = self._card.read(frames.plain, components=4)
            still = np.frombuffer(data, dtype=np.uint8).reshape(height, width, 4)[::-1]
            pixels = drawn_on_cloth(pixels, still, warp)
        return np.ascontiguousarray(pixels)

    def _to_be_drawn(
        self,
        shot: Shot,
        frames: Frames,
        mirrors: Mirrors,
        edges: Edges | None,
        without: tuple[str, ...],
    ) -> tuple[Lettered | None, Box | None]:
        """What the frame will show, where that can be told, and the pixels that differ from what it shows;
        None for all of them."""
        was, frames.shown = frames.shown, None
        sheets = None
        if edges is None and not without and mirrors.get("lettering") is None and self._card.copies_parts:
            sheets = sheets_of(shot)
        letters = None if sheets is None else letters_in(shot)
        if letters is None:
            return None, None
        now = Lettered((frames.still_of, sheets), letters)
        alike = was is not None and was.sheets == now.sheets
        return now, both(was.letters, letters) if alike and was is not None else None

    def _read(self, frames: Frames) -> bytes:
        """What has been drawn, one value for each pixel."""
        if frames.plain is not frames.frame:
            self._card.copy(frames.plain, frames.frame)
        return self._card.read(frames.plain, components=4)

    def _draw_lettered(
        self,
        shot: Shot,
        frames: Frames,
        mirrors: Mirrors,
        without: tuple[str, ...] = (),
        again: Again | None = None,
    ) -> None:
        """All that a change of lettering may change, but for the items whose masks begin so; ``again``: as
        far as it is seen there."""
        self.gl.enable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        self._use_mirror(mirrors.get("lettering"))
        for item in shot.scene.items:
            if (
                not item.still
                and item.material.kind != "glass"
                and not item.mask.startswith(without or NOTHING)
                and (again is None or again.shows(item))
            ):
                self._parts.item(item)
        self._use_mirror(mirrors.get("glass"))
        self._parts.glass(frames)

    # its edges

    def _edges_of(self, shot: Shot) -> Edges | None:
        """The edges of a picture, where they can be drawn again by themselves: nothing in it shows what is
        beside a pixel, as frosted film does."""
        if shot.photo is not None or any(item.material.film > 0 for item in shot.scene.items):
            return None
        return self._edges.found(shot.view, shot.size, self._parts.surfaces())

    def _draw_again(self, shot: Shot, mirrors: Mirrors, here: Again) -> None:
        """All of a picture once more, as far as the depth that is there lets it."""
        clip = shot.view.clip_matrix(shot.aspect)
        self._tell(clip=here.clip(clip), **here.uniforms)
        self._use_mirror(mirrors.get("still"))
        self._draw_still(shot, here)
        self._draw_lettered(shot, here.frames, mirrors, again=here)
        self._tell(clip=clip, **AS_IT_IS)

    # what it mirrors

    def _all_mirrors(self, shot: Shot) -> Mirrors:
        """What glossy surfaces mirror of piece and ground, or what is seen through glass; nothing while
        something moves. The same objects for the same picture."""
        scene, view, base = shot.scene, shot.view, shot.scene.base
        if not shot.detail.fine or shot.gathered is None or base is None or view.parallel:
            return {}
        ground = partial(self._parts.ground_of, base)
        shown = Shown(scene, view, shot.size, shot.gathered, ground, shot.room)
        parts: tuple[Part, ...] = ("glass",) if scene.clear else ("still", "lettering")
        return {part: self._mirrors.of(shown, part) for part in parts}

    def _use_mirror(self, mirror: Mirror | None) -> None:
        if mirror is not None:
            mirror.use(MIRROR)
        self._card.share(has_mirror=mirror is not None, mirror_light=MIRROR, mirror_place=MIRROR + 1)

    # more than one piece; a piece's place

    def _with_company(self, scene: Scene, size: tuple[int, int]) -> Photographed:
        """The photo with all other pieces in it, as large as a picture of this size shows it; those that
        are nearer stand before the scene's own."""
        photo = scene.photo
        assert photo is not None
        _, _, wide, tall = photo.box(size)
        size = max(round(wide), 16), max(round(tall), 16)
        key = (tuple((one.key, one.nearer) for one in scene.company), size)
        if key in self._company:
            self._company.move_to_end(key)
            return self._company[key]
        pixels, mask = behind(photo, size), before(photo, size)
        for one in scene.company:
            assert one.scene.photo is not None
            view, there = one.view(size[0] / size[1]), replace(one.scene.photo, pixels=pixels)
            pixels = self._render(replace(one.scene, photo=there), view, size, detail=Detail.FINE)[..., :3]
            if one.nearer:
                cover = self._coverage(one.scene, view, size).astype(float)
                mask = cover if mask is None else np.maximum(mask, cover)
        made = None if mask is None else np.rint(255 * mask).astype(np.uint8)
        self._company[key] = Photographed(photo.photo, np.ascontiguousarray(pixels), made)
        while len(self._company) > KEPT_COMPANY:
            self._company.popitem(last=False)
        return self._company[key]

    def _coverage(self, scene: Scene, view: View, size: tuple[int, int]) -> Array:
        width, height = size
        mask = self.gl.simple_framebuffer((width, height), components=1)
        mask.use()
        mask.clear()
        self.gl.enable(moderngl.DEPTH_TEST)
        self.gl.disable(moderngl.CULL_FACE)
        depth = self.gl.depth_texture((width, height))
        only = self.gl.framebuffer(depth_attachment=depth)
        only.use()
        only.clear(depth=1.0)
        set_values(self._card.depth, clip=view.clip_matrix(width / height), stance=scene.stance)

        def drawn(*, catching: bool) -> Array:
            for item in scene.items:
                if item.catches is catching:
                    self._card.draw(self._card.mesh(item.mesh).depth)
            far = np.frombuffer(self._card.read(depth), dtype=np.float32)
            return far.reshape(height, width)[::-1]

        photos = drawn(catching=True)  # what of the piece is part of the photo
        far = drawn(catching=False)
        let_go_of(only)
        let_go_of(mask)
        return far < photos


def _still_key(shot: Shot) -> tuple[Any, ...]:
    """Equal for two pictures whose still part is the same. What is large is held weakly: it would be
    kept for as long as a picture of its size is."""
    scene, view = shot.scene, shot.view
    items = tuple((weakly(item.mesh), weakly(item.material)) for item in scene.items if item.still)
    lens = view.opening_mm, view.focus_mm
    eye = (*view.eye, *view.right, *view.up, view.parallel, view.tall, view.raised, *lens)
    panel = None if scene.panel is None else (*scene.panel.middle, *scene.panel.half)
    ground = scene.base
    base = None
    if ground is not None:
        laid = tuple(weakly(item.mesh) for item in (*scene.laid, *scene.about))
        base = (weakly(ground.material), *ground.form, weakly(scene.street), laid)
    return (
        shot.detail,
        items,
        eye,
        panel,
        base,
        tuple(scene.gain),
        scene.stance.tobytes(),
        weakly(shot.gathered),
        shot.room,
        id(scene.backdrop.seen(view)),
        scene.backdrop.turn,
        weakly(scene.lamps),
        weakly(scene.photo),
    )
