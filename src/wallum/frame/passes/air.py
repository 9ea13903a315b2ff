"""The air before surfaces and sky, and the volume that it is lit in."""

import numpy as np

from wallum.frame.pass_spec import PassSpec
from wallum.frame.pass_work import PassCounts, PassWork
from wallum.moment.scene import AIR_ID
from wallum.moment.view import bounding_spheres, in_view

__all__ = ["AIR", "AIR_LIGHT"]

VOLUME = ("each", "places", "sun places", "sky places", "lamp places", "gobo places", "pocket places")


def _light(asked: PassWork) -> PassCounts | None:
    scene, camera = asked.scene, asked.camera
    if scene.air is None or not scene.air.in_volume:
        return None
    places = float(np.prod(asked.quality.air_places))
    counted = PassCounts({**dict.fromkeys(VOLUME, 0.0), "each": 1.0, "places": places})
    counted.sources[AIR_ID] = {"each": 1.0, "places": places}
    if scene.sun is not None and scene.sun.in_air > 0.0:
        counted.sources[scene.sun.id] = {"sun places": places}
    if scene.sky is not None and scene.sky.in_air > 0.0:
        counted.sources[scene.sky.id] = {"sky places": places}
    centres, radii = bounding_spheres(scene.lamps)
    reached = in_view(scene.lamps, camera) & (scene.lamps.rows["in_air"] > 0.0)
    # Of the view's volume up to the reach, what each lamp's sphere takes at most.
    tangents = camera.tangents
    seen = 4.0 / 3.0 * tangents[0] * tangents[1] * scene.air.reach**3
    for index in np.flatnonzero(reached):
        share = min(4.19 * float(radii[index]) ** 3 / seen, 1.0)
        if np.linalg.norm(centres[index] - camera.eye) - radii[index] < scene.air.reach:
            own = {"lamp places": places * share}
            if scene.lamps.rows["gobo"][index]:
                own["gobo places"] = places * share
            counted.sources[scene.lamps.ids[index]] = own
    for pocket in scene.air.pockets:
        near = np.linalg.norm(np.array(pocket.centre) - camera.eye) - pocket.radius < scene.air.reach
        share = min(4.19 * pocket.radius**3 / seen, 1.0) if near else 0.0
        counted.sources[pocket.id] = {"pocket places": places * share}
    for source_id, own in counted.sources.items():
        if source_id != AIR_ID:
            for name, value in own.items():
                counted.whole[name] += value
    return counted


def _seen(asked: PassWork) -> PassCounts | None:
    if asked.scene.air is None:
        return None
    counts = {"pixels": asked.pixels}
    return PassCounts(counts, {AIR_ID: dict(counts)})


AIR_LIGHT = PassSpec("air light", VOLUME, _light)
AIR = PassSpec("air", ("pixels",), _seen)
