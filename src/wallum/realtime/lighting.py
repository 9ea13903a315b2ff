"""The light pass: what falls on the surfaces of a G-buffer, in as few draws as can be."""

import moderngl
import numpy as np
from numpy.typing import NDArray

from wallum.moment.camera import Camera
from wallum.moment.scene import Lamps, LitScene
from wallum.physics.dome import FACTORS
from wallum.physics.exposure import exposure_scale
from wallum.realtime.bundle import GLOW_SCALE
from wallum.realtime.clusters import CELL_PIXELS
from wallum.realtime.lamp_buffers import LampBuffers
from wallum.realtime.lamp_shadows import LampShadows
from wallum.realtime.programs import Programs, set_uniforms
from wallum.realtime.sun_shadows import SunShadows
from wallum.realtime.targets import GBuffer, LightTarget, Size

__all__ = ["Lighting", "View", "lamp_scissor", "pre_exposure"]

GBUFFER_UNITS = {"g_base": 0, "g_normal": 1, "g_surface": 2, "g_glow": 3, "g_depth": 4}
SUN_UNIT, LAMP_UNIT, DOME_UNIT, CELL_UNIT, LIST_UNIT = 5, 6, 7, 8, 9
# Exposure is kept in half floats in steps of this many stops, so that small changes of
# exposure only develop anew.
PRE_EXPOSURE_STEP = 4.0


def pre_exposure(ev100: float) -> float:
    """Factor from luminance [cd/m2] to what the half-float targets hold."""
    return exposure_scale(round(ev100 / PRE_EXPOSURE_STEP) * PRE_EXPOSURE_STEP)


class View:
    """Uniforms of a camera, a picture size and a jitter."""

    def __init__(self, camera: Camera, jitter: tuple[float, float] = (0.0, 0.0)) -> None:
        self.camera = camera
        self.jitter = jitter
        self.to_clip = camera.projection(jitter) @ camera.view()
        self.uniforms: dict[str, object] = {
            "eye": camera.eye,
            "jitter": jitter,
            "tangents": camera.tangents,
            "camera_axes": camera.rotation().astype("f4").tobytes(),
        }


def lamp_scissor(
    centre: NDArray[np.float64], radius: float, camera: Camera, size: Size
) -> tuple[int, int, int, int] | None:
    """Rectangle (x, y, w, h) from the lower left that a sphere can fall in; None: nothing."""
    local = camera.rotation() @ (centre - np.array(camera.eye))
    x, y, depth = local[0], local[1], -local[2]
    if depth + radius <= 0.0:
        return None
    if depth - radius <= camera.near:
        return 0, 0, size[0], size[1]
    edges = []
    for at, tangent, pixels in zip((x, y), camera.tangents, size, strict=True):
        # Tangent lines from the eye to the circle: Lengyel 2002, "The Mechanics of Robust
        # Stencil Shadows", in its plain two-dimensional form.
        along = np.hypot(at, depth)
        turn = np.arctan2(at, depth)
        spread = np.arcsin(min(radius / along, 1.0))
        low, high = (np.tan(np.clip(turn + s, -1.55, 1.55)) / tangent for s in (-spread, spread))
        edges.append(
            (
                int(np.clip(np.floor((low * 0.5 + 0.5) * pixels), 0, pixels)),
                int(np.clip(np.ceil((high * 0.5 + 0.5) * pixels), 0, pixels)),
            )
        )
    (x0, x1), (y0, y1) = edges
    return (x0, y0, x1 - x0, y1 - y0) if x1 > x0 and y1 > y0 else None


