"""Map sets for whoever renders elsewhere: the maps of each side on its own sheet, in true mm, as files, and
a list of what each holds."""

from __future__ import annotations

import io
import json
import re
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.colour import srgb_encode
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.atlas import atlas_of
from kilnchisel.core.handover.picturefiles import exr_bytes
from kilnchisel.core.handover.sidemaps import Baking, bakings_of
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.picture.baked import Maps
from kilnchisel.core.units import format_number

Array = NDArray[Any]
Stop = Callable[[], bool]
Progress = Callable[[float], None]

SIZES = {"1k": 1024, "2k": 2048, "4k": 4096, "8k": 8192}
NORMALS = ("y-up", "y-down", "both")
ROWS = 512  # encoded at once


@dataclass(frozen=True)
class MapOrder:
    """``size``: texels along a side's longer extent; ``form``: one of ``FORMS``; ``normals``: whether green
    is up, down, or there is one of each."""

    size: str = "2k"
    form: str = "png"
    normals: str = "y-up"
    atlas: bool = False  # all sides on one sheet instead of each on its own

    def checked(self) -> None:
        """Raises KilnError."""
        for what, value, known in (
            ("size", self.size, SIZES),
            ("form", self.form, FORMS),
            ("normals", self.normals, NORMALS),
        ):
            if value not in known:
                raise KilnError(f"“{value}” is no {what} of maps; there is {', '.join(known)}.")


def map_files(
    job: Job, order: MapOrder, stop: Stop = lambda: False, progress: Progress = lambda share: None
) -> tuple[dict[str, bytes], str]:
    """The maps of all sides, bytes by a file's name, with a list as JSON, and in words which sides they are
    of; nothing when stopped. Raises KilnError."""
    order.checked()
    made: dict[str, bytes] = {}
    told: list[dict[str, Any]] = []
    bakings = bakings_of(job)
    if order.atlas:
        return _atlas_files(job, order, bakings, stop, progress)
    for number, baking in enumerate(bakings):

        def share(part: float, number: int = number) -> None:
            progress((number + part) / len(bakings))

        maps = baking.maps(SIZES[order.size], stop=stop, progress=lambda part: share(0.5 * part))
        if maps is None:
            return {}, ""
        files = _written(files_of(job, baking, maps, order))
        made |= files
        told.append(_sheet(baking, maps) | {"files": list(files)})
        share(1.0)
        if stop():
            return {}, ""
    made["maps.json"] = json.dumps({"job": job.name, "sides": told}, indent=1, ensure_ascii=False).encode()
    return made, "; ".join(_words(one) for one in told)


def _written(files: list[tuple[str, Callable[[], bytes]]]) -> dict[str, bytes]:
    """The bytes of files by their names, two at a time."""
    with ThreadPoolExecutor(2) as pool:
        return dict(pool.map(lambda one: (one[0], one[1]()), files))


def _atlas_files(
    job: Job, order: MapOrder, bakings: list[Baking], stop: Stop, progress: Progress
) -> tuple[dict[str, bytes], str]:
    """The maps of all sides together, with the texels that each side has."""
    atlas = atlas_of(bakings, SIZES[order.size], stop=stop, progress=progress)
    if atlas is None:
        return {}, ""
    made = _written(files_of(job, atlas.baking, atlas.maps, order))
    height = atlas.maps.height
    told = {
        "texels": [atlas.maps.shape[1], atlas.maps.shape[0]],
        "mm_a_texel": round(atlas.maps.step, 6),
        "height_from_mm": round(float(height.min()), 5),
        "height_to_mm": round(float(height.max()), 5),
        "emission_at_white": round(_brightest(atlas.maps), 5),
        "sides": {
            name: {"left": left, "top": top, "columns": columns, "rows": rows}
            for name, (left, top, columns, rows) in atlas.places.items()
        },
        "files": list(made),
    }
    made["maps.json"] = json.dumps({"job": job.name, "atlas": told}, indent=1, ensure_ascii=False).encode()
    size = atlas.maps.shape[0]
    return (
        made,
        f"{len(bakings)} sides on one sheet of {size} × {size} texels, {atlas.maps.step:.4g} mm each",
    )


