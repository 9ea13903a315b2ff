"""The look of a project at a moment, as pictures are developed by it."""

from pathlib import Path

from wallum.document.look import Look
from wallum.errors import ValueProblem
from wallum.files import changed_at
from wallum.level.cube_file import read_cube
from wallum.moment.shown_look import Metering, ShownLook, ShownTable
from wallum.physics.curves import Curve
from wallum.physics.grade import Grade

__all__ = ["shown_look"]


def shown_look(look: Look) -> ShownLook:
    """The look resolved; a table that cannot be read is left out, as a check says."""
    white = None
    if (look.neutral_kelvin, look.neutral_tint) != (Look.NEUTRAL_K, 0.0):
        white = look.neutral_kelvin, look.neutral_tint
    grade = Grade(look.slope, look.offset, look.power, look.saturation, look.contrast)
    curve = Curve(look.curve, look.white, look.curve_on, look.own_curve)
    return ShownLook(
        look.ev100, _metering(look), look.vignette, look.night_eye, white, grade, curve, _table(look)
    )


def _metering(look: Look) -> Metering | None:
    if look.exposed != "metered":
        return None
    limits, clips = (look.darkest, look.brightest), (look.clip_low, look.clip_high)
    return Metering(look.weighted, look.compensation, limits, clips, look.darker)


def _table(look: Look) -> ShownTable | None:
    if not look.table or look.table_strength <= 0.0:
        return None
    try:
        stamp = changed_at(Path(look.table), ValueProblem)
        read_cube(Path(look.table))
    except ValueProblem:
        return None
    return ShownTable(look.table, stamp, look.table_on, look.table_strength)
