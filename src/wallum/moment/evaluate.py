"""From the project to its LitScene: a pure function of what is given."""

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wallum.document.project import Project
from wallum.document.sources import Lamp, SkySource, SpotSource, SunSource
from wallum.moment.scene import LAMP_WIDTH, Dome, Lamps, LitScene, Sun
from wallum.physics.dome import plain_dome

__all__ = ["direction_to", "evaluate"]

Row = tuple[float, ...]
# Rows of lamps that did not change, by identity; the lamp is kept so that its id stays its own.
_ROWS: dict[int, tuple[Lamp, Row]] = {}
_ROWS_LIMIT = 20_000


def direction_to(azimuth_deg: float, elevation_deg: float) -> NDArray[np.float64]:
    """Unit vector toward an azimuth (clockwise from north, -Z) and elevation."""
    azimuth, elevation = math.radians(azimuth_deg), math.radians(elevation_deg)
    flat = math.cos(elevation)
    return np.array([flat * math.sin(azimuth), math.sin(elevation), -flat * math.cos(azimuth)])


def _lamp_row(lamp: Lamp) -> Row:
    red, green, blue = (part * lamp.intensity for part in lamp.luminous_rgb())
    spot = isinstance(lamp, SpotSource)
    direction = lamp.direction if isinstance(lamp, SpotSource) else (0.0, -1.0, 0.0)
    outer = math.cos(math.radians(lamp.outer)) if isinstance(lamp, SpotSource) else -1.0
    inner = math.cos(math.radians(lamp.inner)) if isinstance(lamp, SpotSource) else 1.0
    return (
        *lamp.position,
        lamp.range,
        red,
        green,
        blue,
        lamp.radius,
        *direction,
        float(spot),
        outer,
        inner,
        float(lamp.shadow),
    )


def _row(lamp: Lamp) -> Row:
    kept = _ROWS.get(id(lamp))
    if kept is not None and kept[0] is lamp:
        return kept[1]
    if len(_ROWS) >= _ROWS_LIMIT:
        _ROWS.clear()
    row = _lamp_row(lamp)
    _ROWS[id(lamp)] = (lamp, row)
    return row


def _sun(source: SunSource) -> Sun | None:
    if source.elevation <= 0.0 or source.illuminance <= 0.0:
        return None
    return Sun(
        source.id,
        direction_to(source.azimuth, source.elevation),
        np.array(source.luminous_rgb()) * source.illuminance,
        math.radians(source.disc),
        source.shadow,
    )


@lru_cache(maxsize=16)
def _dome(sky: SkySource, sun_on_ground: tuple[float, float, float]) -> Dome:
    colour = np.array(sky.luminous_rgb())
    falling = colour * sky.illuminance + np.array(sun_on_ground)
    ground = sky.ground * falling / np.pi
    luminance = plain_dome(sky.illuminance, colour, ground).astype(np.float32)
    return Dome(sky.id, luminance, (sky.illuminance, *colour.tolist(), *ground.tolist()))


def evaluate(project: Project) -> LitScene:
    """What lights the level now: sources that are on, with every value resolved."""
    lit = [one for one in project.sources if one.on]
    lamps = [one for one in lit if isinstance(one, Lamp) and one.intensity > 0.0]
    rows = np.array([_row(one) for one in lamps], dtype=np.float32).reshape(-1, LAMP_WIDTH)
    sun = next((_sun(one) for one in lit if isinstance(one, SunSource)), None)
    sky_source = next((one for one in lit if isinstance(one, SkySource)), None)
    sky = None
    if sky_source is not None:
        falling = sun.illuminance * sun.direction[1] if sun else np.zeros(3)
        red, green, blue = (float(part) for part in falling)
        sky = _dome(sky_source, (red, green, blue))
    return LitScene(Lamps(tuple(one.id for one in lamps), rows), sun, sky, project.look.ev100)
