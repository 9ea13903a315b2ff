"""The map of what clouds leave of the sun over a level; drawn when sun or clouds have moved."""

import moderngl
import numpy as np

from wallum.moment.scene import Sun
from wallum.physics.arrays import Floats
from wallum.physics.cloud_shadow import CloudShadow
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.passes.sky.sky_light import SkyPass

__all__ = ["CloudMap"]

CELLS = 96


class CloudMap:
    """One small texture, read by the light pass."""

    def __init__(self, context: moderngl.Context, programs: Programs, sky: SkyPass) -> None:
        self._context, self._programs, self._sky = context, programs, sky
        self._key: object = None
        self._texture = context.texture((CELLS, CELLS), 2, dtype="f4")
        self._texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
        self._texture.repeat_x = self._texture.repeat_y = False
        self._frame = context.framebuffer([self._texture])
        self.box: Floats = np.zeros((2, 3))  # the level's

    def uniforms(self, sun: Sun, exposure: float) -> dict[str, object]:
        """Values of include/cloud_shadow.glsl for a sun that has clouds before it."""
        assert sun.clouds is not None
        shadow, above = sun.clouds
        low, high = shadow.bounds(self.box)
        key = (shadow, low.tobytes(), high.tobytes())
        if self._key != key:
            self._key = key
            self._draw(shadow, low, high)
        top, thin = (0.0, 0.0)
        if shadow.deck is not None:
            top, thin = shadow.deck.base + shadow.deck.thick, 1.0 / shadow.deck.thick
        return {
            "cloud_map": self._texture,
            "cloud_map_place": (*low, *(1.0 / (high - low))),
            "cloud_map_way": (*shadow.slope, top, thin),
            "sun_over": tuple(above * exposure),
        }

    def _draw(self, shadow: CloudShadow, low: Floats, high: Floats) -> None:
        layers = (("CLOUD", shadow.cloud), ("DECK", shadow.deck))
        names = frozenset(name for name, layer in layers if layer is not None)
        program = self._programs.get("screen", "cloud_shadow", names)
        values: dict[str, object] = {"toward": shadow.toward, "over": (*low, *(high - low)), "cells": CELLS}
        values |= self._sky.cloud_uniforms(shadow.cloud, 1.0)
        if shadow.deck is not None:
            values |= self._sky.deck_uniforms(shadow.deck, (0.0, shadow.foot, 0.0, 0.0))
            values["slope"] = shadow.slope
        set_uniforms(program, **values)
        self._frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
