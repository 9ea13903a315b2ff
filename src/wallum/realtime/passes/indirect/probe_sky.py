"""Light of the sky on probes, straight from each of its parts."""

import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import Dome
from wallum.physics.dome import FACTORS
from wallum.transport.field.sky_parts import sky_parts

__all__ = ["ProbeSky", "terms_of"]


class ProbeSky:
    """What N probes have of a sky; the last one is kept."""

    def __init__(self, seen: NDArray[np.float16]) -> None:
        self._seen = seen.astype(np.float32)
        self._light = np.zeros((len(seen), 3), np.float32)
        self._key: object = None

    def light(self, sky: Dome, exposure: float) -> NDArray[np.float32]:
        """(N, 3) illuminance, pre-exposed; the same array for the same sky."""
        key = sky.key, tuple(sky.ground), exposure
        if key != self._key:
            parts = (sky_parts(sky) * (np.pi * exposure)).astype(np.float32)
            self._light, self._key = self._seen @ parts, key
        return self._light


def terms_of(sky: Dome, exposure: float) -> dict[str, object]:
    """Values of include/sky.glsl."""
    return {"sky_terms": (sky.terms * FACTORS[:, None] * exposure).astype("f4").tobytes()}
