"""Panels as they are kept: whole numbers that pack well."""

from __future__ import annotations

import io
import json
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.packing import packed
from tailoring.fitted import Fitted
from tailoring.panel import Panel

Array = NDArray[Any]


HIDDEN = 8  # units to which places of panels are rounded that are hardly seen


def written(
    panels: tuple[Panel, ...],
    surfaces: dict[str, Fitted],
    thick_mm: dict[str, float],
    grain_mm: float,
    seen: tuple[str, ...] | None = None,
) -> bytes:
    """An archive that ``kilnchisel.core.blanks.cloth`` reads: of each panel its outline, and the
    coefficients of its surface in units of ``grain_mm``, packed.
    ``thick_mm``: of each by its name; ``seen``: the panels that are, besides rib; None for all."""
    arrays: dict[str, Any] = {}
    told = []
    for number, panel in enumerate(panels):
        surface = surfaces[panel.name]
        units = 1 if seen is None or panel.rib or panel.name in seen else HIDDEN
        whole = np.round(surface.values / (units * grain_mm)).astype(np.int64) * units
        arrays[f"ring{number}"] = panel.ring.astype(np.float32)
        arrays[f"values{number}"] = packed(whole)
        told.append(
            {
                "name": panel.name,
                "rib": panel.rib,
                "thick_mm": thick_mm[panel.name],
                "corner": surface.corner.tolist(),
                "step": surface.step,
                "edges": [[edge.seam, len(edge.points) - 1] for edge in panel.edges],
            }
        )
    head = {"grain_mm": grain_mm, "panels": told}
    arrays["head"] = np.frombuffer(json.dumps(head).encode(), dtype=np.uint8)
    held = io.BytesIO()
    np.savez_compressed(held, **arrays)
    return held.getvalue()
