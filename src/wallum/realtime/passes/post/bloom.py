"""The pyramid of bloom: the light of a picture, ever smaller, and back up. Twin of physics/bloom.py."""

from collections.abc import Iterator
from dataclasses import dataclass

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.physics.bloom import FIRST, Bloom, down_weights, sizes_of, up_weights
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import Size

__all__ = ["BloomPyramid"]

TAPS, PAIRS = 6, 3
MAX_SIZES = 4


@dataclass(frozen=True)
class PyramidLevel:
    """One picture of the pyramid, its light on the way down and on the way up, with weights along its sides.

    even   : whether it goes into the picture before evenly
    tables : of the way down into it
    up     : of the way up from it into the picture before
    """

    size: Size
    even: bool
    down: tuple[moderngl.Texture, moderngl.Framebuffer]
    back: tuple[moderngl.Texture, moderngl.Framebuffer]
    tables: dict[str, moderngl.Texture]
    up: dict[str, moderngl.Texture]


def _taps(weights: NDArray[np.float64]) -> NDArray[np.float32]:
    """(2, n, 4) the weights of n pixels (n, m), as shaders/include/chain/weights.glsl reads them: readings
    between two pixels each."""
    count = weights.shape[1]
    first = np.argmax(weights > 0.0, axis=1)
    beyond = np.pad(weights, ((0, 0), (0, TAPS)))
    out = np.zeros((2, len(weights), 4))
    for pair in range(PAIRS):
        near, far = (beyond[np.arange(len(weights)), first + 2 * pair + index] for index in range(2))
        share = far / np.maximum(near + far, 1e-30)
        out[0, :, pair] = np.minimum(first + 2 * pair + 0.5 + share, count - 0.5) / count
        out[1, :, pair] = near + far
    return out.astype(np.float32)


def _places(weights: NDArray[np.float64]) -> NDArray[np.float32]:
    """(1, n) where n pixels read between two of m, whose weights are (n, m); 0 to 1 over these."""
    middles = (np.arange(weights.shape[1]) + 0.5) / weights.shape[1]
    return (weights @ middles).astype(np.float32)[None]


class BloomPyramid:
    """Spreads light; keeps the pictures of the last few sizes, and what was spread last."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._steps: dict[Size, tuple[PyramidLevel, ...]] = {}
        self._down: tuple[object, ...] | None = None  # what the pyramid holds, on the way down
        self._up: float | None = None  # and with which reach it went up

    def _table(self, values: NDArray[np.float32]) -> moderngl.Texture:
        """A table of one or four numbers for each pixel, in rows."""
        components = 1 if values.ndim == 2 else values.shape[2]
        size = (values.shape[1], values.shape[0])
        texture = self._context.texture(size, components, values.tobytes(), dtype="f4")
        texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        return texture

    def _target(self, size: Size) -> tuple[moderngl.Texture, moderngl.Framebuffer]:
        texture = self._context.texture(size, 4, dtype="f2")
        texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
        texture.repeat_x = texture.repeat_y = False
        return texture, self._context.framebuffer([texture])

    def _made(self, size: Size) -> Iterator[PyramidLevel]:
        before = size
        for number, item in enumerate(sizes_of(size)):
            sides = dict(zip(("across", "down"), zip(before, item, strict=True), strict=True))
            down = {n: self._table(_taps(down_weights(*side, number == 0))) for n, side in sides.items()}
            up = {n: self._table(_places(up_weights(*side))) for n, side in sides.items()}
            by = FIRST if number == 0 else 2
            even = before == (by * item[0], by * item[1])
            yield PyramidLevel(item, even, self._target(item), self._target(item), down, up)
            before = item

    def _of(self, size: Size) -> tuple[PyramidLevel, ...]:
        if size not in self._steps:
            if len(self._steps) >= MAX_SIZES:
                self._release(self._steps.pop(next(iter(self._steps))))
                self._down = None
            self._steps[size] = tuple(self._made(size))
        return self._steps[size]

    @staticmethod
    def _release(steps: tuple[PyramidLevel, ...]) -> None:
        for step in steps:
            for texture, frame in (step.down, step.back):
                frame.release()
                texture.release()
            for table in (*step.tables.values(), *step.up.values()):
                table.release()

    def _draw(self, frame: moderngl.Framebuffer, features: set[str], even: bool, **values: object) -> None:
        program = self._programs.get("screen", "bloom", frozenset(features | ({"EVEN"} if even else set())))
        set_uniforms(program, **values)
        frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)

    def _go_down(
        self, light: moderngl.Texture, steps: tuple[PyramidLevel, ...], scale: float, threshold: float
    ) -> None:
        """The light ever smaller, times a factor; threshold: from which it is spread, 0: from none."""
        before = light
        for number, step in enumerate(steps):
            features = {"DOWN"} if number else {"DOWN", "FIRST"}
            own: dict[str, object] = {"from": before} if number else {"from": before, "scale": scale}
            if threshold > 0.0 and number == 0:
                features.add("THRESHOLD")
                own["threshold"] = threshold
            self._draw(step.down[1], features, step.even, **own, **({} if step.even else step.tables))
            before = step.down[0]

    def _go_up(self, steps: tuple[PyramidLevel, ...], reach: float) -> None:
        """And back, each a mean of what came down and of what is smaller."""
        before = steps[-1].down[0]
        for wider, step in zip(reversed(steps[1:]), reversed(steps[:-1]), strict=True):
            tables = {} if wider.even else wider.up
            own = {"from": before, "own": step.down[0], "reach": reach}
            self._draw(step.back[1], set(), wider.even, **own, **tables)
            before = step.back[0]

    def spread(
        self, light: moderngl.Texture, samples: int, gain: float, bloom: Bloom, key: tuple[object, ...] = ()
    ) -> tuple[frozenset[str], dict[str, object]]:
        """Features and values of include/chain/seen.glsl for the bloom of a picture's light, a sum of
        samples, whose mean becomes picture values by a gain. A picture of a few pixels has none.

        key : of the light, which is not spread again while that is the same; empty: it is
        """
        steps = self._of(light.size)
        if not steps:
            return frozenset(), {}
        # Light is spread as it is, so that its exposure makes no other pyramid.
        threshold = bloom.threshold / gain
        down = *key, threshold
        if not key or down != self._down:
            self._go_down(light, steps, 1.0 / samples, threshold)
            self._down, self._up = down, None
        if self._up != bloom.reach:
            self._go_up(steps, bloom.reach)
            self._up = bloom.reach
        values: dict[str, object] = {
            "bloom": steps[0].back[0] if len(steps) > 1 else steps[0].down[0],
            "bloom_gain": gain,
            "bloom_share": tuple(bloom.shares.tolist()),
            **({} if steps[0].even else steps[0].up),
        }
        features = {"BLOOM", "BLOOM_EVEN"} if steps[0].even else {"BLOOM"}
        if bloom.threshold > 0.0:
            features.add("BLOOM_FROM")
            values["bloom_from"] = bloom.threshold
        return frozenset(features), values
