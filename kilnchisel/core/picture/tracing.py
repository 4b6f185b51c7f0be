"""A scene in the path tracer, and samples of it.

One thread owns the path tracer: load a ``TracedScene`` there and use it only there.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from types import ModuleType
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import LUMA
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes.material import (
    COAT_KEEPS,
    COAT_SHINE,
    FILM_BACK,
    FILM_SCATTERS,
    GLASS_KEEPS,
    POLISHED,
    Amount,
    Material,
    Texture,
    cover_matrix,
    texture_matrix,
    texture_uv,
)
from kilnchisel.core.picture.variants import SAFE, best_variant
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.lamps import Panel
from kilnchisel.core.scene.light import cosine_sum, directions_of
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View

Array = NDArray[Any]

# by what of which texture it is: the texture, which must live as long as its number counts, and as loaded
Textures = dict[tuple[Any, ...], tuple[Texture, Any]]

# steps of a sequence that covers a square evenly, however many of it are taken: powers of the inverse of
# x^3 = x + 1 (Roberts, "The unreasonable effectiveness of quasirandom sequences", 2018, from memory)
SPREAD = (0.7548776662466927, 0.5698402909980532)
DEPTH = 8
STREET, FAR = "street ", "far "  # how the names of what is on the ground begin, and of what is beyond it
GLASS_DEPTH = 14  # through both walls of a vessel and back
LIT_DEPTH = 4  # by lamps close to what they light: little is left after so many bounces


@lru_cache(maxsize=1)
def tracer() -> ModuleType:
    """The path-tracing library with its best variant set, falling back to the safe one."""
    variant = best_variant()
    if variant.library:
        os.environ["DRJIT_LIBLLVM_PATH"] = variant.library
    import mitsuba

    try:
        mitsuba.set_variant(variant.name)
    except Exception:  # a remembered variant may have gone with an update
        mitsuba.set_variant(SAFE)
    mitsuba.set_log_level(mitsuba.LogLevel.Error)
    return mitsuba


def drop_compiled() -> None:
    """Let go of what was compiled: what is wanted again comes from the disk."""
    if variant_name() != SAFE:
        import drjit as dr

        dr.flush_kernel_cache()


def variant_name() -> str:
    """The variant in use, for the status line and the benchmarks."""
    return str(tracer().variant())


@dataclass(frozen=True, eq=False)
class Slice:
    """A share of the work: rows first..last of a picture of ``size``, so many samples, by a seed; ``first``
    is how many each pixel has had; ``columns`` where they are not all."""

    view: View
    size: tuple[int, int]
    rows: tuple[int, int]
    samples: int
    seed: int
    first: int = 0
    columns: tuple[int, int] | None = None

    @property
    def across(self) -> tuple[int, int]:
        return self.columns or (0, self.size[0])


class TracedScene:
    """A scene loaded into the path tracer."""

    def __init__(self, scene: Scene, had: Textures | None = None) -> None:
        """``had``: the ``textures`` of a scene that is let go of, used again where they are the same."""
        self.scene = scene
        self.mi = tracer()
        self._had = had or {}
        self.textures: Textures = {}
        named = {f"item{number}": item.material for number, item in enumerate(scene.items)}
        self._returning = {name: material for name, material in named.items() if material.sends_back > 0}
        try:
            self._loaded = self._load(scene)
            self._depth = DEPTH if scene.lamps is None else LIT_DEPTH
            if any(item.material.kind == "glass" for item in scene.items):
                self._depth = GLASS_DEPTH
            self._guide = self.mi.load_dict({"type": "aov", "aovs": "albedo:albedo,normal:sh_normal"})
        except (RuntimeError, MemoryError) as error:
            raise KilnError(f"The mockup could not be set up ({error}); the draft still works.") from None
        self._had = {}
        self._wide = variant_name() != SAFE

    def seen(self, part: Slice) -> Array:
        """Sum of the slice's samples: (rows, w, 10) linear RGB and coverage, and what the denoiser goes by:
        albedo and normal."""
        if self._wide:
            return self._asked(self._seen, part)
        return np.concatenate([self.light(part), self.guides(part)], axis=-1)

    def light(self, part: Slice) -> Array:
        """The first four of them."""
        return self._asked(self._lit if self._wide else self._filmed_light, part)

    def guides(self, part: Slice) -> Array:
        """The last six."""
        return self._asked(self._guiding if self._wide else self._filmed_guides, part)

    def let_go(self) -> None:
        """Give back the memory that the tracer keeps for its next wave."""
        if self._wide:
            import drjit as dr

            dr.flush_malloc_cache()

    def _asked(self, draw: Callable[[Slice], Array], part: Slice) -> Array:
        try:
            values = draw(part)
        except (RuntimeError, MemoryError) as error:
            raise KilnError(f"The mockup stopped ({error}); make the picture smaller.") from None
        return np.nan_to_num(values, nan=0.0, posinf=0.0, neginf=0.0)

    def _seen(self, part: Slice) -> Array:
        ray, wave = self._wave(part)
        return self._summed([*self._covered(ray, wave), *wave.guides()], part)

    def _lit(self, part: Slice) -> Array:
        return self._summed(self._covered(*self._wave(part)), part)

    def _guiding(self, part: Slice) -> Array:
        sampler, ray = self._rays(part)
        return self._summed(list(self._guide.sample(self._loaded, sampler, ray)[2])[:6], part)

    def _wave(self, part: Slice) -> tuple[Any, Any]:
        from kilnchisel.core.picture.lightpaths import wave  # compiled for the variant that is set by now

        sampler, ray = self._rays(part)
        depth = self.mi.UInt32(self._depth)
        return ray, wave(self._loaded, sampler, ray, depth, self._panels_before(part))

    def _covered(self, ray: Any, wave: Any) -> list[Any]:
        """The light of rays and how much of what they meet is there."""
        import drjit as dr

        colour = wave.light + self._sent_back(ray, wave.first)
        cover = dr.select(wave.met, self.mi.Float(1), self.mi.Float(0)) * self._there(ray, wave.first)
        colour = dr.select(wave.met, colour * cover, colour)
        return [colour.x, colour.y, colour.z, cover]

    def apart(self, part: Slice) -> Array:
        """Sum of the slice's samples: (rows, w, 8) what the piece shows and covers, then the ground."""
        import drjit as dr

        self._refuse_narrow()
        ray, wave = self._wave(part)
        colour = wave.light + self._sent_back(ray, wave.first)
        ground = wave.met & self._is_ground(wave.first)
        layers = []
        for mine in (wave.met & ~ground, wave.met & ground):
            share = dr.select(mine, self.mi.Float(1), self.mi.Float(0))
            layers += [colour.x * share, colour.y * share, colour.z * share, share]
        return self._summed(layers, part)

    def masks(self, part: Slice) -> tuple[Array, tuple[str, ...]]:
        """Sum of the slice's samples: (rows, w, 2 + n) how many meet something, how far ahead (mm), and of
        which of n masks it is; and the masks' names."""
        import drjit as dr

        self._refuse_narrow()
        _, ray = self._rays(part)
        seen = self._loaded.ray_intersect(ray)
        names = tuple(dict.fromkeys(item.mask for item in self.scene.items if len(item.mesh.faces)))
        share = {name: self.mi.Float(0) for name in names}
        for number, item in enumerate(self.scene.items):
            shape = self._shapes.get(f"item{number}")
            if shape is not None:
                share[item.mask] += dr.select(seen.is_valid() & (seen.shape == shape), 1.0, 0.0)
        there = seen.is_valid()
        for name, shape in self._shapes.items():
            if name.startswith("panel"):
                there &= seen.shape != shape
        ahead = self.mi.Vector3f(*(float(c) for c in part.view.ahead))
        eye = self.mi.Point3f(*(float(c) for c in part.view.eye))
        depth = dr.dot(seen.p - eye, ahead)
        layers = [dr.select(there, 1.0, 0.0), dr.select(there, depth, 0.0), *share.values()]
        return self._summed(layers, part), names

    @property
    def parts(self) -> bool:
        """Whether it can tell a piece from its ground."""
        return self._wide

    def _refuse_narrow(self) -> None:
        if not self._wide:
            raise KilnError(
                "On this machine the tracer cannot tell the piece from what is behind it; a picture with "
                "its background can be made."
            )

    def _summed(self, layers: list[Any], part: Slice) -> Array:
        """The layers of all rays, the samples of each pixel together: (rows, w, n)."""
        import drjit as dr

        (left, right), (first, last) = part.across, part.rows
        dr.eval(layers)
        values = np.stack([np.array(layer) for layer in layers], axis=-1)
        return np.asarray(values.reshape(part.samples, last - first, right - left, len(layers)).sum(axis=0))

    def _rays(self, part: Slice) -> tuple[Any, Any]:
        """All samples as one wave of rays: their sampler, and the rays.

        Sizes and camera are passed as variables and not built into the compiled program, so that
        another window size or view starts at once.
        """
        import drjit as dr

        mi, view = self.mi, part.view
        (width, height), (first, last), (left, right) = part.size, part.rows, part.across
        pixels = (right - left) * (last - first)
        sampler = mi.load_dict({"type": "independent"})
        sampler.seed(part.seed, pixels * part.samples)
        every, across = dr.arange(mi.UInt32, pixels * part.samples), dr.opaque(mi.UInt32, pixels)
        number = every % across
        wide = dr.opaque(mi.UInt32, right - left)
        row = number // wide
        column = number - row * wide
        # where in its pixel each sample lies: the same for all, so that edges are even from the first on
        place = mi.Float(every // across + dr.opaque(mi.UInt32, part.first))
        spots = (0.5 + place * step for step in SPREAD)
        jitter = mi.Point2f(*(spot - dr.floor(spot) for spot in spots))

        def scalar(value: float) -> Any:
            return dr.opaque(mi.Float, float(value))

        def vector(values: Array) -> Any:
            return mi.Vector3f(*(scalar(value) for value in values))

        step = scalar(2 * view.tall / height)
        x = (mi.Float(column) + jitter.x - scalar(width / 2 - left)) * step
        y = (scalar(height / 2 - first) - mi.Float(row) - jitter.y) * step + scalar(view.raised)
        aside = vector(view.right) * x + vector(view.up) * y
        if view.parallel:
            origin, direction = mi.Point3f(vector(view.eye) + aside), vector(view.ahead) + 0 * x
        else:
            origin = mi.Point3f(vector(view.eye) + 0 * x)
            direction = vector(view.ahead) + aside
            if view.opening_mm > 0:  # a thin lens: all rays of a pixel meet where it is sharp
                spot = mi.warp.square_to_uniform_disk_concentric(sampler.next_2d())
                spot *= scalar(view.opening_mm / 2)
                sharp = origin + scalar(view.focus_mm) * direction
                origin += vector(view.right) * spot.x + vector(view.up) * spot.y
                direction = sharp - origin
            direction = dr.normalize(direction)
        ray = mi.RayDifferential3f(o=origin, d=direction)
        return sampler, ray

    def _there(self, ray: Any, seen: Any) -> Any:
        """How much of what a ray meets first is there: ground that fades is less and less."""
        import drjit as dr

        base = self.scene.base
        if base is None or base.fades is None:
            return self.mi.Float(1)
        near, far = (dr.opaque(self.mi.Float, float(one)) for one in base.fades)
        under = self.mi.Point3f(*(float(c) for c in base.under(self.scene.middle)))
        share = dr.norm(seen.p - under) - near
        share = dr.clip(share / (far - near), 0, 1)
        ground = seen.is_valid() & self._is_among(seen, self._named("ground", STREET))
        return dr.select(ground, 1 - share * share * (3 - 2 * share), 1)

    def _is_ground(self, seen: Any) -> Any:
        """Whether it is the ground, what stands on it besides the piece, or what a photo shows in its
        place."""
        caught = [f"item{number}" for number, item in enumerate(self.scene.items) if item.catches]
        return self._is_among(seen, [*self._named("ground", STREET, FAR), *caught])

    def _named(self, *starts: str) -> list[str]:
        return [name for name in self._shapes if name.startswith(starts)]

    def _is_among(self, seen: Any, names: list[str]) -> Any:
        found = self.mi.Bool(False)  # noqa: FBT003 - a value
        for name in names:
            if (shape := self._shapes.get(name)) is not None:
                found |= seen.shape == shape
        return found

    @cached_property
    def _shapes(self) -> dict[str, Any]:
        return {shape.id(): shape for shape in self._loaded.shapes()}

    def _sent_back(self, ray: Any, seen: Any) -> Any:
        """What surfaces that send light back show, where rays meet them first, of the room and the panel
        behind the eye."""
        import drjit as dr

        found = self.mi.Color3f(0)
        if not self._returning:
            return found
        back = self._loaded.ray_intersect(seen.spawn_ray(-ray.d))
        light = back.emitter(self._loaded).eval(back)
        slant = dr.maximum(dr.dot(seen.n, -ray.d), 0)
        for shape in self._loaded.shapes():
            material = self._returning.get(shape.id())
            if material is not None:
                tone = self.mi.Color3f(*(float(c) for c in material.albedo)) * material.sends_back
                found += dr.select(seen.is_valid() & (seen.shape == shape), tone * slant * light, 0)
        return found

    def _panels_before(self, part: Slice) -> list[Any]:
        """The emitters of the lights that are set up, where one of them may be in the picture: mostly none
        is, and looking for them takes a thirtieth of the time. All or none, so that the same program
        serves from most sides."""
        aspect = part.size[0] / part.size[1]
        if not any(part.view.may_show(panel.corners, aspect) for panel in self.scene.panels):
            return []
        shapes = [shape for name, shape in self._shapes.items() if name.startswith("panel")]
        return [shape.emitter() for shape in shapes if shape.emitter() is not None]

    # the same by the tracer's own film, for the variant that traces ray by ray

    def _filmed_guides(self, part: Slice) -> Array:
        values = self._filmed(self._loaded, self._guide, part)
        return values[..., -6:] * part.samples  # in front it carries its own colour and coverage

    def _filmed_light(self, part: Slice) -> Array:
        values = self._filmed(self._loaded, self._path, part)[..., -4:]
        if self.scene.shines:
            # the integrator looks through all that shines: what shines itself is seen in a scene without
            # other light, and covers what was seen behind it
            lit, even = (self._filmed(scene, self._own_light, part) for scene in self._lamps_alone)
            share = np.clip(even[..., :1], 0, 1)
            values = np.concatenate(
                [values[..., :3] * (1 - share) + lit[..., :3], np.maximum(values[..., 3:], share)], axis=-1
            )
        return values * part.samples

    @cached_property
    def _path(self) -> Any:
        from kilnchisel.core.picture.lightpaths import ROULETTE

        how = {"type": "path", "max_depth": self._depth, "rr_depth": ROULETTE, "hide_emitters": True}
        return self.mi.load_dict(how)

    def _filmed(self, scene: Any, integrator: Any, part: Slice) -> Array:
        sensor = self._sensor(part)
        image = self.mi.render(
            scene, sensor=sensor, integrator=integrator, spp=part.samples, seed=part.seed
        )
        return np.array(image, dtype=np.float32)

    @cached_property
    def _own_light(self) -> Any:
        return self.mi.load_dict({"type": "path", "max_depth": 1})

    @cached_property
    def _lamps_alone(self) -> tuple[Any, Any]:
        """The piece without room and panel, as it shines, and with all that shines of radiance 1."""
        found = []
        for even in (False, True):
            bsdfs: dict[Material, Any] = {}
            parts: dict[str, Any] = {"type": "scene"}
            for number, item in enumerate(self.scene.items):
                if len(item.mesh.faces):
                    bright = replace(item.material, emission=(1.0, 1.0, 1.0))
                    shown = replace(item, material=bright) if even and item.material.shines else item
                    parts[f"item{number}"] = self._mesh(f"item{number}", shown, bsdfs)
            parts |= self._grounds(self.scene, bsdfs)
            found.append(self.mi.load_dict(parts))
        return found[0], found[1]

    def _load(self, scene: Scene) -> Any:
        mi = self.mi
        room, *panels = _asked_how_often(scene)
        parts: dict[str, Any] = {
            "type": "scene",
            "room": {
                "type": "envmap",
                "bitmap": mi.Bitmap(np.ascontiguousarray(scene.room.radiance, dtype=np.float32)),
                "to_world": self._room_turn(scene.room.turn),
                "sampling_weight": room,
            },
        }
        bsdfs: dict[Material, Any] = {}
        for number, item in enumerate(scene.items):
            if len(item.mesh.faces):
                parts[f"item{number}"] = self._mesh(f"item{number}", item, bsdfs)
        parts |= self._grounds(scene, bsdfs)
        for number, (panel, often) in enumerate(zip(scene.panels, panels, strict=True)):
            parts[f"panel{number}"] = self._panel(panel, often)
        return mi.load_dict(parts)

    def _room_turn(self, turn: float) -> Any:
        # The tracer's all-round pictures have y up; ours have z up and are read at azimuth + turn.
        t = self.mi.ScalarTransform4f
        return t().rotate([0, 0, 1], float(np.degrees(turn))) @ t().rotate([1, 0, 0], 90)

    def _mesh(self, name: str, item: Item, bsdfs: dict[Material, Any]) -> Any:
        turn, shift = self.scene.stance[:3, :3], self.scene.stance[:3, 3]
        return self._triangles(
            name,
            item.mesh.points @ turn.T + shift,
            item.mesh.normals @ turn.T,
            texture_uv(item.mesh.uv, item.material),
            item.mesh.faces,
            item.material,
            bsdfs,
        )

    def _triangles(
        self,
        name: str,
        points: Array,
        normals: Array,
        uv: Array,
        faces: Array,
        material: Material,
        bsdfs: dict[Material, Any],
    ) -> Any:
        mi = self.mi
        if material not in bsdfs:
            bsdfs[material] = mi.load_dict(self._bsdf(material))
        properties = mi.Properties()
        if material.shines:
            sent = self._rgb(np.asarray(material.emission))
            properties["emitter"] = mi.load_dict({"type": "area", "radiance": sent})
        mesh = mi.Mesh(
            name,
            len(points),
            len(faces),
            has_vertex_normals=True,
            has_vertex_texcoords=True,
            props=properties,
        )
        values = mi.traverse(mesh)
        values["vertex_positions"] = np.ascontiguousarray(points, dtype=np.float32).ravel()
        values["vertex_normals"] = np.ascontiguousarray(normals, dtype=np.float32).ravel()
        values["vertex_texcoords"] = np.ascontiguousarray(uv, dtype=np.float32).ravel()
        values["faces"] = np.ascontiguousarray(faces, dtype=np.uint32).ravel()
        values.update()
        mesh.set_bsdf(bsdfs[material])  # after the update, which would make its textures anew
        return mesh

    def _grounds(self, scene: Scene, bsdfs: dict[Material, Any]) -> dict[str, Any]:
        """The ground and what stands on it besides the piece, by name."""
        found = {} if scene.base is None else {"ground": (scene.base.close_mesh, scene.base.material)}
        if scene.street is not None:
            found |= {f"{STREET}{one.name}": (one.mesh, one.material) for one in scene.street.items}
        found |= {f"{STREET}{one.name}": (one.mesh, one.material) for one in scene.laid}
        found |= {f"{FAR}{one.name}": (one.mesh, one.material) for one in scene.about}
        return {
            name: self._triangles(
                name, mesh.points, mesh.normals, texture_uv(mesh.uv, material), mesh.faces, material, bsdfs
            )
            for name, (mesh, material) in found.items()
        }

    def _panel(self, panel: Panel, often: float) -> Any:
        side, up = panel.edges
        matrix = np.eye(4)
        # a rectangle spans -1..1 in x and y and shines along +z
        matrix[:3, 0], matrix[:3, 1] = panel.half[0] * side, panel.half[1] * up
        matrix[:3, 2] = panel.facing
        matrix[:3, 3] = panel.middle
        kept = self._rgb(np.full(3, panel.throws or 0.0))
        made: dict[str, Any] = {
            "type": "rectangle",
            "to_world": self.mi.ScalarTransform4f(matrix),
            "bsdf": {"type": "diffuse", "reflectance": kept},
        }
        if panel.throws is None:
            sent = self._rgb(panel.radiance)
            if panel.face is not None:
                sent = self._bitmap(panel.face[..., None] * panel.radiance)
                sent |= {"wrap_mode": "clamp", "format": "variant"}  # it may be brighter than a half holds
            made["emitter"] = {"type": "area", "radiance": sent, "sampling_weight": often}
        return made

    def _bsdf(self, material: Material) -> dict[str, Any]:
        if material.kind == "glass":
            return self._glass(material)
        inner = self._plain(material)
        if material.texture is not None:
            inner = {
                "type": "normalmap",
                "normalmap": self._relief(material.texture),
                "use_shadowing_function": False,
                "bsdf": inner,
            }
        for cover in material.covers:
            inner = {
                "type": "blendbsdf",
                "weight": self._amount(cover.amount, material),
                "ground": inner,
                "over": self._plain(cover.material),
            }
        return {"type": "twosided", "bsdf": inner}

    def _plain(self, material: Material) -> dict[str, Any]:
        if material.kind == "metal":
            made: dict[str, Any] = {
                "type": "roughconductor",
                "distribution": "ggx",
                "eta": self._rgb(np.asarray(material.metal_n)),
                "k": self._rgb(material.metal_k()),
            }
            if material.dullest > 0 and material.texture is not None and material.texture.dull is not None:
                made["alpha"] = self._roughness(material, material.texture)
            elif material.across > 0:
                made |= {"alpha_u": material.alpha, "alpha_v": material.across}
            else:
                made["alpha"] = material.alpha
            if material.texture is not None:
                made["specular_reflectance"] = self._tint(material.texture, np.ones(3))
            return made
        if material.kind == "coated":
            return {
                "type": "principled",
                "base_color": self._colour(material, COAT_KEEPS),
                "roughness": float(np.sqrt(material.alpha)),
                "specular": COAT_SHINE / 0.08,  # the tracer's scale: 0.08 at 1
            }
        return {"type": "diffuse", "reflectance": self._colour(material)}

    def _glass(self, material: Material) -> dict[str, Any]:
        if material.film > 0:
            scattered = FILM_SCATTERS * material.film
            return {
                "type": "principledthin",
                "base_color": self._rgb(np.asarray(material.base)),
                "roughness": float(np.sqrt(material.alpha)),
                "eta": material.ior,
                "spec_trans": 1 - scattered,
                "diff_trans": 2 * (1 - FILM_BACK),  # the tracer's scale: 2 where none goes back
            }
        tint = np.asarray(material.base, dtype=float) ** GLASS_KEEPS
        glass: dict[str, Any] = {
            "int_ior": material.ior,
            "ext_ior": material.before_ior,
            "specular_transmittance": self._rgb(tint),
        }
        if material.alpha <= POLISHED:
            return {"type": "dielectric", **glass}
        return {"type": "roughdielectric", "distribution": "ggx", "alpha": material.alpha, **glass}

    def _shared(self, key: tuple[Any, ...], texture: Texture, pixels: Callable[[], Array]) -> Any:
        """A loaded texture, made once however many materials have it. ``key``: what of it this is."""
        key = (*key, id(texture))
        known = self.textures.get(key) or self._had.get(key)
        if known is None:
            known = (texture, self.mi.load_dict(self._bitmap(pixels())))
            texture.put_away()
        self.textures[key] = known
        return known[1]

    def _roughness(self, material: Material, texture: Texture) -> Any:
        low, high = material.alpha, material.dullest

        def values() -> Array:
            assert texture.dull is not None
            return (low + (high - low) * texture.dull)[..., None]

        return self._shared(("roughness", low, high), texture, values)

    def _amount(self, amount: Amount, material: Material) -> dict[str, Any]:
        """An amount's bitmap, brought from the texture coordinates of ``material`` to its own box."""
        to_mm = np.eye(3)
        to_mm[:2, :2] = np.linalg.inv(texture_matrix(material)).T
        to_box = np.eye(3)
        to_box[:2] = cover_matrix(amount, material.round_mm).T
        made = self._bitmap(amount.values[..., None])
        made["to_uv"] = self.mi.ScalarTransform3f(to_box @ to_mm)
        if not amount.repeats:
            made["wrap_mode"] = "clamp"
        return made

    def _rgb(self, values: Array) -> dict[str, Any]:
        return {"type": "rgb", "value": [float(v) for v in values]}

    def _colour(self, material: Material, share: float = 1.0) -> Any:
        base = np.asarray(material.base, dtype=np.float32) * share
        return self._rgb(base) if material.texture is None else self._tint(material.texture, base)

    def _tint(self, texture: Texture, base: Array) -> Any:
        key = ("tint", *(float(value) for value in base))
        return self._shared(key, texture, lambda: np.clip(texture.tint * base, 0, 1))

    def _relief(self, texture: Texture) -> Any:
        def normals() -> Array:
            slope = texture.slope
            flat = np.ones(slope.shape[:2], dtype=np.float32)
            normal = np.dstack([-slope[..., 0], -slope[..., 1], flat])
            normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
            return np.asarray(normal * 0.5 + 0.5)

        return self._shared(("relief",), texture, normals)

    def _bitmap(self, data: Array) -> dict[str, Any]:
        """A texture; in the tracer as here row 0 is v = 0."""
        return {
            "type": "bitmap",
            "bitmap": self.mi.Bitmap(np.ascontiguousarray(data, dtype=np.float32)),
            "raw": True,
            "format": "fp16",  # as it is held here: a third of what the tracer takes for a scene
            "wrap_mode": "repeat",
        }

    def _sensor(self, part: Slice) -> Any:
        view, (width, height), (top, bottom), (left, right) = part.view, part.size, part.rows, part.across
        matrix = np.eye(4)
        # the tracer's cameras look along +z with x to the left
        matrix[:3, 0], matrix[:3, 1], matrix[:3, 2] = -view.right, view.up, view.ahead
        matrix[:3, 3] = view.eye
        transform = self.mi.ScalarTransform4f(matrix)
        sensor: dict[str, Any] = {
            "near_clip": 1.0,
            "far_clip": view.reach_mm,
            "film": {
                "type": "hdrfilm",
                "width": width,
                "height": height,
                "pixel_format": "rgba",
                "component_format": "float32",
                "rfilter": {"type": "box"},
                "crop_offset_x": left,
                "crop_offset_y": top,
                "crop_width": right - left,
                "crop_height": bottom - top,
            },
            "sampler": {"type": "independent"},
        }
        if view.parallel:
            scale = self.mi.ScalarTransform4f().scale(
                [view.tall * width / height, view.tall * width / height, 1.0]
            )
            sensor |= {"type": "orthographic", "to_world": transform @ scale}
        else:
            fov = 2 * np.degrees(np.arctan(view.tall))
            sensor |= {"type": "perspective", "fov": float(fov), "fov_axis": "y", "to_world": transform}
            if view.raised:  # its own open lens cannot be shifted: there all stays sharp
                sensor["principal_point_offset_y"] = -view.raised / (2 * view.tall)
            elif view.opening_mm > 0:
                sensor |= {
                    "type": "thinlens",
                    "aperture_radius": view.opening_mm / 2,
                    "focus_distance": view.focus_mm,
                }
        return self.mi.load_dict(sensor)


ROOM_SEEN = 32, 64
SELDOM = 0.04  # the least share of its light that a room or a panel is asked for


def _asked_how_often(scene: Scene) -> list[float]:
    """The share of all light on the piece that comes from the room, and that of each panel: as often is
    each asked for, since a light that is asked for once in five times brings five times its light."""
    facing = np.array([0.0, -1.0, 1.0]) / np.sqrt(2)
    seen = scene.room.seen(directions_of(*ROOM_SEEN))
    given = [float(cosine_sum(seen, facing, None if scene.base is None else scene.base.normal) @ LUMA)]
    for panel in scene.panels:
        bright = 1.0 if panel.face is None else float(panel.face.mean())
        given.append(0.0 if panel.throws is not None else panel.adds(scene.middle) * bright)
    shares = np.array(given) / max(sum(given), 1e-12)
    return [float(share) for share in np.maximum(shares, SELDOM)]