def _sheet(baking: Baking, maps: Maps) -> dict[str, Any]:
    left, low, right, high = baking.box
    rows, columns = maps.shape
    return {
        "side": baking.name,
        "width_mm": round(right - left, 4),
        "height_mm": round(high - low, 4),
        "texels": [columns, rows],
        "mm_a_texel": round(maps.step, 6),
        "comes_round": baking.period is not None,
        "height_from_mm": round(float(maps.height.min()), 5),
        "height_to_mm": round(float(maps.height.max()), 5),
        "emission_at_white": round(_brightest(maps), 5),
    }


def _words(sheet: dict[str, Any]) -> str:
    size = f"{format_number(sheet['width_mm'], 1)} × {format_number(sheet['height_mm'], 1)} mm"
    low, high = (format_number(sheet[name], 4) for name in ("height_from_mm", "height_to_mm"))
    span = f"height {low} to {high} mm"
    return f"{sheet['side']} {size}, {sheet['texels'][0]} × {sheet['texels'][1]} texels, {span}"


def _brightest(maps: Maps) -> float:
    return 0.0 if maps.emission is None else float(maps.emission.max())


def files_of(
    job: Job, baking: Baking, maps: Maps, order: MapOrder
) -> list[tuple[str, Callable[[], bytes]]]:
    """Each file's name, and what makes its bytes."""
    form = FORMS[order.form]
    stem = f"maps-{_plain(baking.name)}"
    found: list[tuple[str, Callable[[], bytes]]] = []

    def more(name: str, rows: Callable[[slice], Array], *, light: bool = False, deep: bool = False) -> None:
        """``rows``: values 0..1, (n, w) or (n, w, 3); ``light``: they are shown to eyes, encoded as sRGB
        where a format keeps no light; ``deep``: 8 bits are too few."""

        def whole() -> bytes:
            return form.write(maps.shape, rows, light=light, deep=deep)

        found.append((f"{stem}-{name}{form.ending}", whole))

    there = maps.part >= 0
    fill = maps.colour[there].mean(axis=0, dtype=np.float64) if there.any() else np.full(3, 0.5)
    bare = np.asarray(~maps.normal.any(axis=-1))  # neither a side nor a gutter

    def colour(at: slice) -> Array:
        values = maps.colour[at].copy()
        values[bare[at]] = fill  # what is beside it does not darken its edge
        return values

    more("base-colour", colour, light=True)
    more("roughness", lambda at: maps.roughness[at] / np.float32(255))
    more("metalness", lambda at: maps.metal[at] / np.float32(255))
    low, high = float(maps.height.min()), float(maps.height.max())
    span = max(high - low, 1e-9)
    if form.light:
        more("height", lambda at: maps.height[at], deep=True)
    else:
        more("height", lambda at: (maps.height[at] - low) / span, deep=True)
    for sign, name in ((1.0, "normal"), (-1.0, "normal-minus-y")):
        if order.normals in ("both", "y-up" if sign > 0 else "y-down"):
            more(name, partial(_normal, maps, sign), deep=order.form != "png")
    if maps.emission is not None:
        brightest = 1.0 if form.light else max(_brightest(maps), 1e-6)
        emission = maps.emission
        more("emission", lambda at: emission[at].astype(np.float32) / brightest, light=True)
    solid = np.append(np.ones(len(baking.items), np.float32), np.float32(0))
    more("opacity", partial(maps.share, solid))
    for name, parts in _masks(job, baking):
        table = np.append(np.isin(np.arange(len(baking.items)), parts), False).astype(np.float32)
        more(f"mask-{name}", partial(maps.share, table))
    return found


def _normal(maps: Maps, sign: float, at: slice) -> Array:
    values = maps.normal[at].astype(np.float32)
    values[..., 2][~maps.normal[at].any(axis=-1)] = 32767.0  # beside the side it looks straight out
    values[..., 1] *= sign
    values *= 0.5 / 32767
    values += 0.5
    return values


