"""Procedural textures, tileable by construction. Woods are in ``woods``."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.easing import smooth_step
from kilnchisel.core.finishes.material import Texture
from kilnchisel.core.finishes.noise import grey, kept, noise, relief_texture
from kilnchisel.core.later import ndimage, spatial

Array = NDArray[Any]

SIZE = 1024


@kept
def enamel() -> Texture:
    """The faint waviness of fired glass, and a breath of unevenness in its colour."""
    size = 512
    tile = 60.0
    wave = 0.0045 * noise(size, 11, 2, 24, 1.2)
    tint = 1.0 + 0.006 * noise(size, 12, 1, 60, 0.7)
    return relief_texture(tile, grey(np.clip(tint, 0.9, 1.05)), wave)


@kept
def metal_brushed() -> Texture:
    """Long fine scratches along u."""
    size = SIZE
    tile = 60.0
    lines = 0.6 * noise(size, 21, 20, 500, 0.15, along=60) + 0.4 * noise(size, 22, 6, 120, 0.4, along=30)
    tint = 1.0 + 0.06 * noise(size, 23, 20, 500, 0.2, along=60)
    return relief_texture(tile, grey(np.clip(tint, 0.85, 1.0)), 0.0042 * lines)


@kept
def metal_satin() -> Texture:
    """The uneven polish of a hand-finished plate: broad waves, few scratches."""
    size = SIZE
    tile = 90.0
    waves = 0.008 * noise(size, 31, 2, 12, 1.3) + 0.0012 * noise(size, 32, 40, 400, 0.3, along=8)
    tint = 1.0 + 0.02 * noise(size, 33, 2, 60, 0.9)
    return relief_texture(tile, grey(np.clip(tint, 0.88, 1.0)), waves)


@kept
def slate() -> Texture:
    """Riven slate: low steps and ripples, fine grain, grey with a little blue and rust."""
    size = SIZE
    tile = 220.0
    broad = noise(size, 61, 1, 9, 1.4)
    steps = np.tanh(3.0 * np.sin(2.2 * broad)) * 0.05
    height = (
        0.16 * broad
        + steps
        + 0.022 * noise(size, 62, 12, 220, 0.9)
        + 0.006 * noise(size, 63, 150, 500, 0.2)
    )
    shade = 1.0 + 0.10 * noise(size, 64, 2, 40, 0.9) + 0.08 * noise(size, 65, 100, 500, 0.1)
    warm = np.clip(noise(size, 66, 1, 8, 1.2), 0, 3)[..., None] * np.array([0.05, 0.025, 0.0])
    tint = grey(shade) * np.array([0.97, 1.0, 1.05]) + warm
    return relief_texture(tile, np.clip(tint, 0.5, 1.6), height * 0.55)


@kept
def fibre() -> Texture:
    """Card and plaster: fine unevenness."""
    size = 512
    tile = 120.0
    height = 0.018 * noise(size, 71, 30, 250, 0.5) + 0.03 * noise(size, 72, 2, 14, 1.0)
    tint = 1.0 + 0.018 * noise(size, 73, 4, 200, 0.5)
    return relief_texture(tile, grey(np.clip(tint, 0.9, 1.06)), height)


@kept
def weave() -> Texture:
    """Book cloth: plain weave, 8 threads a centimetre, no two threads alike."""
    return _woven(40.0, 32, 0.16)


@kept
def canvas() -> Texture:
    """Canvas: thick threads, 5 a centimetre."""
    return _woven(64.0, 32, 0.3)


@kept
def knit() -> Texture:
    """Cotton of a shirt: fine columns of loops, 14 a centimetre, soft all over."""
    size = SIZE
    tile, columns, rows = 48.0, 64, 80
    u = np.arange(size) / size * columns
    v = np.arange(size) / size * rows
    across, along = np.meshgrid(u, v)
    lean = np.abs((across % 1) - 0.5)  # loops make a v in each column
    loop = 0.5 + 0.5 * np.cos(2 * np.pi * (along + 1.1 * lean))
    ridge = np.cos(np.pi * ((across % 1) - 0.5)) ** 0.7
    height = ridge * (0.6 + 0.4 * loop)
    fuzz = noise(size, 83, 60, 500, 0.2)
    tint = 0.86 + 0.16 * height + 0.025 * fuzz + 0.02 * noise(size, 84, 2, 20, 0.8)
    return relief_texture(tile, grey(np.clip(tint / tint.mean(), 0.5, 1.3)), 0.05 * height + 0.004 * fuzz)


def _woven(tile: float, threads: int, deep_mm: float) -> Texture:
    """Plain weave, no two threads alike."""
    size = SIZE
    u = np.arange(size) / size * threads
    warp, weft = np.meshgrid(u, u)
    over = (np.floor(warp) + np.floor(weft)) % 2
    round_u = np.sqrt(np.clip(1 - (2 * (warp % 1) - 1) ** 2, 0, 1))
    round_v = np.sqrt(np.clip(1 - (2 * (weft % 1) - 1) ** 2, 0, 1))
    height = np.where(over > 0, round_u * (0.6 + 0.4 * round_v), round_v * (0.6 + 0.4 * round_u))
    rng = np.random.default_rng(81)
    own = rng.normal(1, 0.06, (2, threads))
    shade = np.where(
        over > 0, own[0][np.floor(warp).astype(int) % threads], own[1][np.floor(weft).astype(int) % threads]
    )
    tint = shade * (0.62 + 0.38 * height) + 0.02 * noise(size, 82, 40, 400, 0.2)
    return relief_texture(tile, grey(np.clip(tint / tint.mean(), 0.4, 1.4)), deep_mm * height)


@kept
def rough_stone() -> Texture:
    """Brick and mortar: pits, grit, and a mottled firing."""
    size = SIZE
    tile = 460.0
    pits = np.clip(noise(size, 91, 60, 420, 0.4) - 1.2, 0, 2)
    height = 0.5 * noise(size, 92, 6, 90, 1.0) - 0.55 * pits + 0.12 * noise(size, 93, 120, 500, 0.1)
    mottle = 1.0 + 0.13 * noise(size, 94, 2, 14, 0.9) + 0.07 * noise(size, 95, 30, 400, 0.3) - 0.16 * pits
    warm = 0.05 * noise(size, 96, 2, 9, 1.0)
    tint = grey(mottle) + np.stack([warm, np.zeros_like(warm), -warm], axis=-1)
    return relief_texture(tile, np.clip(tint, 0.45, 1.5), 0.6 * height)


@kept
def pebbled() -> Texture:
    """Leather: a fine pebble of rounded cells between creases, deeper ones darker."""
    size = SIZE
    tile = 60.0
    cells = noise(size, 121, 28, 60, 0.2)
    pebble = np.tanh(1.6 * cells) - 0.35 * np.clip(-cells - 0.3, 0, 2)
    height = 0.05 * pebble + 0.012 * noise(size, 122, 60, 400, 0.4) + 0.06 * noise(size, 123, 1, 6, 1.0)
    tint = 1.0 + 0.07 * np.tanh(cells) + 0.05 * noise(size, 124, 1, 10, 1.0)
    return relief_texture(tile, grey(np.clip(tint, 0.6, 1.25)), height)


@kept
def granite() -> Texture:
    """Dressed stone: grains of three shades, hardly any relief."""
    size = SIZE
    tile = 180.0
    grains = noise(size, 131, 24, 160, 0.5)
    dark = np.clip(noise(size, 132, 40, 220, 0.3) - 1.3, 0, 1.5)
    light = np.clip(noise(size, 133, 40, 220, 0.3) - 1.5, 0, 1.5)
    tint = 1.0 + 0.09 * grains - 0.38 * dark + 0.22 * light + 0.04 * noise(size, 134, 1, 8, 1.0)
    height = 0.008 * grains + 0.004 * noise(size, 135, 100, 500, 0.2)
    return relief_texture(tile, grey(np.clip(tint, 0.3, 1.5)), height)


@kept
def turf() -> Texture:
    """Grass from some way off: tufts, and patches drier than others."""
    size = SIZE
    tile = 2600.0
    tufts = noise(size, 101, 40, 500, 0.5)
    patches = noise(size, 102, 1, 9, 1.1)
    shade = 1.0 + 0.26 * tufts + 0.10 * patches
    dry = np.clip(0.12 * patches, -0.2, 0.3)
    tint = np.stack([shade * (1 + dry), shade, shade * (1 - 0.6 * dry)], axis=-1)
    return relief_texture(tile, np.clip(tint, 0.25, 1.9), 9.0 * tufts)


FOLIAGE_MM = 64_000.0  # of woods in a tile


@kept
def foliage() -> Texture:
    """Woods from far off: boughs with the sun on them, and the dark between."""
    size = SIZE
    boughs, leaves = noise(size, 331, 14, 70, 0.4), noise(size, 332, 60, 400, 0.7)
    shade = np.clip(1.0 + 0.3 * boughs + 0.14 * leaves, 0.25, 1.8)
    warm = 0.06 * noise(size, 333, 3, 20, 1.0)
    tint = np.stack([shade * (1 + warm), shade, shade * (1 - warm)], axis=-1)
    return relief_texture(FOLIAGE_MM, tint, 500.0 * boughs)


WIDE_SIZE = 1280


@kept
def lawn(tile_mm: float) -> Texture:
    """Mown grass over a wide stretch: tufts of a hand's breadth, no pattern larger than they are but a
    breath of light and dark."""
    finest = min(tile_mm / 25, 0.47 * WIDE_SIZE)
    tufts = noise(WIDE_SIZE, 321, 6, finest, 0.55)
    broad = noise(WIDE_SIZE, 322, 3, max(tile_mm / 900, 4), 0.8)
    shade = 1.0 + 0.17 * tufts + 0.05 * broad
    dry = 0.05 * broad + 0.04 * tufts
    tint = np.stack([shade * (1 + dry), shade, shade * (1 - dry)], axis=-1)
    return relief_texture(tile_mm, np.clip(tint, 0.35, 1.7), 0.07 * tile_mm / finest * tufts)


@kept
def road(tile_mm: float) -> Texture:
    """A road's surface over a wide stretch: its grain, patches worn lighter, a few darker lines of tar."""
    finest = min(tile_mm / 10, 0.47 * WIDE_SIZE)
    grain = noise(WIDE_SIZE, 323, 0.3 * finest, finest, 0.1)
    worn = noise(WIDE_SIZE, 324, 2, max(tile_mm / 400, 6), 1.1)
    cracked = noise(WIDE_SIZE, 325, 2, 40, 1.3)
    crack = np.exp(-((cracked / 0.012) ** 2)) * (noise(WIDE_SIZE, 326, 1, 4, 1.0) > 0.9)
    tint = 1.0 + 0.13 * grain + 0.07 * worn - 0.35 * crack
    return relief_texture(tile_mm, grey(np.clip(tint, 0.4, 1.6)), 0.05 * tile_mm / finest * np.tanh(grain))


