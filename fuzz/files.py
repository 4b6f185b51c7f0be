"""Damaged and hostile files of every format, and random jobs: what is read, refused, and what goes wrong.

Each case runs as the program runs it. A failure is an exception that is no refusal, a refusal that shows
what is inside, or a case that takes too long; a reader that dies or is stopped is contained, and counted.
"""

from __future__ import annotations

import collections
import io
import json
import random
import re
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from kilnchisel.core.build import outline_of, piece_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import job_bytes, open_job, read_preview
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.paths import RESOURCES

TOO_LONG_S = 5.0
INNARDS = re.compile(r"object at 0x|Traceback|<_io|<class|maximum recursion|[a-z]Error:|errno")
CONTAINED = ("stops its reader", "was given up", "of memory to read")
NUMBERS = (b"nan", b"inf", b"-1", b"0", b"1e308", b"99999999999999999999", b"-0.0000001", b"1e-308", b"")


def samples() -> dict[str, bytes]:
    """A small whole file of every format, by ending."""
    found = {
        ".svg": b'<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="30mm" viewBox="0 0 40 30">'
        b'<path d="M2 2H20V20H2ZM5 5V15H15V5Z" fill-rule="evenodd"/><circle cx="28" cy="12" r="6.5"/>'
        b'<g transform="rotate(12) scale(1.1)"><path d="M2 25C10 20 20 28 30 22" stroke="#000" fill="none"'
        b' stroke-width="1.5"/></g><defs><rect id="r" width="3" height="4"/></defs>'
        b'<use href="#r" x="30" y="24"/></svg>',
        ".dxf": _dxf(),
        ".pdf": _pdf(),
        ".kcj": job_bytes(fresh_job("mug", "TARN & 8"), b"\x89PNG" + bytes(100), {}),
        ".ttf": (RESOURCES / "fonts" / "pacifico" / "Pacifico-Regular.ttf").read_bytes(),
        ".otf": next((RESOURCES / "fonts" / "bebas-neue").glob("*.otf")).read_bytes(),
        ".woff": _woff((RESOURCES / "fonts" / "pacifico" / "Pacifico-Regular.ttf").read_bytes()),
    }
    found |= {f".{kind}": _picture(kind) for kind in ("png", "jpg", "tif", "webp", "bmp")}
    found |= {f".{kind}": _mesh(kind) for kind in ("stl", "obj", "ply", "glb", "3mf", "off")}
    return found


def _dxf() -> bytes:
    import ezdxf

    document = ezdxf.new("R2010", units=4)
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (20, 0), (20, 10), (0, 10)], close=True)
    space.add_circle((30, 10), 6)
    space.add_spline([(0, 20), (10, 25), (20, 18), (30, 24)])
    block = document.blocks.new("B")
    block.add_line((0, 0), (4, 3))
    space.add_blockref("B", (5, 15))
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode()


def _pdf() -> bytes:
    body = b"0 0 m 80 0 l 80 40 l 0 40 l h f 100 20 m 120 60 140 -20 160 20 c S"
    parts = [
        b"<</Type/Catalog/Pages 2 0 R>>",
        b"<</Type/Pages/Kids[3 0 R]/Count 1>>",
        b"<</Type/Page/Parent 2 0 R/MediaBox[0 0 200 100]/Contents 4 0 R>>",
        b"<</Length %d>>stream\n%s\nendstream" % (len(body), body),
    ]
    out, places = b"%PDF-1.4\n", []
    for number, part in enumerate(parts, start=1):
        places.append(len(out))
        out += b"%d 0 obj\n%s\nendobj\n" % (number, part)
    table = b"".join(b"%010d 00000 n \n" % place for place in places)
    return (
        out
        + b"xref\n0 5\n0000000000 65535 f \n"
        + table
        + b"trailer<</Size 5/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF" % len(out)
    )


def _picture(kind: str) -> bytes:
    from PIL import Image, ImageDraw

    picture = Image.new("RGB", (90, 60), "white")
    ImageDraw.Draw(picture).ellipse((10, 10, 60, 50), fill="black")
    buffer = io.BytesIO()
    picture.save(buffer, {"jpg": "JPEG", "tif": "TIFF"}.get(kind, kind.upper()), dpi=(300, 300))
    return buffer.getvalue()


def _mesh(kind: str) -> bytes:
    import trimesh

    data = trimesh.creation.icosphere(1, 20.0).export(file_type=kind)
    return data.encode() if isinstance(data, str) else bytes(data)


def _woff(data: bytes) -> bytes:
    from fontTools.ttLib import TTFont

    font, buffer = TTFont(io.BytesIO(data)), io.BytesIO()
    font.flavor = "woff"
    font.save(buffer)
    return buffer.getvalue()


# damage


