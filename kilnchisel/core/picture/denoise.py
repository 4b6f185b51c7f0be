"""Noise out of path-traced light, with albedo and normal as guides."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyoidn
from numpy.typing import NDArray

from kilnchisel.core.detail import Detail

Array = NDArray[Any]

MOST_MEMORY_MB = 160  # larger pictures are worked on in tiles
# From here on the noise that is left is trusted more and more, so that many samples converge to the
# path tracer's own answer and not to the denoiser's guess.
AROUND = 16  # pixels
TRUST_FROM, TRUST_OVER, MOST_TRUST = 256, 2048, 0.8


def denoised(colour: Array, guides: Array, samples: int, *, detail: Detail) -> Array:
    """colour (h, w, 3) linear and guides (h, w, 6) albedo and normal -> (h, w, 3).

    Falls back to the noisy picture, which is true, when the denoiser cannot work here.
    """
    noisy = np.asarray(colour, dtype=np.float32)
    around = min(AROUND, *(side - 1 for side in noisy.shape[:2]))
    wide = _widened(noisy, around)
    made = np.empty_like(wide)
    images = {
        pyoidn.OIDN_IMAGE_COLOR: wide,
        pyoidn.OIDN_IMAGE_ALBEDO: _widened(np.clip(guides[..., :3], 0, 1), around),
        pyoidn.OIDN_IMAGE_NORMAL: _widened(np.clip(guides[..., 3:6], -1, 1), around),
        pyoidn.OIDN_IMAGE_OUTPUT: made,
    }
    try:
        with pyoidn.Device() as device:
            device.commit()
            with pyoidn.Filter(device, pyoidn.OIDN_FILTER_TYPE_RT) as work:
                for name, image in images.items():
                    work.set_image(name, image, pyoidn.OIDN_FORMAT_FLOAT3)
                work.set_bool("hdr", True)  # noqa: FBT003 - the library takes it so
                work.set_int("maxMemoryMB", MOST_MEMORY_MB)
                work.set_quality(pyoidn.OIDN_QUALITY_FAST if detail.rough else pyoidn.OIDN_QUALITY_HIGH)
                work.commit()
                work.execute()
            if device.get_error() is not None:
                return noisy
    except (RuntimeError, OSError):
        return noisy
    clean = made[around : around + len(noisy), around : around + noisy.shape[1]]
    trust = float(np.clip((samples - TRUST_FROM) / TRUST_OVER, 0.0, MOST_TRUST))
    return clean * (1 - trust) + noisy * trust if trust > 0 else np.ascontiguousarray(clean)


def _widened(picture: Array, around: int) -> Array:
    """A picture with itself mirrored round it: at a border the denoiser has too little to go by, and
    leaves three times the noise."""
    wide = np.pad(picture, ((around, around), (around, around), (0, 0)), mode="reflect")
    return np.ascontiguousarray(wide, dtype=np.float32)
