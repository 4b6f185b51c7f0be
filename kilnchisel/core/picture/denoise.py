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
TRUST_FROM, TRUST_OVER, MOST_TRUST = 256, 2048, 0.8


def denoised(colour: Array, guides: Array, samples: int, *, detail: Detail) -> Array:
    """colour (h, w, 3) linear and guides (h, w, 6) albedo and normal -> (h, w, 3).

    Falls back to the noisy picture, which is true, when the denoiser cannot work here.
    """
    noisy = np.ascontiguousarray(colour, dtype=np.float32)
    clean = np.empty_like(noisy)
    images = {
        pyoidn.OIDN_IMAGE_COLOR: noisy,
        pyoidn.OIDN_IMAGE_ALBEDO: np.ascontiguousarray(np.clip(guides[..., :3], 0, 1), np.float32),
        pyoidn.OIDN_IMAGE_NORMAL: np.ascontiguousarray(np.clip(guides[..., 3:6], -1, 1), np.float32),
        pyoidn.OIDN_IMAGE_OUTPUT: clean,
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
    trust = float(np.clip((samples - TRUST_FROM) / TRUST_OVER, 0.0, MOST_TRUST))
    return clean * (1 - trust) + noisy * trust if trust > 0 else clean
