"""Visible difference of displayed colours: delta E ITP. A value of 1 is about one just noticeable difference.

Source: ITU-R BT.2124 (2019); ICtCp from ITU-R BT.2100.
"""

import numpy as np
from numpy.typing import NDArray

from wallum.physics.arrays import Floats

__all__ = ["delta_e_itp"]

# Linear BT.709 to linear BT.2020: ITU-R BT.2087.
TO_2020 = np.array([[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0114], [0.0164, 0.0880, 0.8956]])
# BT.2100, table 7: to LMS, and from L'M'S' to ICtCp.
TO_LMS = np.array([[1688, 2146, 262], [683, 2951, 462], [99, 309, 3688]]) / 4096.0
TO_ICTCP = np.array([[2048, 2048, 0], [6610, -13613, 7003], [17933, -17390, -543]]) / 4096.0
# SMPTE ST 2084.
M1, M2, C1, C2, C3 = 2610 / 16384, 2523 / 4096 * 128, 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
WHITE_CD_M2 = 100.0


def _itp(linear: Floats) -> NDArray[np.float64]:
    """Linear sRGB (N, 3), 0 to 1, to (N, 3) I, T, P for a white of WHITE_CD_M2. Source: ITU-R BT.2124,
    annex 1."""
    light = np.clip(np.asarray(linear, dtype=np.float64), 0.0, 1.0) * WHITE_CD_M2 @ TO_2020.T @ TO_LMS.T
    y = np.clip(light / 10_000.0, 0.0, 1.0) ** M1
    coded = ((C1 + C2 * y) / (1.0 + C3 * y)) ** M2
    return coded @ TO_ICTCP.T * np.array([1.0, 0.5, 1.0])


def delta_e_itp(a: Floats, b: Floats) -> NDArray[np.float64]:
    """Colour difference delta E ITP.

    a, b : (N, 3) linear sRGB, 0 to 1, on a display white of 100 cd/m2
    Returns (N,) [-]. Source: ITU-R BT.2124 (2019), equation 1.
    """
    return np.asarray(720.0 * np.sqrt(((_itp(a) - _itp(b)) ** 2).sum(axis=1)))
