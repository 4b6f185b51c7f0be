"""What the draft keeps on the graphics card: programs, meshes, textures, targets."""

from __future__ import annotations

import weakref
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.colour import MOST_SHOWN, PALE_FROM, PALE_MOST, PALE_OVER, SHOULDER
from kilnchisel.core.detail import Detail
from kilnchisel.core.finishes.material import COAT_KEEPS, COAT_SHINE, Amount, Material, Texture
from kilnchisel.core.picture.device import context, name_of
from kilnchisel.core.picture.lockless import Lockless
from kilnchisel.core.scene.onphoto import OUTSIDE, UNCHANGED
from kilnchisel.core.scene.scene import SHEET, SHEET_FALLS

Array = NDArray[Any]

KEPT_MESHES, KEPT_MESH_BYTES = 64, 48 * 2**20
KEPT_IMAGE_BYTES = 72 * 2**20  # of textures and amounts
HALVED_FROM = 1024  # texels along a side, from which half of them will do while something moves
FLAT_CORNERS = 180
SHADERS = Path(__file__).parent / "shaders"


# the kind of a material; whether it is covered, whether it is brushed, whether it is part of a photo
Look = tuple[int, bool, bool, bool]
KINDS = {"matte": 0, "coated": 1, "metal": 2, "glass": 3}


def look_of(material: Material, *, caught: bool = False) -> Look:
    """Which program draws a material; ``caught``: as a part of a photo."""
    glass = material.kind == "glass"
    return KINDS[material.kind], bool(material.covers) and not glass, material.across > 0, caught


@dataclass(eq=False)
class Uploaded:
    """A mesh on the card."""

    mesh: Callable[[], Mesh | None]  # held weakly: the card keeps no mesh alive
    size: int  # bytes
    points: Any
    rest: Any
    light: Any
    index: Any
    depth: Any
    shine: Any
    surfaces: dict[Look, Any]
    told: dict[int, Any] = field(default_factory=dict)  # what draws it in other programs
    lit_by: tuple[object, ...] | None = None  # what lit it, held weakly, and whether finely


@dataclass(frozen=True, eq=False)
class Maps:
    """A texture on the card: value = stored² * high for tint, (2 stored - 1) * steep for slope."""

    texture: Callable[[], Texture | None]  # held weakly
    size: int  # bytes
    tint: Any
    slope: Any
    high: float
    steep: float


# what frosted film sends back, with the light that its pane throws to it again: as the mockup has it
FILM_RETURNS = 0.5
FILM_BLURS = 6.0  # behind frosted film all is blurred over 2 to this power of pixels


@dataclass(frozen=True, eq=False)
class Lettered:
    """A picture of lettering: what is equal where only letters differ, and the pixels within which those
    are: left, low, right, high."""

    sheets: object
    letters: tuple[int, int, int, int]


@dataclass(eq=False)
class Frames:
    """Targets of one size: what is drawn to, what stays from picture to picture, what is read, and what is
    behind glass, as a texture."""

    frame: Any
    still: Any
    plain: Any
    behind: Any
    still_of: object = None
    glow: Any = None  # over what stays
    shown: Lettered | None = None  # by the frame

    def release(self) -> None:
        targets = self.frame, self.still, self.plain, self.behind
        for target in {id(t): t for t in targets}.values():
            let_go_of(target)


