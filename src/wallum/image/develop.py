"""Develop scene light into display values; the real-time developer's twin."""

import numpy as np
from numpy.typing import NDArray

from wallum.image.chain import displayed
from wallum.moment.resolved_look import ResolvedLook
from wallum.physics.arrays import Floats
from wallum.physics.bloom import bloomed
from wallum.physics.exposure import exposure_scale
from wallum.physics.focus import focused
from wallum.physics.fringe import fringed
from wallum.physics.grain import grain
from wallum.physics.night_eye import night_eye
from wallum.physics.tone import bayer_matrix, srgb_encode
from wallum.physics.vignette import vignette

__all__ = ["develop", "in_focus", "shown", "through_lens"]


def in_focus(luminance: Floats, look: ResolvedLook, depth: Floats, fov_deg: float) -> NDArray[np.float64]:
    """(H, W, 3) light [cd/m2] as the look's lens leaves it sharp; depth : (H, W) [m], 0 for the sky."""
    light = np.asarray(luminance, np.float64)
    return light if look.focus is None else focused(light, depth, look.focus, fov_deg)


def shown(luminance: Floats, look: ResolvedLook) -> NDArray[np.float64]:
    """(H, W, 3) light [cd/m2] to (H, W, 3) display-linear values, 0 to 1, exposed by the look's `ev100`.
    Raises ValueProblem for a table's file."""
    scale = exposure_scale(look.ev100)
    seen = through_lens(np.asarray(luminance, np.float64) * scale, look)
    seen = night_eye(seen / scale, look.night_eye) * scale
    return displayed(seen, look)


def through_lens(values: Floats, look: ResolvedLook) -> NDArray[np.float64]:
    """(H, W, 3) picture values as the lens draws them and film takes them: what depends on the place."""
    lens = look.lens
    seen = bloomed(values, look.bloom, fringed(values, lens.fringe) if lens.fringe != 0.0 else None)
    size = (seen.shape[1], seen.shape[0])
    if lens.shaded:
        seen = seen * vignette(size, lens.fall_off, lens.shade)[..., None]
    if lens.grain > 0.0:
        seen = seen * grain(size, lens.grain, lens.seed)[..., None]
    return seen


def develop(luminance: Floats, look: ResolvedLook) -> NDArray[np.uint8]:
    """The same as (H, W, 3) 8-bit sRGB, with ordered dither."""
    encoded = srgb_encode(shown(luminance, look))
    rows, columns = encoded.shape[:2]
    thresholds = np.tile(bayer_matrix(3), (-(-rows // 8), -(-columns // 8)))[:rows, :columns]
    steps = encoded * 255.0 + thresholds[..., None] - 0.5
    return np.clip(np.round(steps), 0, 255).astype(np.uint8)