@kept
def driven_road(tile_mm: float) -> Texture:
    """A street's surface, worn down to its stones: their speckle, hand-sized patches, fine cracks."""
    finest = min(tile_mm / 9, 0.47 * WIDE_SIZE)
    stones = noise(WIDE_SIZE, 341, 0.35 * finest, finest, 0.0)
    patches = noise(WIDE_SIZE, 342, tile_mm / 220, tile_mm / 45, 0.5)
    broad = noise(WIDE_SIZE, 343, 2, max(tile_mm / 700, 4), 0.8)
    lines = noise(WIDE_SIZE, 344, 3, max(tile_mm / 120, 12), 1.5)
    crack = np.exp(-((lines / 0.01) ** 2)) * (noise(WIDE_SIZE, 345, 1, 5, 0.8) > 0.7)
    tint = 1.0 + 0.24 * stones + 0.08 * patches + 0.035 * broad - 0.45 * crack
    return relief_texture(tile_mm, grey(np.clip(tint, 0.3, 1.9)), 0.09 * tile_mm / finest * np.tanh(stones))


@kept
def asphalt() -> Texture:
    """A road's surface: grains of stone in dark binder."""
    size = SIZE
    tile = 700.0
    grain = noise(size, 111, 60, 500, 0.1)
    worn = noise(size, 112, 1, 8, 1.2)
    tint = 1.0 + 0.22 * grain + 0.10 * worn
    return relief_texture(tile, grey(np.clip(tint, 0.4, 1.8)), 0.5 * np.tanh(grain))


