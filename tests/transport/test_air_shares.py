"""What the air's layers and pockets give to a picture, for the ledger: with shadows, and in parts that add up."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import grey_level

from wallum.document.air import Air
from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import PocketSource
from wallum.level.model.flatten import flatten
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.scene import AIR_ID
from wallum.physics.colour import luminance
from wallum.transport.direct.contributions import Layers, fill_layers
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces

CAMERA = Camera((0.0, 1.5, 9.0), (0.0, -0.05, -1.0), 50.0, 16 / 9, far=100.0)
WALL = box((-20.0, -5.0, -1.0), (20.0, 12.0, 0.0), 0)
ROOF = box((-20.0, 12.0, -1.0), (20.0, 12.5, 40.0), 0)


def _shares(project, *shapes):
    level = grey_level(*shapes)
    rays = RayScene(level, flatten(level))
    scene = replace(evaluate(project), sky=None)
    layers = Layers(seen_surfaces(rays, level, CAMERA, (48, 27)))
    for _ in fill_layers(layers, rays, scene):
        pass
    return {key: float(luminance(light).mean()) for key, light in layers.light.items()}


def _project(**more):
    sun = base_light()[0].revised(light="own", stands="where set", azimuth=180.0, elevation=80.0, disc=0.0)
    pocket = PocketSource(
        id="puff", name="Puff", position=(0.0, 1.5, 4.0), size=(4.0, 3.0, 4.0), visibility=20.0
    )
    air = Air(on=True, visibility=200.0, base_height=50.0)
    return Project(sources=(sun, pocket), air=air, look=Look(ev100=13.0)).revised(**more)


def test_pockets_have_a_share_of_their_own():
    both = _shares(_project(), WALL)
    assert both[AIR_ID] > 0.0
    assert both["puff"] > 0.0
    without = _shares(_project(sources=_project().sources[:1]), WALL)
    assert "puff" not in without
    assert without[AIR_ID] == pytest.approx(both[AIR_ID], rel=0.35)


def test_air_in_shadow_gives_next_to_nothing():
    inside, outside = _shares(_project(), WALL, ROOF), _shares(_project(), WALL)
    assert inside[AIR_ID] < 1e-3 * outside[AIR_ID]
    assert inside["puff"] < 1e-3 * outside["puff"]
    assert np.isfinite(list(inside.values())).all()
