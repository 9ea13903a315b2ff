"""Pictures of the window as arrays."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QImage

__all__ = ["pixels_of"]


def pixels_of(image: QImage) -> NDArray[np.uint8]:
    """(H, W, 3) red, green, blue of a picture."""
    plain = image.convertToFormat(QImage.Format.Format_RGB888)
    bits = plain.constBits()
    assert bits is not None
    rows = np.frombuffer(bits.asstring(plain.sizeInBytes()), np.uint8).reshape(plain.height(), -1)
    return rows[:, : plain.width() * 3].reshape(plain.height(), plain.width(), 3).copy()