class Card:
    """One OpenGL context through EGL with what is on it. Raises KilnError when none can be had."""

    def __init__(self) -> None:
        self.gl = context()
        self.name = name_of(self.gl)
        self._direct = Lockless()
        defines = {
            "SHOULDER": SHOULDER,
            "PALE_FROM": PALE_FROM,
            "PALE_OVER": PALE_OVER,
            "PALE_MOST": PALE_MOST,
            "COAT_KEEPS": COAT_KEEPS,
            "COAT_SHINE": COAT_SHINE,
            "FILM_RETURNS": FILM_RETURNS,
            "FILM_BLURS": FILM_BLURS,
            "SHEET": SHEET,
            "SHEET_FALLS": SHEET_FALLS,
            "MOST_SHOWN": MOST_SHOWN,
            "OUTSIDE": OUTSIDE,
            "UNCHANGED": UNCHANGED,
        }
        self._defines = "".join(f"#define {key} {value:.6f}\n" for key, value in defines.items())
        self._surfaces: dict[Look, Any] = {}
        self._shared: dict[str, Any] = {}
        self.depth = self.program("depth.vert.glsl", "depth.frag.glsl")
        self.backdrop = self.program("screen.vert.glsl", "backdrop.frag.glsl")
        self.gloss = self.program("screen.vert.glsl", "gloss.frag.glsl")
        self.shine = self.program("depth.vert.glsl", "glow.frag.glsl")
        self._meshes: OrderedDict[int, Uploaded] = OrderedDict()
        self._textures: OrderedDict[tuple[int, int], Maps] = OrderedDict()
        self._amounts: OrderedDict[int, tuple[Callable[[], Amount | None], int, Any]] = OrderedDict()
        self._frames: dict[tuple[int, int, int], Frames] = {}
        self.flat = self._upload_flat()
        white, level = (self._image(np.full((1, 1, 4), value, np.uint8)) for value in (255, 128))
        self.plain = Maps(_nothing, 0, white, level, 1.0, 0.0)

    @cached_property
    def lens(self) -> Any:
        """The program that puts out of focus; most pictures while something moves want none."""
        return self.program("screen.vert.glsl", "lens.frag.glsl")

    @cached_property
    def places(self) -> Any:
        """The program that tells where each pixel is; only pictures of glossy things want it."""
        return self.program("surface.vert.glsl", "place.frag.glsl")

    @cached_property
    def parts(self) -> Any:
        """The program that tells which surface each pixel is of."""
        return self.program("surface.vert.glsl", "parts.frag.glsl")

    def told(self, drawn: Uploaded, program: Any) -> Any:
        """What draws a mesh in a program that tells where its surface is."""
        if program.glo not in drawn.told:
            has_uv = "in_uv" in program
            drawn.told[program.glo] = self.gl.vertex_array(
                program,
                [
                    (drawn.points, "3f", "in_point"),
                    (drawn.rest, *(("3f 2f", "in_normal", "in_uv") if has_uv else ("3f 8x", "in_normal"))),
                ],
                drawn.index,
            )
        return drawn.told[program.glo]

    def read(self, target: Any, **how: Any) -> bytes:
        """What a target holds, once all that was drawn to it is done."""
        self.finish()
        return bytes(target.read(**how))

    def copy(self, target: Any, source: Any, box: tuple[int, int, int, int] | None = None) -> None:
        """One target to another, or the pixels of a box of it (left, low, right, high), once all that was
        drawn is done."""
        self.finish()
        self._direct.copy(self.gl, target, source, box)
        self.finish()

    @property
    def copies_parts(self) -> bool:
        """Whether a part of a target can be copied."""
        return self._direct.there

    def finish(self) -> None:
        """Come back when all that was asked for is drawn."""
        self._direct.finish()

    def draw(self, array: Any, vertices: int | None = None) -> None:
        """The triangles of a vertex array; ``vertices``: so many, of an array without an index."""
        self._direct.draw(array, vertices)

    def surface(self, look: Look) -> Any:
        """The program that draws surfaces of a look. Each has its own: a software card runs through every
        branch of a program, whether it is taken or not."""
        if look not in self._surfaces:
            kind, covered, brushed, caught = look
            choice = f"#define KIND {kind}\n#define COVERED {covered:d}\n#define BRUSHED {brushed:d}\n"
            choice += f"#define CAUGHT {caught:d}\n"
            made = self.program("surface.vert.glsl", "surface.frag.glsl", choice)
            set_values(made, **self._shared)
            self._surfaces[look] = made
        return self._surfaces[look]

    def share(self, **values: Any) -> None:
        """Give all programs that draw surfaces values, those made later too."""
        self._shared |= values
        for program in self._surfaces.values():
            set_values(program, **values)

    def array(self, drawn: Uploaded, look: Look) -> Any:
        """What draws a mesh in a look."""
        if look not in drawn.surfaces:
            drawn.surfaces[look] = self.gl.vertex_array(
                self.surface(look),
                [
                    (drawn.points, "3f", "in_point"),
                    (drawn.rest, "3f 2f", "in_normal", "in_uv"),
                    (drawn.light, "4f", "in_light"),
                ],
                drawn.index,
            )
        return drawn.surfaces[look]

    def texture(self, texture: Texture, *, detail: Detail) -> Maps:
        """A texture's maps, sent to the card once; ROUGH: every second texel of a large one will do, which
        is there in a third of the time, unless all of it is there already."""
        whole, halved = (id(texture), 1), (id(texture), 2)
        large = min(texture.tint.shape[:2]) >= HALVED_FROM
        key = halved if detail.rough and large and not self._has(whole, texture) else whole
        if not self._has(key, texture):
            if key in self._textures:
                _give_back(self._textures[key].tint, self._textures[key].slope)
            self._textures[key] = self._maps(texture, key[1])
            if key == whole and self._has(halved, texture):
                old = self._textures.pop(halved)
                _give_back(old.tint, old.slope)
            self._textures.move_to_end(key)  # where another had its number it stood with the oldest
            self._within_images()
        self._textures.move_to_end(key)
        return self._textures[key]

    def _has(self, key: tuple[int, int], texture: Texture) -> bool:
        return key in self._textures and self._textures[key].texture() is texture

    def _maps(self, texture: Texture, every: int) -> Maps:
        # a byte a channel samples fastest in software; the square root spends it on the darks
        shades, slopes = _halves(texture.tint, every), _halves(texture.slope, every)
        # above zero they are ordered alike
        high = float(max(one.max() for one in shades).view(np.float16))
        steep = max(float(max((one & NO_SIGN).max() for one in slopes).view(np.float16)), 1e-6)
        four = np.zeros((*shades[0].shape, 4), dtype=np.uint8)
        _write_bytes(four, shades, lambda value: np.sqrt(np.clip(value / high, 0, 1)))
        if texture.dull is not None:
            dull = _halves(texture.dull[..., None], every)
            _write_bytes(four[..., 3:], dull, lambda value: np.clip(value, 0, 1))
        tint = self._image(four)
        four = np.zeros((*slopes[0].shape, 4), dtype=np.uint8)
        _write_bytes(four, slopes, lambda value: np.clip(value / steep * 0.5 + 0.5, 0, 1))
        slope = self._image(four)
        texture.put_away()  # it is on the card now
        size = _image_bytes(tint) + _image_bytes(slope)
        return Maps(weakref.ref(texture), size, tint, slope, high, steep)

    def _within_images(self) -> None:
        """Give back the textures and amounts that were not drawn for the longest, down to what is kept."""
        size = sum(maps.size for maps in self._textures.values())
        size += sum(size for _, size, _ in self._amounts.values())
        while size > KEPT_IMAGE_BYTES and len(self._textures) > FEW_IMAGES:
            old = self._textures.popitem(last=False)[1]
            _give_back(old.tint, old.slope)
            size -= old.size
        while size > KEPT_IMAGE_BYTES and len(self._amounts) > FEW_IMAGES:
            _, less, image = self._amounts.popitem(last=False)[1]
            _give_back(image)
            size -= less

    def amount(self, amount: Amount) -> Any:
        """An amount as a texture, sent to the card once."""
        known = self._amounts.get(id(amount))
        if known is None or known[0]() is not amount:
            if known is not None:
                _give_back(known[2])
            four = np.zeros((*amount.values.shape, 4), dtype=np.uint8)
            four[..., 0] = np.rint(amount.values * 255)
            image = self._image(four)
            image.repeat_x = image.repeat_y = amount.repeats
            self._amounts[id(amount)] = (weakref.ref(amount), _image_bytes(image), image)
            self._amounts.move_to_end(id(amount))
            self._within_images()
        self._amounts.move_to_end(id(amount))
        return self._amounts[id(amount)][2]

    def smooth_texture(self, picture: Array) -> Any:
        """A linear picture (h, w, 3), row 0 below, looked up smoothly and held at its border."""
        height, width = picture.shape[:2]
        four = np.ones((height, width, 4), dtype=np.float32)
        four[..., :3] = picture
        texture = self.gl.texture((width, height), 4, four.tobytes(), dtype="f4")
        texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
        texture.repeat_x = texture.repeat_y = False
        return texture

    def _image(self, four: Array) -> Any:
        """Bytes (h, w, 4) with mipmaps. Always four channels: each format is compiled for."""
        height, width = four.shape[:2]
        pixels = four.tobytes()
        image = self.gl.texture((width, height), 4, pixels)
        self._direct.smaller_copies(image, pixels)
        image.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
        return image

    def mesh(self, mesh: Mesh) -> Uploaded:
        """A mesh with the arrays that draw it, sent to the card once; long unused ones are given back."""
        known = self._meshes.get(id(mesh))
        if known is not None and known.mesh() is mesh:
            self._meshes.move_to_end(id(mesh))
            return known
        if known is not None:
            _drop(known)
        points = self.gl.buffer(mesh.points.astype("f4").tobytes())
        rest = self.gl.buffer(np.column_stack([mesh.normals, mesh.uv]).astype("f4").tobytes())
        light = self.gl.buffer(reserve=16 * len(mesh.points))
        index = self.gl.buffer(mesh.faces.astype("i4").tobytes())
        depth = self.gl.vertex_array(self.depth, [(points, "3f", "in_point")], index)
        shine = self.gl.vertex_array(self.shine, [(points, "3f", "in_point")], index)
        size = 48 * len(mesh.points) + 12 * len(mesh.faces)
        drawn = Uploaded(weakref.ref(mesh), size, points, rest, light, index, depth, shine, {})
        self._meshes[id(mesh)] = drawn
        self._meshes.move_to_end(id(mesh))
        total = sum(one.size for one in self._meshes.values())
        while len(self._meshes) > KEPT_MESHES or (
            total > KEPT_MESH_BYTES and len(self._meshes) > FEW_MESHES
        ):
            old = self._meshes.popitem(last=False)[1]
            total -= old.size
            _drop(old)
        return drawn

    def _upload_flat(self) -> Uploaded:
        """Room for the ground, a disc of FLAT_CORNERS corners about its middle."""
        points = self.gl.buffer(reserve=(FLAT_CORNERS + 1) * 12)
        rest = self.gl.buffer(reserve=(FLAT_CORNERS + 1) * 20)
        light = self.gl.buffer(reserve=(FLAT_CORNERS + 1) * 16)
        index = self.gl.buffer(reserve=FLAT_CORNERS * 12)
        return Uploaded(_nothing, 0, points, rest, light, index, None, None, {})

    def targets(self, width: int, height: int, samples: int) -> Frames:
        """What pictures of a size are drawn to."""
        key = (width, height, samples)
        if key not in self._frames:
            if len(self._frames) >= 4:
                self._frames.pop(next(iter(self._frames))).release()
            frame = self.gl.simple_framebuffer((width, height), components=4, samples=samples)
            still = self.gl.simple_framebuffer((width, height), components=4, samples=samples)
            plain = self.gl.simple_framebuffer((width, height), components=4) if samples else frame
            seen = self.gl.texture((width, height), 4)
            seen.repeat_x = seen.repeat_y = False
            behind = self.gl.framebuffer(color_attachments=[seen])
            self._frames[key] = Frames(frame, still, plain, behind)
        return self._frames[key]

    def program(self, vertex: str, fragment: str, choice: str = "") -> Any:
        common = (SHADERS / "common.glsl").read_text()
        head = "#version 330\n" + self._defines + choice
        return self.gl.program(
            vertex_shader=head + (SHADERS / vertex).read_text(),
            fragment_shader=head + common + (SHADERS / fragment).read_text(),
        )