def _masks(job: Job, baking: Baking) -> Iterator[tuple[str, list[int]]]:
    """For each lettering on the side, and each finish of it, its name and the numbers of its parts."""
    groups: dict[tuple[int, str], list[int]] = {}
    for number, part in enumerate(baking.parts):
        if part.lettering is not None:
            kind = str(part.layer.kind) if part.layer is not None else ""
            groups.setdefault((part.lettering, kind), []).append(number)
    several = {index for index, _ in groups if sum(one == index for one, _ in groups) > 1}
    for (index, kind), numbers in groups.items():
        more = f"-{kind}" if index in several and kind else ""
        yield f"{index + 1}-{_plain(one_line(job.letterings[index]))[:30]}{more}", numbers


def _plain(text: str) -> str:
    """Words as a part of a file's name."""
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-") or "x"


@dataclass(frozen=True)
class Form:
    """A format: its ending, whether it keeps light as it is, and what writes rows of values."""

    ending: str
    write: Callable[..., bytes]
    light: bool = False


Rows = Callable[[slice], Array]


def _encoded(shape: tuple[int, int], rows: Rows, bits: int, *, light: bool) -> Array:
    """Values 0..1 as whole numbers, light as eyes see it, a few rows at a time."""
    most, kind = (255, np.uint8) if bits == 8 else (65535, np.uint16)
    made = None
    if light:  # all there is in half precision
        halves = np.arange(2**16, dtype=np.uint16).view(np.float16).astype(np.float32)
        shown = srgb_encode(np.clip(np.nan_to_num(halves), 0.0, 1.0))
        table = np.rint(most * shown).astype(kind)
    for first in range(0, shape[0], ROWS):
        at = slice(first, min(first + ROWS, shape[0]))
        values = rows(at)
        if made is None:
            made = np.empty((*shape, *values.shape[2:]), kind)
        if light:
            made[at] = table[values.astype(np.float16).view(np.uint16)]
        else:
            values = np.clip(values, 0.0, 1.0)
            values *= most
            made[at] = np.rint(values, out=values)
    assert made is not None
    return np.asarray(made)


def _png(bits: int) -> Callable[..., bytes]:
    def write(shape: tuple[int, int], rows: Rows, *, light: bool, deep: bool) -> bytes:
        import cv2

        values = _encoded(shape, rows, 16 if deep else bits, light=light)
        values = values[..., ::-1] if values.ndim == 3 else values  # the library's order is blue first
        done, data = cv2.imencode(".png", values, [cv2.IMWRITE_PNG_COMPRESSION, 1])
        if not done:
            raise KilnError("A map could not be written as PNG; make it smaller.")
        return bytes(data.tobytes())

    return write


def _tiff(shape: tuple[int, int], rows: Rows, *, light: bool, deep: bool) -> bytes:
    import tifffile

    values = _encoded(shape, rows, 16, light=light)
    file = io.BytesIO()
    photometric = "rgb" if values.ndim == 3 else "minisblack"
    tifffile.imwrite(
        file, values, photometric=photometric, compression="zlib", predictor=True, metadata=None
    )
    return file.getvalue()


def _exr(kind: Any) -> Callable[..., bytes]:
    def write(shape: tuple[int, int], rows: Rows, *, light: bool, deep: bool) -> bytes:
        values = rows(slice(0, shape[0])).astype(kind)
        letters = "RGB" if values.ndim == 3 else "Y"
        planes = values if values.ndim == 3 else values[..., None]
        return exr_bytes({one: np.ascontiguousarray(planes[..., k]) for k, one in enumerate(letters)})

    return write


FORMS = {
    "png": Form(".png", _png(8)),
    "png16": Form(".png", _png(16)),
    "tiff": Form(".tif", _tiff),
    "exr": Form(".exr", _exr(np.float16), light=True),
    "exr32": Form(".exr", _exr(np.float32), light=True),
}