@kept
def metal_hammered() -> Texture:
    """The facets a planishing hammer leaves, each a shallow hollow, no two of one size."""
    size = SIZE
    tile, marks = 90.0, 15
    rng = np.random.default_rng(141)
    step = size / marks
    spots = np.stack(np.meshgrid(np.arange(marks), np.arange(marks)), -1).reshape(-1, 2) * step
    spots = (spots + rng.uniform(0, 0.9 * step, spots.shape)) % size
    grid = np.stack(np.meshgrid(np.arange(size), np.arange(size)), -1).reshape(-1, 2) + 0.5
    near = spatial.cKDTree(spots, boxsize=size).query(grid, k=2)[0] / step
    # hollows that meet in soft edges
    hollow = -1 / np.maximum(8 * near[:, 0] ** 2 + 1, 1)
    edge = np.exp(-((near[:, 1] - near[:, 0]) ** 2) / 0.03)
    height = ndimage.gaussian_filter(
        (0.22 * near[:, 0] ** 2 + 0.02 * hollow).reshape(size, size), 3, mode="wrap"
    )
    height += 0.0010 * noise(size, 142, 30, 400, 0.3)
    tint = 1.0 - 0.03 * edge.reshape(size, size)
    return relief_texture(tile, grey(tint), 0.9 * height)