class Lighting:
    """Draws light into a LightTarget; buffers and shadow atlases are handed in."""

    def __init__(self, context: moderngl.Context, programs: Programs, buffers: LampBuffers) -> None:
        self._context, self._programs, self._buffers = context, programs, buffers
        self._empty: dict[int, moderngl.VertexArray] = {}
        self._dome: moderngl.Texture | None = None
        self._dome_key: object = None

    def screen(self, program: moderngl.Program) -> moderngl.VertexArray:
        """The full-screen triangle for a program."""
        if program.glo not in self._empty:
            self._empty[program.glo] = self._context.vertex_array(program, [])
        return self._empty[program.glo]

    def features(self, scene: LitScene, sun_shadow: bool, lamp_shadow: bool, glow: bool) -> frozenset[str]:
        """The variant that a scene needs."""
        names = {"GLOW"} if glow else set()
        if scene.sky is not None:
            names.add("SKY")
        if scene.sun is not None:
            names.add("SUN")
            if scene.sun.shadow and sun_shadow:
                names.add("SUN_SHADOW")
        if scene.lamps.ids:
            names.add("LAMPS")
            if lamp_shadow:
                names.add("LAMP_SHADOWS")
        return frozenset(names)

    def _prepare(
        self,
        features: frozenset[str],
        scene: LitScene,
        view: View,
        gbuffer: GBuffer,
        sun_shadows: SunShadows,
        lamp_shadows: LampShadows,
    ) -> moderngl.Program:
        if self._buffers.many:
            features = features | {"MANY_LAMPS"}
        program = self._programs.get("screen", "lighting", features)
        self._buffers.connect(program)
        exposure = pre_exposure(scene.ev100)
        values: dict[str, object] = {
            **GBUFFER_UNITS,
            **view.uniforms,
            "glow_exposure": exposure / GLOW_SCALE,
            "unlit_exposure": exposure / exposure_scale(scene.ev100),
        }
        if scene.sky is not None:
            values["sky_terms"] = (scene.sky.terms * FACTORS[:, None] * exposure).astype("f4").tobytes()
        if scene.sun is not None:
            values["sun_direction"] = tuple(scene.sun.direction)
            values["sun_illuminance"] = tuple(scene.sun.illuminance * exposure)
        if "SUN_SHADOW" in features:
            values |= {"sun_atlas": SUN_UNIT, **sun_shadows.uniforms()}
            sun_shadows.atlas.use(SUN_UNIT)
        if "LAMP_SHADOWS" in features:
            values |= {"lamp_atlas": LAMP_UNIT, **lamp_shadows.uniforms(view.camera.far)}
            lamp_shadows.atlas.use(LAMP_UNIT)
        gbuffer.bind()
        set_uniforms(program, **values)
        return program

    def _draw(self, program: moderngl.Program, add: bool, surfaces_only: bool = True) -> None:
        context = self._context
        context.enable_only(moderngl.DEPTH_TEST | (moderngl.BLEND if add else 0))
        if add:
            context.blend_func = moderngl.ONE, moderngl.ONE
        # The triangle lies at the far end: GREATER keeps surfaces, EQUAL what is behind all.
        context.depth_func = ">" if surfaces_only else "=="
        self.screen(program).render(moderngl.TRIANGLES, vertices=3)

    def sum_all(
        self,
        scene: LitScene,
        features: frozenset[str],
        view: View,
        gbuffer: GBuffer,
        target: LightTarget,
        sun_shadows: SunShadows,
        lamp_shadows: LampShadows,
        add: bool = False,
    ) -> None:
        """Light of a whole scene on the surfaces; `add` leaves what is there."""
        program = self._prepare(features, scene, view, gbuffer, sun_shadows, lamp_shadows)
        set_uniforms(
            program,
            cell_grid=self._buffers.grid,
            cell_pixels=float(CELL_PIXELS),
            cell_slices=self._buffers.slices,
            cells=CELL_UNIT,
            lists=LIST_UNIT,
        )
        if self._buffers.cells is not None and self._buffers.lists is not None:
            self._buffers.cells.use(CELL_UNIT)
            self._buffers.lists.use(LIST_UNIT)
        target.frame.use()
        target.frame.depth_mask = False
        target.frame.viewport = (0, 0, *gbuffer.size)
        if not add:
            target.frame.clear(0.0, 0.0, 0.0, 0.0)
        self._draw(program, add)

    def add_lamp(
        self,
        scene: LitScene,
        index: int,
        sphere: tuple[NDArray[np.float64], float],
        shadowed: bool,
        view: View,
        gbuffer: GBuffer,
        target: LightTarget,
        sun_shadows: SunShadows,
        lamp_shadows: LampShadows,
    ) -> int:
        """Add one lamp where its light can fall; returns the number of pixels visited."""
        place = lamp_scissor(*sphere, view.camera, gbuffer.size)
        if place is None:
            return 0
        features = frozenset({"ONE_LAMP", "LAMP_SHADOWS"} if shadowed else {"ONE_LAMP"})
        plain = LitScene(Lamps((), scene.lamps.rows[:0]), None, None, scene.ev100)
        program = self._prepare(features, plain, view, gbuffer, sun_shadows, lamp_shadows)
        set_uniforms(program, one_lamp=index)
        target.frame.use()
        target.frame.depth_mask = False
        target.frame.viewport = (0, 0, *gbuffer.size)
        target.frame.scissor = place
        self._draw(program, add=True)
        target.frame.scissor = None
        return place[2] * place[3]

    def background(self, scene: LitScene, view: View, gbuffer: GBuffer, target: LightTarget) -> None:
        """The sky where no surface is."""
        if scene.sky is None:
            return
        if self._dome_key != scene.sky.key:
            self._upload_dome(scene.sky.luminance)
            self._dome_key = scene.sky.key
        assert self._dome is not None
        self._dome.use(DOME_UNIT)
        program = self._programs.get("screen", "background")
        set_uniforms(program, dome=DOME_UNIT, dome_exposure=pre_exposure(scene.ev100), **view.uniforms)
        target.frame.use()
        target.frame.depth_mask = False
        target.frame.viewport = (0, 0, *gbuffer.size)
        self._draw(program, add=False, surfaces_only=False)

    def _upload_dome(self, luminance: NDArray[np.float32]) -> None:
        if self._dome is not None:
            self._dome.release()
        rows = np.ascontiguousarray(luminance[::-1], dtype=np.float32)
        self._dome = self._context.texture(rows.shape[1::-1], 3, rows, dtype="f4")
        self._dome.filter = (moderngl.LINEAR, moderngl.LINEAR)
        self._dome.repeat_y = False
