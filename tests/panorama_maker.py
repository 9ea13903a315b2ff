"""A small panorama of our own, written as a Radiance picture."""

from pathlib import Path

import numpy as np


def panorama(azimuth=130.0, elevation=40.0, height=128):
    """(H, W, 3) a pale blue sky over brown ground, with a sun of one degree radius [cd/m2]."""
    width = 2 * height
    el = np.pi * (0.5 - (np.arange(height) + 0.5) / height)
    az = 2.0 * np.pi * ((np.arange(width) + 0.5) / width - 0.5)
    flat = np.cos(el)[:, None]
    directions = np.stack(
        np.broadcast_arrays(flat * np.sin(az), np.sin(el)[:, None], -flat * np.cos(az)), axis=-1
    )
    up = np.clip(directions[..., 1:2], 0.0, 1.0)
    sky = np.array([6000.0, 6500.0, 7000.0]) * (1.0 - up) + np.array([1800.0, 3000.0, 6500.0]) * up
    out = np.where(directions[..., 1:2] > 0.0, sky, np.array([900.0, 700.0, 500.0]))
    a, e = np.radians(azimuth), np.radians(elevation)
    sun = np.array([np.cos(e) * np.sin(a), np.sin(e), -np.cos(e) * np.cos(a)])
    out[directions @ sun > np.cos(np.radians(1.0))] = (9e7, 8e7, 6e7)
    return out


def write_panorama(path: Path, pixels=None) -> Path:
    """Radiance RGBE, without runs."""
    pixels = panorama() if pixels is None else pixels
    peak = pixels.max(axis=-1)
    mantissa, exponent = np.frexp(peak)
    scale = np.where(peak > 0.0, mantissa * 256.0 / np.maximum(peak, 1e-30), 0.0)
    rgbe = np.zeros((*pixels.shape[:2], 4), np.uint8)
    rgbe[..., :3] = np.clip(pixels * scale[..., None], 0.0, 255.0)
    rgbe[..., 3] = np.where(peak > 0.0, exponent + 128, 0)
    head = f"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y {pixels.shape[0]} +X {pixels.shape[1]}\n"
    path.write_bytes(head.encode() + rgbe.tobytes())
    return path
