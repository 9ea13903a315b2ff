"""The picture that tests/level/packed holds in packed forms, made by the format's own encoder."""

import numpy as np


def packed_picture(width=76, height=50):
    """(H, W, 4) uint8: gradients, flat squares, a ring; alpha that fades."""
    y, x = np.mgrid[0:height, 0:width].astype(float)
    out = np.zeros((height, width, 4))
    out[..., 0] = 40 + 2.5 * x
    out[..., 1] = 220 - 3.0 * y
    out[..., 2] = 128 + 60 * np.sin(x / 9.0) * np.cos(y / 7.0)
    out[8:24, 8:24, :3] = (200, 40, 30)
    out[30:42, 40:64, :3] = 120
    ring = np.abs(np.hypot(x - 55, y - 16) - 9) < 2.5
    out[ring, :3] = (30, 60, 200)
    out[..., 3] = np.clip(255 - 2.0 * np.maximum(x - 30, 0), 60, 255)
    return np.round(out).astype(np.uint8)
