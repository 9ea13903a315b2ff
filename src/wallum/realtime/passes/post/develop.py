"""From light to the bytes that the window paints."""

import math

import moderngl
import numpy as np

from wallum.frame.views import INSPECTED, VIEWS
from wallum.moment.resolved_look import Lens, ResolvedLook
from wallum.physics.exposure import MID_GREY, exposure_scale
from wallum.physics.false_colour import ramp
from wallum.physics.fringe import fringe_share
from wallum.physics.grade import NEUTRAL_GRADE, DecisionList, Grade, Ranges, balance_matrix
from wallum.physics.grain import grain_strength
from wallum.physics.vignette import corner_fall
from wallum.realtime.gl.programs import Programs, set_uniforms
from wallum.realtime.gl.targets import Size
from wallum.realtime.passes.post.bloom import BloomPyramid
from wallum.realtime.passes.post.table_texture import TableTexture

__all__ = ["Developer"]

VIEW_FEATURES = {
    **{name: frozenset({"PLAIN"}) for name in INSPECTED},
    "false colour": frozenset({"FALSE_COLOUR"}),
    "zebra": frozenset({"ZEBRA"}),
}

# Views of the picture as it is seen, with all that the look does.
CHAINED = frozenset(VIEWS) - {*INSPECTED, "false colour"}


def _grade_features(grade: Grade) -> set[str]:
    out = {"GRADE"}
    if grade.contrast != 1.0:
        out.add("CONTRAST")
    if grade.power != NEUTRAL_GRADE.power:
        out.add("POWER")
    if grade.of_hues:
        out.add("HUES")
    if grade.ranges is not None:
        out.add("RANGES")
        lists = _lists(grade.ranges)
        for name, list_ in zip(("SHADOWS", "MIDDLES", "LIGHTS"), lists, strict=True):
            if list_.power != NEUTRAL_GRADE.power:
                out |= {"RANGE_LISTS", f"{name}_POWER"}
        # Below 0 is nothing, range by range: only lines that stay above it add up to a line.
        if any(list_.saturation != 1.0 or min(list_.offset) < 0.0 for list_ in lists):
            out.add("RANGE_LISTS")
    return out


def _chain_features(look: ResolvedLook) -> frozenset[str]:
    out = set()
    if look.white is not None or look.grade != NEUTRAL_GRADE:
        out |= _grade_features(look.grade)
    if look.curve.kind != "own":
        out.add(f"CURVE_{look.curve.kind.upper()}")
    if look.curve.on == "luminance" and look.curve.kind != "neutral":
        out.add("CURVE_ON_LUMINANCE")
    if look.table is not None:
        out |= {"TABLE", f"TABLE_{look.table.on.upper()}"}
    return frozenset(out)


def _lists(ranges: Ranges) -> tuple[DecisionList, ...]:
    return ranges.shadows, ranges.middles, ranges.lights


def _of_grade(look: ResolvedLook) -> dict[str, object]:
    """Values of include/chain/grade.glsl."""
    matrix = np.eye(3) if look.white is None else balance_matrix(*look.white)
    grade = look.grade
    out: dict[str, object] = {
        "white_balance": tuple(matrix.T.ravel().tolist()),
        "grade_slope": grade.slope,
        "grade_offset": grade.offset,
        "grade_power": grade.power,
        "grade_about": (grade.saturation, grade.contrast, 2.0**grade.lift - 1.0),
        "grade_pivot": (1.0 - grade.contrast) * (math.log2(MID_GREY) + grade.pivot),
    }
    if grade.of_hues:
        out |= {"grade_hues": grade.hues, "grade_between": grade.hues_between}
    if grade.ranges is not None:
        lists = _lists(grade.ranges)
        out |= {
            "range_slope": tuple(part for list_ in lists for part in list_.slope),
            "range_offset": tuple(part for list_ in lists for part in list_.offset),
            "range_power": tuple(part for list_ in lists for part in list_.power),
            "range_saturation": tuple(list_.saturation for list_ in lists),
            "range_borders": (*grade.ranges.borders, grade.ranges.soft),
        }
    return out


def _of_lens(lens: Lens, size: Size) -> tuple[set[str], dict[str, object]]:
    """Features and values of what depends on the place, for a picture of a size."""
    features: set[str] = set()
    values: dict[str, object] = {}
    if lens.shaded:
        features.add("VIGNETTE")
        values["vignette"] = (corner_fall(lens.fall_off), 2.0 / math.hypot(*size))
        values["shade"] = (lens.shade.stops, lens.shade.radius, max(lens.shade.softness, 1e-3))
    if lens.fringe != 0.0:
        features.add("FRINGE")
        values["fringe"] = fringe_share(lens.fringe)
    if lens.grain > 0.0:
        features.add("GRAIN")
        values |= {"grain_strength": grain_strength(lens.grain), "grain_seed": lens.seed & 0xFFFF}
    return features, values


class Developer:
    """Tone curve, transfer function, dither; and enlarging of a reduced picture."""

    def __init__(self, context: moderngl.Context, programs: Programs) -> None:
        self._context, self._programs = context, programs
        colours = ramp()
        self._ramp = context.texture((len(colours), 1), 3, np.ascontiguousarray(colours), dtype="f4")
        self._ramp.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._targets: dict[Size, moderngl.Framebuffer] = {}
        self._table = TableTexture(context)
        self._bloom = BloomPyramid(context, programs)

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

    def _chain(self, look: ResolvedLook) -> dict[str, object]:
        """Values of the grade and the table, where there are any. Raises ValueProblem for a table's file."""
        out = _of_grade(look) if look.white is not None or look.grade != NEUTRAL_GRADE else {}
        if look.table is not None:
            out |= self._table.uniforms(look.table)
        return out

    def _seen(
        self, light: moderngl.Texture, look: ResolvedLook, samples: int, gain: float, key: tuple[object, ...]
    ) -> tuple[frozenset[str], dict[str, object]]:
        """Features and values of the lens and of film; gain: from the samples' mean to picture values."""
        features, values = _of_lens(look.lens, light.size)
        smooth = look.bloom.amount > 0.0 or look.lens.fringe != 0.0
        light.filter = (moderngl.LINEAR, moderngl.LINEAR) if smooth else (moderngl.NEAREST, moderngl.NEAREST)
        light.repeat_x = light.repeat_y = False
        if look.bloom.amount > 0.0:
            more, of_bloom = self._bloom.spread(light, samples, gain, look.bloom, key)
            features, values = features | more, values | of_bloom
        return frozenset(features), values

    def develop(
        self,
        light: moderngl.Texture,
        look: ResolvedLook,
        held_exposure: float,
        samples: int = 1,
        view: str = "final",
        key: tuple[object, ...] = (),
    ) -> moderngl.Framebuffer:
        """Develop `light`, which holds `samples` pictures times `held_exposure`, for a view, exposed by
        the look's `ev100`. Twin of image/develop.py.

        key : the light is the same as long as this is; empty: unknown
        """
        frame = self._target(light.size)
        features = VIEW_FEATURES.get(view, frozenset())
        to_picture = exposure_scale(look.ev100)
        chain: dict[str, object] = {}
        gain = 1.0 if view in INSPECTED else to_picture / held_exposure
        if view in CHAINED:
            more, values = self._seen(light, look, samples, gain, key)
            features, chain = features | more, {**chain, **values}
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
            size=light.size,
            ramp=self._ramp,
            scale=gain / samples,
            curve=(curve.a, curve.b, curve.c, curve.d),
            curve_white=look.curve.white,
            **chain,
        )
        frame.use()
        self._context.enable_only(0)
        self._programs.over_screen(program)
        return frame