def damaged(data: bytes, rng: random.Random) -> bytes:
    """The file with something wrong in it."""
    out = bytearray(data)
    for _ in range(rng.choice((1, 1, 1, 3, 12))):
        if not out:
            break
        at = rng.randrange(len(out))
        size = rng.randrange(1, max(min(len(out) // 4, 400), 2))
        how = rng.randrange(9)
        if how <= 2:
            out[at] ^= 1 << rng.randrange(8)
        elif how == 3:
            del out[at:]
        elif how == 4:
            out[at : at + size] = bytes(size)
        elif how == 5:
            out[at:at] = out[at : at + size] * rng.choice((1, 1, 40))
        elif how == 6:
            out[at : at + size] = rng.randbytes(size)
        elif how == 7:
            _other_number(out, rng)
        else:
            del out[at : at + size]
    return bytes(out)


def _other_number(out: bytearray, rng: random.Random) -> None:
    """Another number in place of one that is written out."""
    found = list(re.finditer(rb"-?\d+(\.\d+)?", bytes(out[:200_000])))
    if found:
        spot = rng.choice(found)
        out[spot.start() : spot.end()] = rng.choice(NUMBERS)


# what is done with a file


def take(path: Path) -> None:
    """A file read as the program reads it. Raises KilnError where it is refused."""
    from kilnchisel.core.blanks.meshfile import MESH_KINDS, mesh_of_file
    from kilnchisel.core.lettering.content import ARTWORK_ENDINGS, content_of_file
    from kilnchisel.core.lettering.faces import file_face

    ending = path.suffix
    if ending == ".kcj":
        read_preview(path)
        outline_of(open_job(path).letterings[0].wording)
    elif ending in (".ttf", ".otf", ".woff"):
        outline_of(Wording(text="Hg & 8", face=file_face(path)))
    elif ending in MESH_KINDS:
        file = mesh_of_file(path)
        file.blank(file.likely_mm, file.likely_up)
    elif ending in ARTWORK_ENDINGS:
        content_of_file(path)


# random jobs


def random_job(rng: random.Random) -> Job:
    """A job with values from all over what is allowed. Raises KilnError where no such job may be."""
    from kilnchisel.core.job.blank import TITLES

    job = fresh_job(
        rng.choice(list(TITLES)), rng.choice(("TARN & 8", "Ångström", "“No” – £5", "i", "夜 مرحبا"))
    )
    for _ in range(rng.randrange(1, 6)):
        job = _changed(job, rng)
    return job


def _changed(job: Job, rng: random.Random) -> Job:
    places = list(_leaves(job.model_dump(), ()))
    path, value = rng.choice([p for p in places if p[0][0] in ("blank", "letterings", "wear")])
    if isinstance(value, bool):
        new: Any = not value
    elif isinstance(value, int | float):
        new = rng.choice((0, -1, value * rng.uniform(0.2, 5), 10 ** rng.uniform(-3, 4), value + 1))
        new = int(new) if isinstance(value, int) else round(float(new), 3)
    elif isinstance(value, str):
        new = rng.choice(("", "TARNLIGHT " * 8, "A\nB\nC", value.upper(), "\ud800", "engraved", "i̇" * 50))
    else:
        new = rng.choice((None, 1, "x", [], {}))
    return change(job, path, new)


def _leaves(value: Any, path: tuple[str | int, ...]) -> Any:
    if isinstance(value, dict):
        for key, inner in value.items():
            if key != "kind":
                yield from _leaves(inner, (*path, key))
    elif isinstance(value, list | tuple) and value:
        for number, inner in enumerate(value[:3]):
            yield from _leaves(inner, (*path, number))
    else:
        yield path, value


def made(text: str) -> int:
    """A job made and measured. Runs in a process of its own."""
    from kilnchisel.core.shop.readings import measured

    job = Job.model_validate(json.loads(text))
    json.dumps(measured(job), allow_nan=False)
    return len(piece_of(job, coarse=True).parts)


# the run


def judged(case: Callable[[], Any]) -> tuple[str, str]:
    """How a case went: read, refused, contained, slow or failed, and what was said."""
    begun = time.monotonic()
    try:
        case()
        how, said = "read", ""
    except KilnError as error:
        said = str(error)
        how = "contained" if any(words in said for words in CONTAINED) else "refused"
        if INNARDS.search(said) or "\n" in said.strip() or not said.strip():
            how = "failed"
    except Exception as error:
        how, said = "failed", f"{type(error).__name__}: {error}"[:200]
    if time.monotonic() - begun > TOO_LONG_S:
        how = "slow" if how in ("read", "refused", "contained") else how
    return how, said


def run(seconds: float, seed: int, tell: Callable[[str], None] = print) -> int:
    """Cases for so long, a table of how they went; the number of failures."""
    rng = random.Random(seed)
    whole = samples()
    counts: dict[str, collections.Counter[str]] = collections.defaultdict(collections.Counter)
    faults: dict[str, str] = {}
    end = time.monotonic() + seconds
    with tempfile.TemporaryDirectory(prefix="kilnchisel-fuzz-") as folder:
        number = 0
        while time.monotonic() < end:
            number += 1
            kind = rng.choice([*whole, "job"])
            if kind == "job":
                how, said = judged(lambda: _one_job(rng))
            else:
                path = Path(folder) / f"case{kind}"
                data = damaged(whole[kind], rng)
                path.write_bytes(data)
                how, said = judged(lambda p=path: take(p))  # type: ignore[misc]
                if how in ("failed", "slow"):
                    kept = Path(tempfile.gettempdir()) / f"kilnchisel-case-{seed}-{number}{kind}"
                    kept.write_bytes(data)
                    said = f"{said} ({kept})"
            counts[kind][how] += 1
            if how in ("failed", "slow"):
                faults.setdefault(
                    f"{kind} {said.split('(')[0][:60]}", f"{kind}, case {number}, {how}: {said}"
                )
    names = ("read", "refused", "contained", "slow", "failed")
    tell(f"{'':8}" + "".join(f"{name:>11}" for name in names))
    for kind in sorted(counts):
        tell(f"{kind:8}" + "".join(f"{counts[kind][name]:>11}" for name in names))
    total = {name: sum(count[name] for count in counts.values()) for name in names}
    tell(f"{'all':8}" + "".join(f"{total[name]:>11}" for name in names))
    for fault in faults.values():
        tell(fault)
    return total["failed"] + total["slow"]


def _one_job(rng: random.Random) -> None:
    job = random_job(rng)
    text = json.dumps(job.model_dump(mode="json"))
    gate.read("fuzz.files:made", "The job", text, limits=gate.Limits(20.0, 3000 * gate.MB))
