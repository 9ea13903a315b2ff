"""What is seen through: in layers of a picture, from the nearest on, each a G-buffer that is lit like
any other and laid over what lies behind it."""

from collections.abc import Iterator
from itertools import takewhile
from typing import TYPE_CHECKING

import moderngl

from wallum.moment.camera import frustum_planes
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import GBuffer, LightTarget, Size
from wallum.realtime.gl.view import View
from wallum.realtime.level.drawing import DetailLimit, LevelOnGpu

if TYPE_CHECKING:
    from wallum.realtime.passes.air.air_lit import LitAir
    from wallum.realtime.passes.frame.base import FrameContext

__all__ = ["LAYERS", "TransparentLayer", "TransparentLayers"]

# Surfaces one behind the other that are seen through; what lies farther is left out.
LAYERS = 4


class TransparentLayer:
    """One layer: its surfaces and their light."""

    def __init__(self, context: moderngl.Context, size: Size) -> None:
        self.gbuffer = GBuffer(context, size, layer=True)
        self.target = LightTarget(context, self.gbuffer)
        self.holds = False  # whether any surface lies in it

    def release(self) -> None:
        self.target.release()
        self.gbuffer.release()


class TransparentLayers:
    """The layers of one way of making pictures."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        self._layers: list[TransparentLayer] = []
        self._over: moderngl.Framebuffer | None = None
        self._over_key: object = None

    def release(self) -> None:
        """Give back what they take; another level may have no use for them."""
        for layer in self._layers:
            layer.release()
        if self._over is not None:
            self._over.release()
        self._layers, self._over, self._over_key = [], None, None

    def _layer(self, number: int, size: Size) -> TransparentLayer:
        if self._layers and self._layers[0].gbuffer.size != size:
            self.release()
        while len(self._layers) <= number:
            self._layers.append(TransparentLayer(self._context, size))
        return self._layers[number]

    @property
    def held(self) -> list[TransparentLayer]:
        """The layers that hold surfaces, the nearest first."""
        return list(takewhile(lambda layer: layer.holds, self._layers))

    def draw(
        self, level: LevelOnGpu, solid: GBuffer, view: View, coarse: DetailLimit | None
    ) -> Iterator[tuple[TransparentLayer, int]]:
        """Fill the layers before a G-buffer, from the nearest on, until one holds nothing; each with the
        triangles that were sent for it."""
        for number in range(LAYERS):
            layer = self._layer(number, solid.size)
            sent = self._peel(number, layer.gbuffer, level, solid, view, coarse)
            layer.gbuffer.key = (solid.key, "layer", number)
            layer.holds = len(layer.gbuffer.cells(view.camera.far)) > 0
            if not layer.holds:
                return
            yield layer, sent

    def _peel(
        self,
        number: int,
        gbuffer: GBuffer,
        level: LevelOnGpu,
        solid: GBuffer,
        view: View,
        coarse: DetailLimit | None,
    ) -> int:
        gbuffer.begin()
        values: dict[str, object] = {
            "solid_depth": solid.distance,
            "layer_before": self._layers[number - 1].gbuffer.distance if number else solid.distance,
            "layer": number,
            **view.pixel_uniforms(gbuffer.size),
        }
        more = frozenset({"CASTERS"}) if view.show == "casters" else frozenset()
        return level.draw_surfaces(view.to_clip, frustum_planes(view.to_clip), coarse, more, values)

    def lay(
        self, layer: TransparentLayer, draft: "FrameContext", air: "LitAir | None", target: LightTarget
    ) -> None:
        """Put a layer over what is in a target; air : with what that shows and leaves of it."""
        gbuffer, view = layer.gbuffer, draft.view
        assert gbuffer.through is not None
        names: frozenset[str] = frozenset()
        values: dict[str, object] = {**view.uniforms, **view.pixel_uniforms(gbuffer.size)}
        if air is not None and draft.scene.air is not None:
            names, values = air.before(draft, gbuffer)
            names |= {"AIR"}
        values |= {"through": gbuffer.through, "lit": layer.target.light, "g_depth": gbuffer.distance}
        frame = self._frame_over(layer, target)
        frame.use()
        frame.depth_mask = False
        frame.viewport = (0, 0, *gbuffer.size)
        self._context.enable_only(moderngl.DEPTH_TEST | moderngl.BLEND)
        self._context.depth_func = ">"
        for features, blend in (
            (frozenset({"KEEP"}), (moderngl.ZERO, moderngl.SRC_COLOR)),
            (names, (moderngl.ONE, moderngl.ONE)),
        ):
            program = self._programs.get("screen", "veil", features)
            set_uniforms(program, **values)
            self._context.blend_func = blend
            self._programs.over_screen(program)

    def _frame_over(self, layer: TransparentLayer, target: LightTarget) -> moderngl.Framebuffer:
        """A target's light with a layer's depth: only where the layer has surfaces is drawn."""
        key = (target.light.glo, layer.gbuffer.depth.glo)
        if self._over is None or self._over_key != key:
            if self._over is not None:
                self._over.release()
            self._over = self._context.framebuffer([target.light], layer.gbuffer.depth)
            self._over_key = key
        return self._over