DEPTH_CLAMP = 0x864F  # as the language of graphics cards numbers it
NO_SIGN = np.uint16(0x7FFF)
EVERY_HALF = np.arange(2**16, dtype=np.uint16).view(np.float16)


def _halves(values: Array, every: int) -> list[Array]:
    """The channels of every so many-th value each way of a picture (h, w, k), as the whole numbers that
    half-precision values are stored as: one after the other is quicker than together."""
    if values.dtype != np.float16:
        values, every = values[::every, ::every].astype(np.float16), 1
    whole = np.ascontiguousarray(values).view(np.uint16)
    return [np.ascontiguousarray(whole[::every, ::every, k]) for k in range(whole.shape[2])]


def _write_bytes(into: Array, channels: list[Array], shown: Callable[[Array], Array]) -> None:
    """Half-precision values as bytes; ``shown`` (0..1) is looked up: there are few enough to know all."""
    with np.errstate(all="ignore"):
        table = np.rint(np.nan_to_num(shown(EVERY_HALF.astype(np.float32))) * 255).astype(np.uint8)
    for number, values in enumerate(channels):
        into[..., number] = table.take(values)


FEW_MESHES, FEW_IMAGES = 32, 6  # of one picture: these stay whatever their size


def _nothing() -> None:
    return None


