"""Colour profiles for pictures (ICC.1:2022, version 4): matrix and curve."""

from __future__ import annotations

import struct
from functools import cache

import numpy as np
from numpy.typing import NDArray

# red, green and blue primaries, CIE x y; both have the white of D65 and the curve of sRGB. Sources: IEC
# 61966-2-1 for sRGB; for Display P3 the primaries of SMPTE RP 431-2 with D65, as registered with the ICC.
PROFILES: dict[str, tuple[tuple[float, float], ...]] = {
    "sRGB": ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)),
    "Display P3": ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)),
}
D65 = (0.3127, 0.3290)
D50 = np.array([0.9642, 1.0, 0.8249])  # of the profile connection space
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
COPYRIGHT = "No copyright, use freely"


@cache
def profile(name: str) -> bytes:
    """The ICC profile of this name."""
    columns = _to_d50(name)
    tags = {
        b"desc": _text(name),
        b"cprt": _text(COPYRIGHT),
        b"wtpt": _xyz(D50),
        b"chad": b"sf32\0\0\0\0" + b"".join(_fixed(value) for value in _adaptation().ravel()),
        b"rXYZ": _xyz(columns[:, 0]),
        b"gXYZ": _xyz(columns[:, 1]),
        b"bXYZ": _xyz(columns[:, 2]),
    }
    # y = ((x + 0.055) / 1.055)^2.4 from 0.04045 on, x / 12.92 below (parametric curve of type 3)
    curve = b"para\0\0\0\0" + struct.pack(">HH", 3, 0)
    curve += b"".join(_fixed(value) for value in (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045))
    table, data, at = b"", b"", 128 + 4 + 12 * (len(tags) + 3)
    for tag, body in tags.items():
        body += b"\0" * (-len(body) % 4)
        table += tag + struct.pack(">II", at + len(data), len(body))
        data += body
    for tag in (b"rTRC", b"gTRC", b"bTRC"):
        table += tag + struct.pack(">II", at + len(data), len(curve))
    data += curve
    size = at + len(data)
    head = struct.pack(">I4sI4s4s4s", size, b"\0\0\0\0", 0x04400000, b"mntr", b"RGB ", b"XYZ ")
    head += struct.pack(">6H", 2024, 1, 1, 0, 0, 0) + b"acsp" + bytes(28)
    head += b"".join(_fixed(value) for value in D50)
    head += bytes(128 - len(head))
    return head + struct.pack(">I", len(tags) + 3) + table + data


def _to_xyz(name: str) -> NDArray[np.float64]:
    """Linear RGB to XYZ of D65, (3, 3)."""
    x, y = np.array(PROFILES[name]).T
    primaries = np.stack([x / y, np.ones(3), (1 - x - y) / y])
    white = np.array([D65[0] / D65[1], 1.0, (1 - D65[0] - D65[1]) / D65[1]])
    return np.asarray(primaries * np.linalg.solve(primaries, white))


def _adaptation() -> NDArray[np.float64]:
    """From D65 to D50 after Bradford, (3, 3)."""
    white = np.array([D65[0] / D65[1], 1.0, (1 - D65[0] - D65[1]) / D65[1]])
    cones = np.diag((BRADFORD @ D50) / (BRADFORD @ white))
    return np.asarray(np.linalg.inv(BRADFORD) @ cones @ BRADFORD)


def _to_d50(name: str) -> NDArray[np.float64]:
    return np.asarray(_adaptation() @ _to_xyz(name))


def _fixed(value: float) -> bytes:
    return struct.pack(">i", round(float(value) * 65536))


def _xyz(values: NDArray[np.float64]) -> bytes:
    return b"XYZ \0\0\0\0" + b"".join(_fixed(value) for value in values)


def _text(words: str) -> bytes:
    said = words.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(said), 28) + said
