"""While the hand rests: the mean of many pictures, each with its pixels and lights moved.

Every fourth picture moves the pixel grid by less than a pixel and draws the surfaces anew.
The others keep the surfaces and take new points on some of the glowing bodies, in turn, for
the shadow maps that they draw anew: twice lamps, once the sun; so that every picture costs
about alike. Edges and penumbras become smooth.
"""

from collections.abc import Iterator
from dataclasses import replace

import moderngl
import numpy as np

from wallum.frame.quality import HIGH
from wallum.moment.kinds import by_kind, tiles_of
from wallum.moment.lamps import Lamps
from wallum.moment.scene import LitScene
from wallum.physics.emitters import cone_directions, halton
from wallum.realtime.engine import Engine
from wallum.realtime.gl.programs import set_uniforms
from wallum.realtime.gl.targets import Size
from wallum.realtime.gl.view import View, pre_exposure
from wallum.realtime.passes.frame.base import SunShadowTurn
from wallum.realtime.passes.interaction.light_key import light_key
from wallum.realtime.passes.shadows.cascades import CASCADES
from wallum.realtime.process.request import PictureRequest

__all__ = ["Accumulator"]

# Seams between cascades are moved by this from picture to picture, so that they are even in the end.
GOLDEN = 0.618034
# Shadow tiles of lamps that one picture draws anew; of the sun's cascades it is one.
TILES_EACH = 2
# A round of pictures: the first moves the pixel grid, the third turns to the sun.
ROUND = 4
SUN_TURN = 2
# One picture in so many is shown.
SHOWN_EVERY = 4


class Accumulator:
    """Accumulates jittered pictures of one request."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._sum: moderngl.Texture | None = None
        self._frame: moderngl.Framebuffer | None = None
        self._request: PictureRequest | None = None
        self._lamps: Lamps | None = None
        self._next_lamp = 0
        self._asked = b""  # the light of its pictures
        self.count = 0
        self.held = 1.0  # exposure that each is held with

    @property
    def light(self) -> moderngl.Texture:
        """Sum of the pictures so far."""
        assert self._sum is not None
        return self._sum

    @property
    def worth_showing(self) -> bool:
        """Whether the sum so far should be developed: not each step would be seen."""
        return self.count == 1 or self.count % SHOWN_EVERY == 2 or self.done

    @property
    def done(self) -> bool:
        return self._request is None or self.count >= (self._request.most or HIGH.settled)

    def shows(self, request: PictureRequest) -> bool:
        """Whether the sum so far is of the light that a request asks for: its look alone is another."""
        return self.count > 0 and request.detail == "full" and light_key(request) == self._asked

    def begin(self, request: PictureRequest) -> None:
        """Settle a request: go on where the sum is of its light, or start over."""
        current = pre_exposure(request.scene.look.ev100)
        if self.shows(request) and current == self.held:
            self._request = request
            return
        self._request, self.count, self._next_lamp = request, 0, 0
        self._asked, self.held = light_key(request), current
        self._lamps = request.scene.lamps
        self._fit(request.size)
        assert self._frame is not None
        self._frame.clear()

    def stop(self) -> None:
        """Something newer came; what is there stays good for pictures of the same light."""
        self._request = None

    def forget(self) -> None:
        """What lights the level has changed: the sum is of no use."""
        self._request, self.count = None, 0

    def _fit(self, size: Size) -> None:
        if self._sum is not None and self._sum.size == size:
            return
        if self._sum is not None and self._frame is not None:
            self._frame.release()
            self._sum.release()
        context = self._engine.context
        self._sum = context.texture(size, 4, dtype="f4")
        self._sum.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._frame = context.framebuffer([self._sum])

    def step(self) -> Iterator[None]:
        """Add one picture; stops between passes."""
        request = self._request
        assert request is not None
        engine, n = self._engine, self.count
        engine.log.begin()
        width, height = request.size
        grid = n if request.most else n // ROUND  # of a few pictures each has a grid of its own
        offset = (halton(grid, 1, 2)[0] - 0.5, halton(grid, 1, 3)[0] - 0.5)
        jitter = (2.0 * offset[0] / width, 2.0 * offset[1] / height)
        view = View(request.camera.with_aspect(width / height), jitter, request.view, request.view_of)
        scene = self._moved(request.shown_scene, n)
        sun = scene.sun
        turn = None
        if sun is not None and sun.disc_rad > 0.0:
            u = np.array([[halton(n, 1, 5)[0], halton(n, 1, 7)[0]]])
            direction = cone_directions(sun.direction, 0.5 * sun.disc_rad, u)[0]
            turn = SunShadowTurn(direction, self._cascades(n), n * GOLDEN % 1.0)
        yield from engine.light(engine.settling, scene, view, request.size, frozenset(), turn)
        with engine.log.measure("accumulate") as work:
            self._accumulate()
            work["pixels"] = width * height
        if n % ROUND == 1:  # no shadow of the sun is drawn for it
            engine.note_still()
        self.count += 1
        yield

    @staticmethod
    def _cascades(n: int) -> frozenset[int]:
        """Which cascades of the sun the nth picture draws anew."""
        if n == 0:
            return frozenset(range(CASCADES + 1))  # and the far map
        return frozenset({n // ROUND % CASCADES}) if n % ROUND == SUN_TURN else frozenset()

    def _moved(self, scene: LitScene, n: int) -> LitScene:
        """The scene with the next few lamps at new points of their bodies."""
        assert self._lamps is not None
        taken = self._lamps.rows.copy()
        budget = 0 if n % ROUND in (0, SUN_TURN) else TILES_EACH
        total = len(scene.lamps.ids)
        casting = scene.lamps.casting
        sizes = tiles_of(scene.lamps)
        free = np.flatnonzero(~casting)
        shaded = np.flatnonzero(casting)
        chosen = list(free)
        for _ in range(len(shaded)):
            lamp = shaded[self._next_lamp % len(shaded)]
            if n > 0 and budget <= 0:
                break
            chosen.append(lamp)
            budget -= int(sizes[lamp])
            self._next_lamp += 1
        if total and chosen:
            index = np.array(chosen)
            u = np.stack([(halton(n, 1, b)[0] + 0.618034 * index) % 1.0 for b in (5, 7, 11)], axis=1)
            rows = scene.lamps.rows[index]
            for kind, own in by_kind(rows):
                taken[index[own]] = kind.moved(rows[own], u[own])
        self._lamps = Lamps(scene.lamps.ids, taken)
        return replace(scene, lamps=self._lamps)

    def _accumulate(self) -> None:
        engine, context = self._engine, self._engine.context
        program = engine.programs.get("screen", "copy")
        result = engine.settling.result
        assert self._frame is not None
        set_uniforms(program, picture=result.light)
        self._frame.use()
        context.enable_only(moderngl.BLEND)
        context.blend_func = moderngl.ONE, moderngl.ONE
        engine.programs.over_screen(program)
