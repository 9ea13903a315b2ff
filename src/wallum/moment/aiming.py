"""From the result back to the light: where a source must be, or look, for what is wanted."""

import math
from typing import TypeVar

import numpy as np

from wallum.document.fields import Vector
from wallum.document.sources import FarLight, Lamp
from wallum.errors import ValueProblem
from wallum.physics.arrays import Floats, normalised

__all__ = ["aimed_at", "aligned", "angles_of", "for_reading", "kicked", "pulled"]

AnyLamp = TypeVar("AnyLamp", bound=Lamp)


def _vector(values: Floats) -> Vector:
    x, y, z = (round(float(part), 6) for part in values)
    return x, y, z


def angles_of(direction: Floats) -> tuple[float, float]:
    """Azimuth clockwise from north, and elevation, of a direction (3,) [deg]."""
    x, y, z = normalised(np.asarray(direction, dtype=np.float64)).tolist()
    return math.degrees(math.atan2(x, -z)) % 360.0, math.degrees(math.asin(min(max(y, -1.0), 1.0)))


def aimed_at(lamp: AnyLamp, target: Floats) -> AnyLamp:
    """A lamp turned so that the middle of its pool is at a point; one that shines all around as it is.

    Raises ValueProblem where the point is the lamp's own.
    """
    if lamp.axis is None:
        return lamp
    offset = np.asarray(target, dtype=np.float64) - np.array(lamp.position)
    if np.linalg.norm(offset) < 1e-6:
        raise ValueProblem("the target is where the source is", "aim", "another point")
    return lamp.revised(direction=_vector(normalised(offset)))


def aligned(source: FarLight | Lamp, eye: Floats, direction: Floats) -> FarLight | Lamp:
    """A source that shines from a camera's eye along its look; a far light from behind it.

    Raises ValueProblem for a far light where the camera looks up.
    """
    if isinstance(source, FarLight):
        if direction[1] >= 0.0:
            raise ValueProblem("the light would have to shine upward", "align", "a camera that looks down")
        azimuth, elevation = angles_of(-np.asarray(direction))
        return source.revised(stands="where set", azimuth=round(azimuth, 4), elevation=round(elevation, 4))
    moved = source.revised(position=_vector(np.asarray(eye, dtype=np.float64)))
    return moved if moved.axis is None else moved.revised(direction=_vector(normalised(direction)))


def kicked(lamp: Lamp, point: Floats, normal: Floats, eye: Floats) -> Lamp:
    """A lamp moved so that its highlight sits at a point of a surface, as seen from an eye.

    Its distance from the point stays; one that is aimed goes on to shine at it. Raises ValueProblem
    where the eye sees no face of the surface.
    """
    n = normalised(np.asarray(normal, dtype=np.float64))
    to_eye = normalised(np.asarray(eye, dtype=np.float64) - point)
    if float(n @ to_eye) <= 0.0:
        raise ValueProblem("the surface turns its back to the camera", "kick", "a face that is seen")
    mirrored = 2.0 * float(n @ to_eye) * n - to_eye
    distance = max(float(np.linalg.norm(np.array(lamp.position) - point)), 0.1)
    moved = lamp.revised(position=_vector(point + mirrored * distance))
    return aimed_at(moved, point)


def pulled(source: FarLight | Lamp, caster: Floats, target: Floats) -> FarLight | Lamp:
    """A source moved so that the shadow of one point of a caster falls on another point.

    caster, target : (3,) [m]. A far light is then one that stands where it is set; a lamp keeps
    its distance from the caster, and one that is aimed goes on to shine at it. Raises ValueProblem.
    """
    toward = np.asarray(caster, dtype=np.float64) - target
    if np.linalg.norm(toward) < 1e-6:
        raise ValueProblem("the shadow cannot fall on what casts it", "pull", "another point")
    toward = normalised(toward)
    if isinstance(source, FarLight):
        if toward[1] <= 0.0:
            raise ValueProblem("the light would have to shine upward", "pull", "a point below the caster")
        azimuth, elevation = angles_of(toward)
        return source.revised(stands="where set", azimuth=round(azimuth, 4), elevation=round(elevation, 4))
    distance = max(float(np.linalg.norm(np.array(source.position) - caster)), 0.05)
    moved = source.revised(position=_vector(caster + toward * distance))
    return aimed_at(moved, caster)


def for_reading(value: float, now: float, wanted: float, others: float) -> float:
    """Strength that brings a reading to what is wanted.

    value : strength now; now : what the source gives of the reading; others : what all others
    give. Raises ValueProblem where the source cannot do it.
    """
    if now <= 0.0:
        raise ValueProblem("that source gives nothing here", "meter", "a source that reaches this point")
    if wanted <= others:
        raise ValueProblem(f"the other sources give {others:.4g} already", "meter", f"more than {others:.4g}")
    return value * (wanted - others) / now
