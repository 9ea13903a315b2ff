"""The sun in a sky's picture: where it stands over the level, and bringing the two together."""

from pathlib import Path
from typing import Any

import numpy as np

from wallum.document.project import Project
from wallum.document.sources import SkySource, SunSource
from wallum.errors import LevelProblem, ValueProblem
from wallum.level.importers.images.panorama_file import panorama_sun
from wallum.moment.at_moment import at_moment
from wallum.moment.base_light import places
from wallum.moment.moment import Moment
from wallum.physics.colour import cct_of, luminance
from wallum.physics.panorama import PanoramaSun

__all__ = ["picture_sun", "picture_to_sun", "sun_apart", "sun_to_picture"]

# A sun of this illuminance is no sun [lx].
FAINTEST_LX = 1.0


def _sky(project: Project) -> SkySource:
    sky = next((source for source in project.resolved_sources if isinstance(source, SkySource)), None)
    if sky is None or sky.model != "picture dome" or not sky.picture:
        raise ValueProblem(
            "there is no picture as a sky", "sources/sky/picture", "a picture dome with its picture"
        )
    return sky


def _sun(project: Project) -> SunSource:
    sun = next((source for source in project.resolved_sources if isinstance(source, SunSource)), None)
    if sun is None:
        raise ValueProblem("the project has no sun", "sources", "a sun")
    return sun


def picture_sun(sky: SkySource) -> PanoramaSun:
    """The sun of a sky's picture, in the level's azimuths, its energy in lux.

    Raises LevelProblem where the picture cannot be read or has no sun.
    """
    result = panorama_sun(Path(sky.picture))
    if result is None:
        raise LevelProblem(
            "no sun stands out in the sky's picture", sky.picture, "a picture with a bright sun"
        )
    # Heights between the picture's horizon and the zenith are drawn out, see physics.panorama.
    over = (result.elevation - sky.horizon_height) / (1.0 - sky.horizon_height / 90.0)
    gain = 2.0 ** (sky.picture_stops + sky.trim)
    red, green, blue = (part * gain for part in result.energy)
    return PanoramaSun((result.azimuth + sky.rotation) % 360.0, over, (red, green, blue))


def sun_to_picture(project: Project) -> dict[str, Any]:
    """Values by path that give the sun the place, strength and colour of the picture's, and take
    that out of the picture, so that it counts once. Raises ValueProblem, LevelProblem."""
    sky, sun = _sky(project), _sun(project)
    result = picture_sun(sky)
    head = f"sources/@{sun.id}"
    light = np.array(result.energy)
    values: dict[str, Any] = {
        f"{head}/stands": "where set",
        f"{head}/azimuth": round(result.azimuth, 2),
        f"{head}/elevation": round(min(max(result.elevation, -90.0), 90.0), 2),
        f"sources/@{sky.id}/disc_out": True,
    }
    if float(luminance(light)) >= FAINTEST_LX:
        kelvin = cct_of(light)
        values |= {
            f"{head}/light": "own",
            f"{head}/illuminance": round(min(float(luminance(light)), 150_000.0), 1),
            f"{head}/trim": 0.0,
        }
        if np.isfinite(kelvin):
            values |= {
                f"{head}/colour_by": "kelvin",
                f"{head}/kelvin": round(min(max(kelvin, 1000.0), 20_000.0)),
            }
    return values


def picture_to_sun(project: Project, moment: Moment) -> dict[str, Any]:
    """The rotation by path that brings the picture's sun under the sun's azimuth at a moment.

    Raises ValueProblem, LevelProblem.
    """
    sky = _sky(project)
    _sun(project)
    place, _ = places(at_moment(project, moment), moment.clock)
    turn = sky.rotation + place.azimuth - picture_sun(sky).azimuth
    return {f"sources/@{sky.id}/rotation": round((turn + 180.0) % 360.0 - 180.0, 2)}


def sun_apart(project: Project, moment: Moment) -> float | None:
    """Angle between the sun and the picture's at a moment [deg]; None where there is none of either."""
    now = at_moment(project, moment)
    try:
        sky, sun = _sky(now), _sun(now)
        result = picture_sun(sky)
    except (ValueProblem, LevelProblem):
        return None
    if not sky.on or not sun.on:
        return None
    place, _ = places(now, moment.clock)
    a, b = (np.radians((item.azimuth, item.elevation)) for item in (place, result))
    cosine = np.sin(a[1]) * np.sin(b[1]) + np.cos(a[1]) * np.cos(b[1]) * np.cos(a[0] - b[0])
    return float(np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))))
