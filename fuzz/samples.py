"""A small whole file of every format that can come from outside."""

from __future__ import annotations

import io

from kilnchisel.core.job.file import job_bytes
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.paths import RESOURCES


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
    found |= {f".photo.{kind}": _photo(kind) for kind in ("jpg", "png", "tif", "heic", "exr")}
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


def _photo(kind: str) -> bytes:
    """A photograph with a record of its lens and where it was taken."""
    import numpy as np
    import pillow_heif
    from PIL import Image

    from kilnchisel.core.scene.ownplace import exr_of

    if kind == "exr":
        return exr_of(np.full((32, 64, 3), 0.4, np.float16))
    pillow_heif.register_heif_opener()
    record = Image.Exif()
    record[0x0112] = 6
    record.get_ifd(0x8769)[0xA405] = 35
    record.get_ifd(0x8825)[1] = "N"
    buffer = io.BytesIO()
    picture = Image.linear_gradient("L").resize((96, 64)).convert("RGB")
    picture.save(buffer, {"jpg": "JPEG", "tif": "TIFF", "heic": "HEIF"}.get(kind, "PNG"), exif=record)
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
