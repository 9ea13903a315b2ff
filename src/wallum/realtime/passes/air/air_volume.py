"""The volume before the camera that the air is lit in: columns and rows over the picture, slices that are
thinner the nearer they are. Wronski 2014, "Volumetric Fog", for the volume; Hillaire 2015 for its sum."""

import moderngl

from wallum.physics.medium import Medium
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import GBuffer
from wallum.realtime.gl.view import View

__all__ = ["AirVolume"]

# What columns beside have in the light of each, before a picture settles.
SPREAD = 0.65
GROUP = (8, 4)  # of include air_sum.comp.glsl


class AirVolume:
    """Textures of the volume; `shows` says of what."""

    def __init__(self, context: moderngl.Context, programs: Programs, size: tuple[int, int, int]) -> None:
        self._context, self._programs = context, programs
        self.size = columns, rows, slices = size
        self._across = max(1, round((slices * rows / columns) ** 0.5))
        down = -(-slices // self._across)
        self._farthest = context.texture((columns, rows), 1, dtype="f4")
        self._slices = context.texture((columns * self._across, rows * down), 4, dtype="f2")
        for texture in (self._farthest, self._slices):
            texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._depth_frame = context.framebuffer([self._farthest])
        self._held = context.depth_texture(self._slices.size)
        self._frame = context.framebuffer([self._slices], self._held)
        self._volume = context.texture3d(self.size, 4, dtype="f2")
        self._through_pockets = context.texture3d(self.size, 1, dtype="f2")
        for volume in (self._volume, self._through_pockets):
            volume.filter = (moderngl.LINEAR, moderngl.LINEAR)
            volume.repeat_x = volume.repeat_y = volume.repeat_z = False
        self.shows: object = None
        self.lit_in: Medium | None = None  # the air that places were lit in
        self._found: object = None  # the surfaces before which places are held, and how deep they go

    @property
    def places(self) -> int:
        return self.size[0] * self.size[1] * self.size[2]

    def _offset(self, view: View, gbuffer: GBuffer) -> tuple[float, float]:
        """By which its columns are moved while a picture settles, in the clip space of the view."""
        width, height = gbuffer.size
        return view.jitter[0] * width / self.size[0], view.jitter[1] * height / self.size[1]

    def _rays(self, view: View, gbuffer: GBuffer, reach: float) -> dict[str, object]:
        moved = View(view.camera, self._offset(view, gbuffer))
        return {
            **{name: value for name, value in moved.pixel_uniforms(self.size[:2]).items() if "ray" in name},
            "eye": view.camera.eye,
            "air_cells": (*self.size, self._across),
            "air_steps": (reach, view.turn(gbuffer.size)),
            "air_spread": SPREAD if view.jitter == (0.0, 0.0) else 0.0,
        }

    def uniforms(self, view: View, gbuffer: GBuffer, reach: float) -> dict[str, object]:
        """Values of include/air_light.glsl with SHAFTS."""
        offset = self._offset(view, gbuffer)
        moved = (0.5 * (offset[0] - view.jitter[0]), 0.5 * (offset[1] - view.jitter[1]))
        textures = {"air_volume": self._volume, "air_pockets": self._through_pockets}
        return {**textures, "air_place": (*moved, 1.0 / reach, float(self.size[2]))}

    def find_held(self, view: View, gbuffer: GBuffer, reach: float) -> None:
        """Find the places that lie before what is seen: kept until other surfaces are."""
        result = None if gbuffer.key is None else (gbuffer.key, gbuffer.size, reach)
        if result is not None and result == self._found:
            return
        self._found = result
        self._find_farthest(gbuffer)
        program = self._programs.get("screen", "air_held")
        set_uniforms(program, **self._rays(view, gbuffer, reach), farthest=self._farthest)
        self._frame.use()
        self._frame.color_mask = False, False, False, False
        self._frame.depth_mask = True
        self._context.enable_only(moderngl.DEPTH_TEST)
        self._context.depth_func = "1"
        self._programs.over_screen(program)
        self._frame.color_mask = True, True, True, True
        self._frame.depth_mask = False

    def _find_farthest(self, gbuffer: GBuffer) -> None:
        """The farthest surface of each column."""
        program = self._programs.get("screen", "air_depth")
        pixels = (gbuffer.size[0] / self.size[0], gbuffer.size[1] / self.size[1])
        set_uniforms(program, g_depth=gbuffer.distance, column_pixels=pixels)
        self._depth_frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)

    def light(
        self, program: moderngl.Program, values: dict[str, object], view: View, gbuffer: GBuffer, reach: float
    ) -> None:
        """Draw what each place that is held scatters, with a program that has all but the volume's own
        values."""
        rays = self._rays(view, gbuffer, reach)
        set_uniforms(program, **(values | rays), farthest=self._farthest)
        self._frame.use()
        # All is drawn at the far end: GREATER keeps what is held.
        self._context.enable_only(moderngl.DEPTH_TEST)
        self._context.depth_func = ">"
        self._programs.over_screen(program)

    def sum_up(
        self,
        features: frozenset[str],
        values: dict[str, object],
        view: View,
        gbuffer: GBuffer,
        reach: float,
    ) -> None:
        """Sum what was drawn along each column."""
        program = self._programs.compute("air_sum", features)
        set_uniforms(
            program,
            **(values | self._rays(view, gbuffer, reach)),
            slices=self._slices,
            farthest=self._farthest,
        )
        self._volume.bind_to_image(0, read=False, write=True)
        self._through_pockets.bind_to_image(1, read=False, write=True)
        self._programs.run(program, *(-(-n // g) for n, g in zip(self.size[:2], GROUP, strict=True)))