@kept
def metal_uneven() -> Texture:
    """A polish that came out duller in places: broad clouds, and streaks where a wheel went."""
    size = SIZE
    tile = 110.0
    clouds = noise(size, 151, 1, 9, 1.1) + 0.5 * noise(size, 152, 3, 60, 0.7, along=9)
    dull = np.clip(0.42 + 0.3 * clouds, 0, 1)
    waves = 0.006 * noise(size, 153, 2, 12, 1.3)
    return relief_texture(tile, grey(1.0 - 0.05 * dull), waves, dull)


@kept
def concrete() -> Texture:
    """Concrete from smooth boards: pores where air lay, clouds, a little grit."""
    size = SIZE
    tile = 700.0
    pores = np.clip(noise(size, 161, 30, 200, 0.5) - 2.3, 0, 1)
    clouds = noise(size, 162, 1, 12, 1.1)
    grit = noise(size, 163, 100, 500, 0.1)
    tint = 1.0 + 0.06 * clouds + 0.03 * grit - 0.5 * pores
    return relief_texture(tile, grey(np.clip(tint, 0.4, 1.3)), 0.25 * grit * 0.3 - 1.6 * pores)


@kept
def plaster() -> Texture:
    """Trowelled plaster: broad strokes of the float, hardly any grit."""
    size = SIZE
    tile = 900.0
    strokes = noise(size, 171, 2, 30, 0.9, along=2.5) + 0.6 * noise(size, 172, 2, 24, 0.9)
    tint = 1.0 + 0.02 * strokes + 0.008 * noise(size, 173, 60, 400, 0.2)
    return relief_texture(tile, grey(np.clip(tint, 0.85, 1.1)), 0.55 * strokes)


