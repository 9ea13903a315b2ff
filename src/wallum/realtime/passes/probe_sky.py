"""Light of the sky on probes, straight from each of its parts."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.scene import Dome
from wallum.physics.dome import FACTORS
from wallum.transport.field.sky_parts import sky_parts

__all__ = ["MOST_LIGHT", "ProbeSky"]

# Half floats end a little later.
MOST_LIGHT = 60_000.0


class ProbeSky:
    """What N probes have of a sky, in a texture of so many in a row."""

    def __init__(self, context: moderngl.Context, seen: NDArray[np.float16], row: int) -> None:
        self._seen = seen.astype(np.float32)
        rows = -(-len(seen) // row)
        self._light = np.zeros((rows * row, 4), np.float16)
        self._texture = context.texture((row, rows), 4, dtype="f2")
        self._texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._written: object = None

    def uniforms(self, sky: Dome, exposure: float) -> dict[str, object]:
        """Values of probe_light.frag.glsl with SKY."""
        key = sky.key, tuple(sky.ground), exposure
        if key != self._written:
            parts = (sky_parts(sky) * (np.pi * exposure)).astype(np.float32)
            self._light[: len(self._seen), :3] = np.minimum(self._seen @ parts, MOST_LIGHT)
            self._texture.write(self._light)
            self._written = key
        terms = (sky.terms * FACTORS[:, None] * exposure).astype("f4")
        return {"probe_sky": self._texture, "sky_terms": terms.tobytes()}

    def release(self) -> None:
        self._texture.release()
