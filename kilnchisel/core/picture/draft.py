"""The draft: OpenGL through EGL, without a window. One instance belongs to one thread.

Draws the same scene and materials as the mockup. What a rasteriser cannot see (light past the piece
itself, bounces) comes from ``gather``; the panel's mirror image and soft shadow are computed per pixel.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property, partial
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.detail import Detail
from kilnchisel.core.finishes.material import (
    MOST_COVERS,
    Material,
)
from kilnchisel.core.picture.card import DEPTH_CLAMP, Card, Frames, let_go_of, look_of, set_values, weakly
from kilnchisel.core.picture.draftglow import PLACE as GLOW
from kilnchisel.core.picture.draftglow import DraftGlow, Veil
from kilnchisel.core.picture.draftlight import LAYERS, DraftLight, LightMaps, in_the_open
from kilnchisel.core.picture.drawnmaterials import FIRST_COVER, use_material
from kilnchisel.core.picture.gather import Gathered, forget_tracers
from kilnchisel.core.picture.ggx import SIZE as SHARES
from kilnchisel.core.picture.ggx import share_table
from kilnchisel.core.picture.lamplight import Baked, LampLight
from kilnchisel.core.picture.mirrorpass import Mirror, MirrorPass, Part, Shown
from kilnchisel.core.picture.onphoto import UNSEEN, before, behind, drawn_on_cloth
from kilnchisel.core.picture.smoothedges import AS_IT_IS, Again, Drawn, Edges, SmoothEdges
from kilnchisel.core.picture.surround import open_light
from kilnchisel.core.scene.grounds import RIM, Base
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.onfolds import Warp, warp_of
from kilnchisel.core.scene.onphoto import Photographed
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.street import WALL
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

OPEN = ("open",)  # what lights a mesh of which each corner tells nothing of its light
SHADOW_SIZE = 1024
SAME_FOCUS = 0.03  # of the distance: while something moves, what is as much nearer is as sharp
SAMPLES = {Detail.FINE: 4, Detail.ROUGH: 0}  # of a pixel's edges
LIGHT_MAP = 4  # the place of gathered light, over the ground or a sheet
MIRROR = FIRST_COVER + MOST_COVERS  # and the place after it
GROUND_LIT = MIRROR + 2
PHOTO = GROUND_LIT + 1
SEEN = 6  # what is behind panes: in the place of the light of tubes, of which glass knows nothing
NOTHING = ("no item",)
NO_MASK = (None, None, None, None)
KEPT_BACKDROPS = 3
KEPT_COMPANY = 2  # the photo with other pieces in it, while something moves and when it rests


class Draft:
    """Renders scenes. Raises KilnError when no OpenGL through EGL can be had."""

    def __init__(self) -> None:
        self._card = Card()
        self.gl, self.name = self._card.gl, self._card.name
        self._depth = self._card.depth
        self._light = DraftLight(self._card)
        self._lamps = LampLight(self._card)
        self._glow = DraftGlow(self._card)
        self._edges = SmoothEdges(self._card)
        self._mirrors = MirrorPass(self._card)
        self._screen_backdrop = self.gl.vertex_array(self._card.backdrop, [])
        self._shadow = self.gl.depth_texture((SHADOW_SIZE, SHADOW_SIZE))
        self._shadow.compare_func = ""
        self._shadow.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._shadow.repeat_x = self._shadow.repeat_y = False
        self._shadow_frame = self.gl.framebuffer(depth_attachment=self._shadow)
        self._open_scene: Any = None  # the one that is drawn: all that it is made of hangs on it
        self._shadow_of: tuple[Any, Any] = (None, None)
        self._backdrops: OrderedDict[int, tuple[Array, Any]] = OrderedDict()
        self._maps: LightMaps | None = None
        self._shares = self.gl.texture((SHARES, SHARES), 2, share_table().tobytes(), dtype="f4")
        self._shares.filter = (moderngl.LINEAR, moderngl.LINEAR)
        self._shares.repeat_x = self._shares.repeat_y = False
        self._detail = Detail.ROUGH
        self._focus_mm = np.inf
        self._photo: Photographed | None = None  # behind what is being drawn
        self._photo_of: tuple[Any, Any] = (None, None)
        self._company: OrderedDict[tuple[Any, ...], Photographed] = OrderedDict()
        self._before: tuple[Any, Any, Any, Any] = NO_MASK  # what stands before the piece, at a size

    def render(
        self, scene: Scene, view: View, size: tuple[int, int], *, detail: Detail = Detail.FINE
    ) -> Array:
        """A picture (h, w, 4) uint8, sRGB. FINE: multisampled and with fine shadows."""
        with self.gl:  # there may be other contexts in this thread
            return self._render(scene, view, size, detail=detail)

    def close(self) -> None:
        """Give back all that it holds, the context too: its programs grow with all that they draw. It can
        draw no more."""
        forget_tracers()
        self.gl.release()

    def _render(self, scene: Scene, view: View, size: tuple[int, int], *, detail: Detail) -> Array:
        width, height = size
        scene = scene.seen_in(view)
        if scene.company and not view.parallel:
            scene = replace(scene, photo=self._with_company(scene, size), company=())
        self._detail = detail
        view = self._steady(view)
        gathered, light_maps = self._light.of(scene, detail=detail)
        self._draw_shadow(scene)
        room = self._light.room(scene)
        edges = self._edges_of(scene, view, size) if detail.fine and SAMPLES[detail] > 0 else None
        frames = self._card.targets(width, height, SAMPLES[detail] if edges is None else 0)
        self._prepare(scene, view, size, room, light_maps, detail=detail)
        glow = self._glow.over(scene, view, size, detail=detail)
        mirrors = self._all_mirrors(scene, view, size, gathered, room)
        over: dict[str, Any] = {
            "veil": GLOW,
            "has_veil": glow is not None,
            "picture_size": np.array(size, float),
        }
        over |= self._use_photo(scene, view, size)
        self._tell(**over)
        stays = self._still_key(scene, view, gathered, room), mirrors.get("still")
        # each frame keeps a viewport of its own; setting the context's would change that of whatever frame
        # was used last
        frames.still.viewport = frames.frame.viewport = (0, 0, width, height)
        glows = frames.glow if self._glow_stays(frames.glow, glow, scene) else glow
        if frames.still_of != (*stays, glows):
            frames.still.use()
            self._use_mirror(mirrors.get("still"))
            self._draw_still(scene, view, width / height, gathered)
            frames.still_of, frames.glow = (*stays, glow), glow
        warp = None if self._photo is None else warp_of(scene, view, size)

        def drawn(without: tuple[str, ...] = ()) -> Array:
            return self._draw_rest(scene, view, size, frames, mirrors, gathered, warp, without, edges)

        pixels = drawn()
        if self._photo is None or self._photo.mask is None:
            return pixels
        masked = self._behind_what_is_before(self._photo, pixels, size)
        if not scene.before:
            return masked
        # what differs from the picture without them is what stands before all
        rest = drawn(scene.before)[..., :3].astype(np.int16)
        stands = np.abs(pixels[..., :3] - rest).max(axis=2) > UNSEEN
        return np.ascontiguousarray(np.where(stands[..., None], pixels, masked))

    def _glow_stays(self, drawn: Veil | None, glow: Veil | None, scene: Scene) -> bool:
        """Whether what stays may keep the glow that it was drawn with: while something moves, where nobody
        would see the difference."""
        return glow is not None and self._detail.rough and glow.like(drawn, scene.gain)

    def _steady(self, view: View) -> View:
        """The view as it is drawn while something moves: in focus where it was, as long as that is near, so
        that what stays need not be drawn anew for a lettering that comes nearer by a hair."""
        off = abs(view.focus_mm / self._focus_mm - 1)
        if self._detail.fine or off > SAME_FOCUS:
            self._focus_mm = view.focus_mm
            return view
        return replace(view, focus_mm=self._focus_mm)

    def _draw_rest(
        self,
        scene: Scene,
        view: View,
        size: tuple[int, int],
        frames: Any,
        mirrors: dict[Part, Mirror | None],
        gathered: Gathered | None,
        warp: Warp | None,
        without: tuple[str, ...],
        edges: Edges | None,
    ) -> Array:
        """The picture (h, w, 4): over what stays, all that a change of lettering may change, but for the
        items whose masks begin so."""
        width, height = size
        self._card.copy(frames.frame, frames.still)
        frames.frame.use()
        self._draw_lettered(scene, frames, mirrors, gathered, without)
        if frames.plain is not frames.frame:
            self._card.copy(frames.plain, frames.frame)
        data = self._card.read(frames.plain, components=4)
        if edges is not None:
            again = partial(self._draw_again, scene, view, size, mirrors, gathered)
            data = self._edges.over(data, edges, again)
            frames.frame.use()
        if view.opening_mm > 0 and self._detail.fine:
            data = self._through_lens(data, size)
        pixels = np.frombuffer(data, dtype=np.uint8).reshape(height, width, 4)[::-1]
        if self._photo is not None and warp is not None:
            if self._photo.photo.folds is None:  # all of the piece is moved, not its lettering alone
                frames.frame.use()
                self.gl.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
                self._draw_backdrop(scene, view, width / height)
                if frames.plain is not frames.frame:
                    self._card.copy(frames.plain, frames.frame)
            else:
                self._card.copy(frames.plain, frames.still)
            still = np.frombuffer(self._card.read(frames.plain, components=4), dtype=np.uint8)
            pixels = drawn_on_cloth(pixels, still.reshape(height, width, 4)[::-1], warp)
        return np.ascontiguousarray(pixels)

    def _draw_lettered(
        self,
        scene: Scene,
        frames: Frames,
        mirrors: dict[Part, Mirror | None],
        gathered: Gathered | None,
        without: tuple[str, ...] = (),
        again: Again | None = None,
    ) -> None:
        """All that a change of lettering may change, but for the items whose masks begin so; ``again``: as
        far as it is seen there."""
        self.gl.enable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        self._use_mirror(mirrors.get("lettering"))
        for item in scene.items:
            if (
                not item.still
                and item.material.kind != "glass"
                and not item.mask.startswith(without or NOTHING)
                and (again is None or again.shows(item))
            ):
                self._draw_item(item, gathered)
        self._use_mirror(mirrors.get("glass"))
        self._draw_glass(scene, frames, gathered)

    def _edges_of(self, scene: Scene, view: View, size: tuple[int, int]) -> Edges | None:
        """The edges of a picture, where they can be drawn again by themselves: nothing in it shows what is
        beside a pixel, as frosted film does."""
        in_photo = scene.photo is not None and not view.parallel
        if in_photo or any(item.material.film > 0 for item in scene.items):
            return None
        return self._edges.found(view, size, self._surfaces(scene))

    def _draw_again(
        self,
        scene: Scene,
        view: View,
        size: tuple[int, int],
        mirrors: dict[Part, Mirror | None],
        gathered: Gathered | None,
        here: Again,
    ) -> None:
        """All of a picture once more, as far as the depth that is there lets it."""
        width, height = size
        clip = view.clip_matrix(width / height)
        self._tell(clip=here.clip(clip), **here.uniforms)
        self._use_mirror(mirrors.get("still"))
        self._draw_still(scene, view, width / height, gathered, here)
        self._draw_lettered(scene, here.frames, mirrors, gathered, again=here)
        self._tell(clip=clip, **AS_IT_IS)

    def _tell(self, **values: Any) -> None:
        """Give all programs of a picture values."""
        self._card.share(**values)
        set_values(self._card.backdrop, **values)

    def _surfaces(self, scene: Scene) -> tuple[list[Drawn], list[Drawn]]:
        """All that is drawn, and what is seen through."""

        def drawn(item: Item, stance: Array, **how: Any) -> Drawn:
            return Drawn(item, len(item.mesh.faces), partial(self._card.mesh, item.mesh), stance, **how)

        solid: list[Drawn] = []
        seen_through: list[Drawn] = []
        for item in scene.items:
            through = item.material.kind == "glass"
            (seen_through if through else solid).append(drawn(item, scene.stance))
        flat = np.eye(4)
        solid += [drawn(item, flat) for item in (() if scene.street is None else scene.street.items)]
        solid += [drawn(item, flat, far=True) for item in scene.trees]
        if scene.base is not None:
            for number, item in enumerate(scene.laid, 1):
                mesh = partial(self._laid, item.mesh)
                solid.append(replace(drawn(item, flat, lies=number), mesh=mesh))
            ground, size = partial(self._ground_of, scene.base), len(scene.base.mesh.faces)
            solid.append(Drawn(scene.base, size, ground, flat, two_sided=True))
        return solid, seen_through

    def _behind_what_is_before(self, photo: Photographed, pixels: Array, size: tuple[int, int]) -> Array:
        """A picture (h, w, 4) with what of the photo stands before the piece."""
        if photo.mask is None:
            return pixels
        of, at, seen, hidden = self._before
        if of is not photo or at != size:
            hidden = before(photo, size)
            assert hidden is not None
            hidden, seen = hidden[..., None].astype(np.float32), behind(photo, size).astype(np.float32)
            self._before = photo, size, seen, hidden
        over = pixels.copy()
        over[..., :3] = np.rint(pixels[..., :3] * (1 - hidden) + seen * hidden)
        return over

    @cached_property
    def _screen_lens(self) -> Any:
        return self.gl.vertex_array(self._card.lens, [])

    def _through_lens(self, data: bytes, size: tuple[int, int]) -> bytes:
        """A picture with what is out of focus spread over its disc."""
        picture = self.gl.texture(size, 4, data)
        picture.repeat_x = picture.repeat_y = False
        frame, before = self.gl.simple_framebuffer(size, components=4), self.gl.fbo
        frame.use()
        self.gl.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        picture.use(0)
        set_values(self._card.lens, picture=0, most=_largest_disc(size))
        self._card.draw(self._screen_lens, 3)
        made = self._card.read(frame, components=4)
        before.use()
        picture.release()
        let_go_of(frame)
        return made

    def _draw_still(
        self,
        scene: Scene,
        view: View,
        aspect: float,
        gathered: Gathered | None,
        again: Again | None = None,
    ) -> None:
        """All that a change of lettering leaves as it is: backdrop, shells, ground. ``again``: as far as
        the depth that is there lets it, and it is seen there."""
        if again is None:
            self.gl.clear(0.5, 0.5, 0.5, 1.0, depth=1.0)
            self.gl.disable(moderngl.DEPTH_TEST)
        self.gl.disable(moderngl.CULL_FACE)
        self._draw_backdrop(scene, view, aspect)
        self.gl.enable(moderngl.DEPTH_TEST | moderngl.CULL_FACE)
        for item in reversed(scene.items):  # from the outside in: what is hidden costs nothing
            shown = again is None or again.shows(item)
            if item.still and item.material.kind != "glass" and shown:
                self._draw_item(item, gathered)
        if scene.street is not None:
            about = scene.street.items
            self._draw_about(scene, [one for one in about if again is None or again.shows(one)])
        if scene.trees:
            self.gl.enable_direct(DEPTH_CLAMP)  # they are farther than all that depth is told for
            self.gl.depth_func = "<="
            self._draw_about(scene, scene.trees)
            self.gl.depth_func = "<"
            self.gl.disable_direct(DEPTH_CLAMP)
        if scene.base is not None:
            self._draw_grounds(scene.base, scene.laid)

    def _draw_glass(self, scene: Scene, frames: Frames, gathered: Gathered | None) -> None:
        """Glass over what is behind it, its far walls first."""
        glass = [item for item in scene.items if item.material.kind == "glass"]
        if not glass:
            return
        if scene.clear:
            self._draw_walls(glass, gathered)
        else:
            self._draw_panes(glass, frames, gathered)

    def _draw_panes(self, panes: list[Item], frames: Frames, gathered: Gathered | None) -> None:
        """Panes, which seldom lie before each other: each is drawn once, with the light it lets through."""
        seen = frames.behind.color_attachments[0]
        blurs = any(item.material.film > 0 for item in panes)
        seen.filter = (moderngl.LINEAR_MIPMAP_LINEAR if blurs else moderngl.LINEAR, moderngl.LINEAR)
        self._card.share(glass_pass=2, seen_map=SEEN)
        for facing in ("front", "back"):  # which faces are left out
            self._card.copy(frames.behind, frames.frame)
            if blurs:
                seen.build_mipmaps()
            frames.frame.use()
            self.gl.cull_face = facing
            seen.use(SEEN)
            for item in panes:
                self._draw_item(item, gathered)

    def _draw_walls(self, glass: list[Item], gathered: Gathered | None) -> None:
        """The walls of a vessel, one behind the other: each darkens by what it keeps, then adds what it
        mirrors."""
        self.gl.enable(moderngl.BLEND)
        self.gl.depth_func = "<="  # a wall is drawn twice
        for facing in ("front", "back"):  # which faces are left out
            self.gl.cull_face = facing
            for number, blend in enumerate(
                ((moderngl.DST_COLOR, moderngl.ZERO), (moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA))
            ):
                # how far what is behind is out of focus, the alpha, stays
                self.gl.blend_func = (*blend, moderngl.ZERO, moderngl.ONE)
                self._card.share(glass_pass=number)
                for item in glass:
                    self._draw_item(item, gathered)
        self.gl.disable(moderngl.BLEND)
        self.gl.depth_func = "<"

    def _all_mirrors(
        self, scene: Scene, view: View, size: tuple[int, int], gathered: Gathered | None, room: Any
    ) -> dict[Part, Mirror | None]:
        """What glossy surfaces mirror of piece and ground, or what is seen through glass; nothing while
        something moves. The same objects for the same picture."""
        if not self._detail.fine or gathered is None or scene.base is None or view.parallel:
            return {}
        shown = Shown(scene, view, size, gathered, partial(self._ground_of, scene.base), room)
        parts: tuple[Part, ...] = ("glass",) if scene.clear else ("still", "lettering")
        return {part: self._mirrors.of(shown, part) for part in parts}

    def _use_mirror(self, mirror: Mirror | None) -> None:
        if mirror is not None:
            mirror.use(MIRROR)
        self._card.share(has_mirror=mirror is not None, mirror_light=MIRROR, mirror_place=MIRROR + 1)

    def _still_key(self, scene: Scene, view: View, gathered: Gathered | None, room: Any) -> tuple[Any, ...]:
        """Equal for two pictures whose still part is the same. What is large is held weakly: it would be
        kept for as long as a picture of its size is."""
        items = tuple((weakly(item.mesh), weakly(item.material)) for item in scene.items if item.still)
        lens = view.opening_mm, view.focus_mm
        eye = (*view.eye, *view.right, *view.up, view.parallel, view.tall, view.raised, *lens)
        panel = None if scene.panel is None else (*scene.panel.middle, *scene.panel.half)
        ground = scene.base
        base = None
        if ground is not None:
            laid = tuple(weakly(item.mesh) for item in (*scene.laid, *scene.trees))
            base = (weakly(ground.material), *ground.form, weakly(scene.street), laid)
        return (
            self._detail,
            items,
            eye,
            panel,
            base,
            tuple(scene.gain),
            scene.stance.tobytes(),
            weakly(gathered),
            room,
            id(scene.backdrop.seen(view)),
            scene.backdrop.turn,
            weakly(scene.lamps),
            weakly(scene.photo),
        )

    def coverage(self, scene: Scene, view: View, size: tuple[int, int]) -> Array:
        """Which pixels the piece covers, (h, w) bool, by pixel centres."""
        with self.gl:
            return self._coverage(scene, view, size)

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
        set_values(self._depth, clip=view.clip_matrix(width / height), stance=scene.stance)

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

    def _draw_shadow(self, scene: Scene) -> None:
        """The shadow map. While something moves, the relief of letters may lag behind in it."""
        panel = scene.panel
        if panel is None:
            return
        solid = [item for item in scene.items if item.material.kind != "glass"]
        still = tuple(item.mesh for item in solid if item.still)
        lettered = tuple(item.mesh for item in solid if not item.still)
        place = (panel.middle.tobytes(), panel.half.tobytes(), scene.stance.tobytes(), scene.radius_mm)
        drawn, relief = self._shadow_of
        if drawn == (still, place) and (relief == lettered or not self._detail.fine):
            return
        self._shadow_of = ((still, place), lettered)
        self._shadow_frame.use()
        self._shadow_frame.clear(depth=1.0)
        self.gl.enable(moderngl.DEPTH_TEST)
        self.gl.disable(moderngl.CULL_FACE)
        set_values(self._depth, clip=_shadow_view(scene).clip_matrix(1.0), stance=scene.stance)
        for item in solid:
            self._card.draw(self._card.mesh(item.mesh).depth)

    def _use_photo(self, scene: Scene, view: View, size: tuple[int, int]) -> dict[str, Any]:
        """The photo behind, in its place, and what shaders are told of it. Straight on there is none."""
        self._photo = None if view.parallel else scene.photo
        if self._photo is None:
            return {"has_photo": False, "photo": PHOTO}
        pixels = self._photo.pixels
        if self._photo_of[0] is not pixels:
            if self._photo_of[1] is not None:
                self._photo_of[1].release()
            texture = self.gl.texture(pixels.shape[1::-1], 3, pixels.tobytes(), alignment=1)
            texture.build_mipmaps()
            texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
            texture.repeat_x = texture.repeat_y = False
            self._photo_of = pixels, texture
        self._photo_of[1].use(PHOTO)
        left, top, wide, tall = self._photo.box(size)
        low = size[1] - top - tall
        told: dict[str, Any] = {
            "has_photo": True,
            "photo": PHOTO,
            "photo_box": (left / size[0], low / size[1], wide / size[0], tall / size[1]),
        }
        if (caught := scene.caught) is not None:
            open_ = tuple(float(v) for v in open_light(scene, caught.normal))
            told |= {"photo_tone": caught.material.base, "photo_normal": caught.normal, "photo_open": open_}
        return told

    def _draw_backdrop(self, scene: Scene, view: View, aspect: float) -> None:
        picture = scene.backdrop.seen(view)
        if id(picture) not in self._backdrops:
            height, width = picture.shape[:2]
            texture = self.gl.texture((width, height), 3, _half(picture), dtype="f2", alignment=2)
            texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
            texture.repeat_y = False
            self._backdrops[id(picture)] = (picture, texture)
            while len(self._backdrops) > KEPT_BACKDROPS:
                self._backdrops.popitem(last=False)[1][1].release()
        self._backdrops[id(picture)][1].use(0)
        tall = (0.0, 0.0) if view.parallel else (view.tall * aspect, view.tall)
        set_values(
            self._card.backdrop,
            backdrop=0,
            turn=scene.backdrop.turn,
            ahead=view.ahead,
            right=view.right,
            up=view.up,
            tall=tall,
            raised=view.raised,
            gain=scene.gain,
        )
        self._card.draw(self._screen_backdrop, 3)

    def _prepare(
        self,
        scene: Scene,
        view: View,
        size: tuple[int, int],
        room: Any,
        light_maps: LightMaps | None,
        *,
        detail: Detail,
    ) -> None:
        aspect = size[0] / size[1]
        room.use(2)
        self._shares.use(5)
        self._shadow.use(3)
        self._maps = light_maps
        nothing = self._card.plain.tint
        nothing.use(LIGHT_MAP)
        (nothing if light_maps is None else light_maps.lit).use(GROUND_LIT)
        values: dict[str, Any] = {
            "tint_map": 0,
            "slope_map": 1,
            "gloss_room": 2,
            "shadow_map": 3,
            "light_map": LIGHT_MAP,
            "ground_lit": GROUND_LIT,
            "share_map": 5,
            "clip": view.clip_matrix(aspect),
            "stance": scene.stance,
            "eye": view.eye,
            "ahead": view.ahead,
            "parallel_view": view.parallel,
            "lens": _lens(view, size) if view.opening_mm > 0 else (0.0, 1.0),
            "layers": float(LAYERS),
            "gain": scene.gain,
            "has_panel": scene.panel is not None,
            "is_ground": False,
            "shadow_taps": 16 if detail.fine else 8,
            **{f"cover_{number}": FIRST_COVER + number for number in range(MOST_COVERS)},
        }
        self._open_scene = scene
        if scene.panel is not None:
            side, up = scene.panel.edges
            lamp = _shadow_view(scene)
            values |= {
                "panel_middle": scene.panel.middle,
                "panel_facing": scene.panel.facing,
                "panel_side": side,
                "panel_up": up,
                "panel_half": scene.panel.half,
                "panel_radiance": scene.panel.radiance,
                "shadow_clip": lamp.clip_matrix(1.0),
                "shadow_texel": 2 * lamp.tall / SHADOW_SIZE,
                "shadow_depth": lamp.reach_mm - lamp.near_mm,
            }
        if scene.base is not None:
            base = scene.base
            axes = np.stack([base.along, np.cross(base.normal, base.along), base.normal])
            values |= {
                "ground_axes": axes.T,
                "ground_middle": base.under(scene.middle),
                "ground_half": 2.4 * scene.radius_mm,
                "ground_fades": base.fades or (0.0, 0.0),
                "ground_open": (*self._light.over_open_ground(scene, base), 1.0),
            }
        self._card.share(**values)

    def _draw_item(self, item: Item, gathered: Gathered | None) -> None:
        drawn = self._card.mesh(item.mesh)
        caught = item.catches and self._photo is not None
        over = None if self._maps is None or item.side is None else self._maps.sheets[item.side]
        if over is None:
            # light looked up in a hurry is good enough until the picture rests
            soft = weakly(gathered) or self._open_room(self._open_scene)
            light = soft, weakly(self._open_scene.lamps)
            lit_by = (*light, self._detail.fine or item.side is not None)
            if drawn.lit_by not in (lit_by, (*light, True)):
                drawn.light.write(self._item_light(item, gathered).astype("f4").tobytes())
                drawn.lit_by = lit_by
        program = self._use_material(item.material, caught=caught)
        set_values(program, has_sheet_light=over is not None)
        if over is not None:
            over[0].use(LIGHT_MAP)
            set_values(program, sheet_box=over[1])
        set_values(program, caught_by=2 if self._open_scene.base is None else 3)
        side = item.side
        self._use_lamp_map(
            program,
            None if side is None else self._lamps.on_sheet(self._open_scene, side, detail=self._detail),
        )
        self._card.draw(self._card.array(drawn, look_of(item.material, caught=caught)))

    def _use_material(self, material: Material, *, caught: bool) -> Any:
        return use_material(self._card, self._open_scene, material, caught=caught, detail=self._detail)

    def _open_room(self, scene: Scene) -> tuple[Any, ...]:
        """Equal for scenes in which open light is the same."""
        return (OPEN, weakly(scene.draft_room))

    def _use_lamp_map(self, program: Any, baked: Baked | None) -> None:
        """The light of tubes over a sheet or the ground (None: there is no map for it)."""
        if baked is None:
            set_values(program, has_tube_map=False, tube_map=6)
            return
        baked[0].use(6)
        set_values(program, has_tube_map=True, tube_map=6, tube_box=np.array(baked[1]))

    def _item_light(self, item: Item, gathered: Gathered | None) -> Array:
        # sheets have a map of what tubes send; what shines itself needs none
        tubes = item.side is None and not item.material.shines
        return self._light.at_corners(
            self._open_scene, item.mesh, gathered, detail=self._detail, tubes=tubes
        )

    def _draw_about(self, scene: Scene, items: Sequence[Item]) -> None:
        """What stands on the ground behind the piece, in open light: the piece does not darken it."""
        lit_by = self._open_room(scene)
        for item in items:
            drawn = self._card.mesh(item.mesh)
            if drawn.lit_by != lit_by:
                light = in_the_open(scene, item.mesh.normals)
                drawn.light.write(light.astype("f4").tobytes())
                drawn.lit_by = lit_by
            material = item.material
            if self._detail.rough and item.name != WALL:  # of stones, hardly any grain is seen from afar
                material = replace(material, texture=None)
            program = self._use_material(material, caught=False)
            set_values(program, has_sheet_light=False, stance=np.eye(4), caught_by=3)
            self._use_lamp_map(program, None)
            self._card.draw(self._card.array(drawn, look_of(material, caught=False)))
            set_values(program, stance=self._open_scene.stance)

    def _draw_grounds(self, base: Base, laid: tuple[Item, ...]) -> None:
        """The ground, and what is flat on it, in the same light."""
        if base.fades is not None:
            self.gl.enable(moderngl.BLEND)
            self.gl.blend_func = (
                moderngl.SRC_ALPHA,
                moderngl.ONE_MINUS_SRC_ALPHA,
                moderngl.ZERO,
                moderngl.ONE,
            )
        # what lies on top first: of what is under it nothing is drawn
        for number in range(len(laid), 0, -1):
            self.gl.polygon_offset = -number, -number  # so flat that its depth is the ground's
            self._draw_ground(laid[number - 1].material, self._laid(laid[number - 1].mesh), None)
        self.gl.polygon_offset = 0.0, 0.0
        lamps = self._lamps.on_ground(self._open_scene, base, detail=self._detail)
        self.gl.disable(moderngl.CULL_FACE)  # a blade of grass is seen from both sides
        self._draw_ground(base.material, self._ground_of(base), lamps)
        self.gl.enable(moderngl.CULL_FACE)
        self.gl.disable(moderngl.BLEND)

    def _draw_ground(self, material: Material, drawn: Any, lamps: Baked | None) -> None:
        caught = self._photo is not None
        program = self._use_material(material, caught=caught)
        # where only lettering is shown, the body's own shadow on its ground is the photo's already
        bare = bool(self._open_scene.bare)
        set_values(
            program, is_ground=True, has_sheet_light=False, stance=np.eye(4), caught_by=3 if bare else 1
        )
        if self._maps is not None:
            self._maps.ground.use(LIGHT_MAP)
        self._use_lamp_map(program, lamps)
        self._card.draw(self._card.array(drawn, look_of(material, caught=caught)))
        set_values(program, is_ground=False, stance=self._open_scene.stance)

    def _laid(self, mesh: Mesh) -> Any:
        """A mesh of the ground as it is drawn: its light comes from a map."""
        drawn = self._card.mesh(mesh)
        if drawn.lit_by != OPEN:
            drawn.light.write(np.ones((len(mesh.points), 4), "f4").tobytes())
            drawn.lit_by = OPEN
        return drawn

    def _ground_of(self, base: Base) -> Any:
        """The ground's mesh as it is drawn: while something moves, its plane."""
        if base.relief is not None and self._detail.fine:
            return self._laid(base.close_mesh)
        mesh, flat_ = base.mesh, self._card.flat
        flat_.points.write(mesh.points.astype("f4").tobytes())
        flat_.rest.write(np.concatenate([mesh.normals, mesh.uv], axis=1).astype("f4").tobytes())
        flat_.light.write(np.ones((len(mesh.points), 4), "f4").tobytes())
        # the buffers are as large as the largest ground: what is left over of them is no triangle
        index = np.zeros((RIM, 3), "i4")
        index[: len(mesh.faces)] = mesh.faces
        flat_.index.write(index.tobytes())
        return flat_


def _largest_disc(size: tuple[int, int]) -> float:
    """Radius of the largest disc that a point out of focus is spread over, pixels."""
    return max(size[1] / 36, 2.0)


def _lens(view: View, size: tuple[int, int]) -> tuple[float, float]:
    """The lens for the shader: its opening by the largest disc, and the depth in focus, mm."""
    radius_px = view.opening_mm / 2 / (2 * view.tall) * size[1]
    return radius_px / _largest_disc(size), view.focus_mm


def _half(light: Array) -> bytes:
    """Light as the card keeps it: of half precision, which has three digits and goes up to 65504."""
    return np.minimum(light, 65504).astype("f2").tobytes()


def _shadow_view(scene: Scene) -> View:
    """A parallel view from the panel that holds the piece and the shadow next to it."""
    assert scene.panel is not None
    _, up = scene.panel.edges
    ahead = scene.panel.facing
    back = 3 * scene.radius_mm
    return View(
        eye=scene.middle - back * ahead,
        right=np.cross(ahead, up),
        up=up,
        ahead=ahead,
        parallel=True,
        tall=1.04 * scene.radius_mm,
        reach_mm=back + 9 * scene.radius_mm,
    )