@kept
def cells() -> Texture:
    """Carving foam: cells a fifth of a millimetre wide, open where the tool went through."""
    size = SIZE
    tile = 60.0
    small = noise(size, 181, 120, 420, 0.1)
    open_ = np.clip(small - 1.0, 0, 1.2)
    tint = 1.0 - 0.22 * open_ + 0.03 * noise(size, 182, 2, 40, 0.8)
    return relief_texture(tile, grey(np.clip(tint, 0.6, 1.1)), -0.05 * open_ + 0.008 * small)


@kept
def prisms() -> Texture:
    """Retroreflective sheeting: fields of fine corner prisms, welded along a net of seams."""
    size = SIZE
    tile = 24.0
    v, u = np.mgrid[0:size, 0:size] / size
    fine = np.cos(2 * np.pi * 48 * u) + np.cos(2 * np.pi * (24 * u + 42 * v))
    fine += np.cos(2 * np.pi * (24 * u - 42 * v))
    seam = np.minimum(np.abs(((4 * u + 4 * v) % 1) - 0.5), np.abs(((4 * u - 4 * v) % 1) - 0.5))
    line = np.exp(-((seam / 0.035) ** 2))
    tint = (1.0 + 0.05 * fine) * (1 - 0.3 * line)
    return relief_texture(tile, grey(np.clip(tint, 0.5, 1.2)), 0.008 * fine - 0.02 * line)


# a stretcher with its joint, a course with its joint, a joint, a stretcher, mm: the metric brick of
# BS 4729, 215 x 65 mm in joints of 10 mm
BRICK_MM, COURSE_MM, JOINT_MM, STRETCHER_MM = 225.0, 75.0, 10.0, 215.0


@kept
def bricks() -> Texture:
    """A brick wall: stretchers of 215 x 65 mm, each course half a brick on, joints of 10 mm struck back."""
    size = 2 * SIZE
    tile, courses, along = 900.0, 12, 4
    per = size / tile
    v, u = np.mgrid[0:size, 0:size] + 0.5
    # what is fine is made once and laid four times: no eye finds that under the bricks' own pattern
    wander, grit, mottle, waves = (
        np.tile(noise(SIZE, seed, low, high, fall), (2, 2))
        for seed, low, high, fall in (
            (231, 4, 30, 0.8),
            (233, 60, 450, 0.2),
            (234, 3, 45, 0.8),
            (235, 5, 60, 0.9),
        )
    )
    course = np.floor(v / (COURSE_MM * per)).astype(int) % courses
    shifted = (u + np.where(course % 2 == 0, 0.0, BRICK_MM / 2 * per)) % size
    brick = np.floor(shifted / (BRICK_MM * per)).astype(int) % along
    off_u = np.abs(shifted % (BRICK_MM * per) - BRICK_MM / 2 * per)
    off_u -= (STRETCHER_MM / 2 + 0.4 * wander) * per
    off_v = np.abs(v % (COURSE_MM * per) - COURSE_MM / 2 * per)
    off_v -= ((COURSE_MM - JOINT_MM) / 2 + 0.4 * wander) * per
    joint = smooth_step(np.maximum(off_u, off_v), -1.5 * per, 1.5 * per)
    rng = np.random.default_rng(232)
    own = 1 + 0.13 * rng.standard_normal((courses, along))
    burnt = rng.random((courses, along)) < 0.15
    shade = np.where(burnt, 0.62, own)[course, brick]
    mottle = 1 + 0.07 * mottle + 0.05 * grit
    red = np.array(hex_to_linear("#94553f")) * (shade * mottle)[..., None]
    lime = np.array(hex_to_linear("#a79d8e")) * (1 + 0.06 * grit)[..., None]
    tint = red * (1 - joint[..., None]) + lime * joint[..., None]
    height = -5.0 * joint + 0.3 * grit + 0.5 * waves * (1 - joint)
    return relief_texture(tile, np.clip(tint, 0.01, 0.9), height)