def weakly(thing: Any) -> Any:
    """What tells whether something is still the same without keeping it: it may be large."""
    return None if thing is None else weakref.ref(thing)


def let_go_of(frame: Any) -> None:
    """Give back a frame with what it draws to, which would stay without it for as long as the program."""
    targets = [*(frame.color_attachments or ()), frame.depth_attachment]
    frame.release()
    _give_back(*(target for target in targets if target is not None))


def _give_back(*things: Any) -> None:
    for thing in things:
        thing.release()


def _drop(drawn: Uploaded) -> None:
    _give_back(*drawn.surfaces.values(), *drawn.told.values(), drawn.depth, drawn.shine)
    _give_back(drawn.points, drawn.rest, drawn.light, drawn.index)


def _image_bytes(image: Any) -> int:
    """What a texture of four channels takes with its smaller copies."""
    return int(image.width * image.height * 4 * 4 / 3)


def set_values(program: Any, **values: Any) -> None:
    """Give a program's uniforms their values, but for those that it has already: it keeps them, and of some
    hundred a frame most stay."""
    if program.extra is None:
        program.extra = {}
    told: dict[str, Any] = program.extra
    for name, given in values.items():
        value = given
        if isinstance(given, np.ndarray):
            # OpenGL takes matrices column by column
            value = tuple((given.T if given.ndim == 2 else given).ravel().tolist())
        elif isinstance(given, list):
            value = tuple(given)
        if name in told and told[name] == value:
            continue
        told[name] = value
        uniform = program.get(name, None)
        if uniform is not None:  # the compiler drops what a shader does not use
            uniform.value = value
