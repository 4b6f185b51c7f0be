"""Which path-tracing variant works on this machine, found without risking this process.

A compiler library of the wrong version ends the whole process when it is loaded, so each candidate is
tried once in a process of its own; the answer is remembered with what it depends on.
"""

from __future__ import annotations

import contextlib
import ctypes.util
import json
import os
import subprocess
import sys
from dataclasses import asdict, dataclass
from importlib.metadata import version
from pathlib import Path

from kilnchisel.core.paths import cache_folder
from kilnchisel.core.writing import write_whole

SAFE = "scalar_rgb"
PROBE_SECONDS = 120
LIBRARY_FOLDERS = ("/usr/lib/x86_64-linux-gnu", "/usr/lib/aarch64-linux-gnu", "/usr/lib64", "/usr/lib")

_PROBE = """
import mitsuba as mi
mi.set_variant({variant!r})
scene = mi.load_dict({{"type": "scene", "integrator": {{"type": "path"}},
    "sensor": {{"type": "perspective", "film": {{"type": "hdrfilm", "width": 8, "height": 8}}}},
    "light": {{"type": "constant"}}, "ball": {{"type": "sphere"}}}})
import numpy as np
assert np.isfinite(np.array(mi.render(scene, spp=2))).all()
print("works")
"""


@dataclass(frozen=True)
class Variant:
    """A variant's name and the compiler library it needs, if any."""

    name: str
    library: str | None = None


def best_variant() -> Variant:
    """The fastest variant that works here; ``scalar_rgb`` always does."""
    wanted = os.environ.get("KILNCHISEL_VARIANT")
    if wanted:
        return Variant(wanted, os.environ.get("DRJIT_LIBLLVM_PATH"))
    basis = _basis()
    store = cache_folder() / "path-tracer.json"
    with contextlib.suppress(OSError, ValueError, TypeError, KeyError):
        remembered = json.loads(store.read_text())
        if remembered["basis"] == basis:
            return Variant(**remembered["variant"])
    found = next((v for v in _candidates() if _works(v)), Variant(SAFE))
    with contextlib.suppress(Exception):  # not being able to remember costs time only
        write_whole(store, json.dumps({"basis": basis, "variant": asdict(found)}).encode())
    return found


def _candidates() -> list[Variant]:
    candidates = []
    if ctypes.util.find_library("cuda"):
        candidates.append(Variant("cuda_ad_rgb"))
    candidates += [Variant("llvm_ad_rgb", library) for library in _libraries()]
    return candidates


def _libraries() -> list[str]:
    """LLVM libraries on this machine, newest first; 16 and older end the process that loads them."""
    named = os.environ.get("DRJIT_LIBLLVM_PATH")
    found: dict[int, str] = {}
    for folder in LIBRARY_FOLDERS:
        for path in Path(folder).glob("libLLVM*.so*"):
            digits = path.name.removeprefix("libLLVM").removeprefix("-").removeprefix(".so.")
            head = digits.split(".")[0]
            if head.isdigit() and int(head) >= 17:
                found.setdefault(int(head), str(path))
    return ([named] if named else []) + [found[number] for number in sorted(found, reverse=True)]


def _basis() -> list[str]:
    return [version("mitsuba"), version("drjit"), sys.version.split()[0], *_libraries()]


def _works(variant: Variant) -> bool:
    environment = dict(os.environ)
    if variant.library:
        environment["DRJIT_LIBLLVM_PATH"] = variant.library
    try:
        result = subprocess.run(
            [sys.executable, "-c", _PROBE.format(variant=variant.name)],
            env=environment,
            capture_output=True,
            text=True,
            timeout=PROBE_SECONDS,
            check=False,
        )
    except (OSError, subprocess.TimeoutExpired):
        return False
    return result.returncode == 0 and "works" in result.stdout
