"""From light to the bytes that the window paints."""

import math

import moderngl
import numpy as np

from wallum.frame.views import INSPECTED, VIEWS
from wallum.moment.shown_look import ShownLook
from wallum.physics.exposure import exposure_scale
from wallum.physics.false_colour import ramp
from wallum.physics.grade import NEUTRAL_GRADE, balance_matrix
from wallum.physics.tone import bayer_matrix
from wallum.physics.vignette import corner_fall
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import Size
from wallum.realtime.passes.table_texture import TableTexture

__all__ = ["Developer"]

VIEW_FEATURES = {
    **{name: frozenset({"PLAIN"}) for name in INSPECTED},
    "false colour": frozenset({"FALSE_COLOUR"}),
    "zebra": frozenset({"ZEBRA"}),
}

# Views of the picture as it is seen, with all that the look does.
CHAINED = frozenset(VIEWS) - {*INSPECTED, "false colour"}


def _chain_features(look: ShownLook) -> frozenset[str]:
    out = set()
    if look.white is not None or look.grade != NEUTRAL_GRADE:
        out.add("GRADE")
    if look.curve.kind != "own":
        out.add(f"CURVE_{look.curve.kind.upper()}")
    if look.curve.on == "luminance" and look.curve.kind != "neutral":
        out.add("CURVE_ON_LUMINANCE")
    if look.table is not None:
        out |= {"TABLE", f"TABLE_{look.table.on.upper()}"}
    return frozenset(out)


class Developer:
    """Tone curve, transfer function, dither; and enlarging of a reduced picture."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        thresholds = bayer_matrix(3).astype(np.float32)
        self._dither = context.texture((8, 8), 1, np.ascontiguousarray(thresholds), dtype="f4")
        self._dither.filter = (moderngl.NEAREST, moderngl.NEAREST)
        colours = ramp()
        self._ramp = context.texture((len(colours), 1), 3, np.ascontiguousarray(colours), dtype="f4")
        self._ramp.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._targets: dict[Size, moderngl.Framebuffer] = {}
        self._table = TableTexture(context)

    def _target(self, size: Size) -> moderngl.Framebuffer:
        if size not in self._targets:
            if len(self._targets) > 4:
                for frame in self._targets.values():
                    for texture in frame.color_attachments:
                        texture.release()
                    frame.release()
                self._targets.clear()
            texture = self._context.texture(size, 4)
            texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
            texture.repeat_x = texture.repeat_y = False
            self._targets[size] = self._context.framebuffer([texture])
        return self._targets[size]

    def _chain(self, look: ShownLook) -> dict[str, object]:
        """Values of the grade and the table, where there are any. Raises ValueProblem for a table's file."""
        out: dict[str, object] = {}
        if look.white is not None or look.grade != NEUTRAL_GRADE:
            matrix = np.eye(3) if look.white is None else balance_matrix(*look.white)
            grade = look.grade
            out |= {
                "white_balance": tuple(matrix.T.ravel().tolist()),
                "grade_slope": grade.slope,
                "grade_offset": grade.offset,
                "grade_power": grade.power,
                "grade_about": (grade.saturation, grade.contrast),
            }
        if look.table is not None:
            out |= self._table.uniforms(look.table)
        return out

    def develop(
        self,
        light: moderngl.Texture,
        look: ShownLook,
        held_exposure: float,
        samples: int = 1,
        view: str = "final",
    ) -> moderngl.Framebuffer:
        """Develop `light`, which holds `samples` pictures times `held_exposure`, for a view, exposed by
        the look's `ev100`. Twin of image/develop.py."""
        frame = self._target(light.size)
        features = VIEW_FEATURES.get(view, frozenset())
        to_picture = exposure_scale(look.ev100)
        chain: dict[str, object] = {}
        if look.vignette > 0.0 and view in CHAINED:
            features |= {"VIGNETTE"}
            width, height = light.size
            chain["vignette"] = (corner_fall(look.vignette), 2.0 / math.hypot(width, height))
        if look.night_eye > 0.0 and view in CHAINED:
            features |= {"NIGHT"}
            chain["night_eye"] = (look.night_eye, 1.0 / to_picture)
        if view in CHAINED:
            features, chain = features | _chain_features(look), {**chain, **self._chain(look)}
            features |= {"TABLE_CUBE"} if look.table is not None and self._table.is_cube else set()
        program = self._programs.get("screen", "develop", features)
        curve = look.curve.own
        set_uniforms(
            program,
            picture=light,
            dither=self._dither,
            size=light.size,
            ramp=self._ramp,
            scale=(1.0 if view in INSPECTED else to_picture / held_exposure) / samples,
            curve=(curve.a, curve.b, curve.c, curve.d),
            curve_white=look.curve.white,
            **chain,
        )
        frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
        return frame
