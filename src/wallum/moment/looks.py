"""The look of a project at a moment, as pictures are developed by it."""

from dataclasses import replace
from pathlib import Path

from wallum.document.look import Look
from wallum.errors import ValueProblem
from wallum.files import changed_at
from wallum.level.importers.images.cube_file import read_cube
from wallum.moment.resolved_look import Lens, Metering, ResolvedLook, ResolvedTable
from wallum.moment.scene import LitScene
from wallum.physics.bloom import NO_BLOOM, Bloom
from wallum.physics.curves import OWN_CURVE, Curve
from wallum.physics.focus import Focus, FocusSide
from wallum.physics.grade import Grade
from wallum.physics.vignette import NO_SHADE, EdgeShade

__all__ = ["looked_by", "shown_look"]


def shown_look(look: Look) -> ResolvedLook:
    """The look resolved; a table that cannot be read is left out, as a check says."""
    white = None
    if look.with_white and (look.neutral_kelvin, look.neutral_tint) != (Look.NEUTRAL_K, 0.0):
        white = look.neutral_kelvin, look.neutral_tint
    curve = OWN_CURVE
    if look.with_curve:
        curve = Curve(look.curve, look.white, look.curve_on, look.own_curve)
    return ResolvedLook(
        look.ev100,
        _metering(look),
        _focus(look),
        _bloom(look),
        _lens(look),
        look.night_eye if look.with_night_eye else 0.0,
        white,
        _grade(look),
        curve,
        _table(look),
    )


def looked_by(scene: LitScene, look: Look, effect: str) -> LitScene:
    """A scene developed by one effect of its look alone (see document.picture_values), or by none where that
    is empty; its light, and how it is exposed, are the same."""
    shown = shown_look(look.only(effect))
    return replace(scene, look=replace(shown, ev100=scene.look.ev100, metering=scene.look.metering))


def _focus(look: Look) -> Focus | None:
    if not look.with_focus or look.focus == "off":
        return None
    sides: dict[str, FocusSide] = {"far and near": "both", "far": "far", "near": "near"}
    return Focus(look.focus_at, look.focus_stop, sides[look.focus])


def _bloom(look: Look) -> Bloom:
    if not look.with_bloom or look.bloom <= 0.0:
        return NO_BLOOM
    return Bloom(look.bloom, look.bloom_reach, look.bloom_tint, look.bloom_threshold)


def _lens(look: Look) -> Lens:
    grain = look.grain if look.with_grain else 0.0
    if not look.with_lens:
        return Lens(grain=grain)
    shade = EdgeShade(look.shade, look.shade_radius, look.shade_softness) if look.shade != 0.0 else NO_SHADE
    return Lens(look.vignette, shade, look.fringe, grain)


def _grade(look: Look) -> Grade:
    ranges = look.ranges if look.with_ranges else None
    if not look.with_grade:
        return Grade(ranges=ranges)
    return Grade(
        look.slope, look.offset, look.power, look.saturation, look.contrast,
        look.pivot if look.contrast != 1.0 else 0.0, look.lift, ranges,
        look.hues, look.hues_between,
    )  # fmt: skip


def _metering(look: Look) -> Metering | None:
    if look.exposed != "metered":
        return None
    limits, clips = (look.darkest, look.brightest), (look.clip_low, look.clip_high)
    return Metering(look.weighted, look.compensation, limits, clips, look.darker)


def _table(look: Look) -> ResolvedTable | None:
    if not look.with_table or not look.table or look.table_strength <= 0.0:
        return None
    try:
        stamp = changed_at(Path(look.table), ValueProblem)
        read_cube(Path(look.table))
    except ValueProblem:
        return None
    return ResolvedTable(look.table, stamp, look.table_on, look.table_strength)
