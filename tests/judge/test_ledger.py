"""What sources give a picture: shares that sum up, layers that are the picture, visible change."""

import numpy as np
import pytest
from set_lights import plain_sky, set_sun

from wallum.document.look import Look
from wallum.document.paths import put
from wallum.document.project import Project
from wallum.document.sources import PointSource, SpotSource
from wallum.judge.ledger import ledger
from wallum.level.model.flatten import flatten
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.scene import GLOW_ID, OF
from wallum.physics.colour import luminance
from wallum.physics.difference import delta_e_itp
from wallum.realtime.process.offline import render_picture, renderer_for
from wallum.transport.direct.contributions import LAYER_SIZE, Layers, fill_layers
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces

CAMERA = Camera((-2.0, 1.5, 3.5), (0.5, -0.3, -1.0), 60.0, 16 / 9, far=50.0)
POINT = PointSource(id="p", name="P", position=(-1.0, 2.4, 0.0), intensity=90.0, shadow=True, radius=0.01)
SPOT = SpotSource(
    id="s", name="S", position=(0.0, 2.6, 2.0), direction=(0.2, -1.0, -0.6), intensity=300.0, radius=0.01
)


@pytest.fixture(scope="module")
def room_rays(room):
    return RayScene(room, flatten(room))


def layers_of(rays, level, project, camera=CAMERA):
    out = Layers(seen_surfaces(rays, level, camera, LAYER_SIZE))
    for _ in fill_layers(out, rays, evaluate(project)):
        pass
    return out


def test_shares_sum_to_one_and_strength_counts_in_proportion(room, room_rays):
    project = Project(sources=(POINT, SPOT), look=Look(ev100=5.0))
    inputs = ledger(layers_of(room_rays, room, project), 5.0)
    assert sum(item.share for item in inputs.values()) == pytest.approx(1.0)
    double = ledger(layers_of(room_rays, room, put(project, "sources/p/trim", 1.0)), 5.0)
    ratio = inputs["p"].share / inputs["s"].share
    assert double["p"].share / double["s"].share == pytest.approx(2.0 * ratio)


def test_layers_together_are_the_picture(room, room_rays):
    """The same light by rays and by the renderer: median 2 %, 95th percentile 5 %."""
    project = Project(sources=(POINT, SPOT), look=Look(ev100=5.0))
    layers = layers_of(room_rays, room, project)
    picture = render_picture(
        project, room, CAMERA, LAYER_SIZE, settle=False, renderer=renderer_for(project, room)
    )
    drawn = luminance(picture.luminance.reshape(-1, 3)[layers.seen.pixel].astype(float))
    exact = luminance(layers.total)
    lit = exact > 0.02 * exact.max()
    error = np.abs(drawn[lit] / exact[lit] - 1.0)
    assert np.median(error) < 0.02
    assert np.quantile(error, 0.9) < 0.05


def test_an_even_sky_on_open_ground_gives_its_illuminance():
    from level_shapes import plain_ground

    level = plain_ground()
    rays = RayScene(level, flatten(level))
    above = Camera((0.0, 5.0, 0.0), (0.0, -1.0, -0.001), 40.0, 16 / 9, far=50.0)
    project = Project(sources=(plain_sky(illuminance=1000.0), set_sun(elevation=90.0, illuminance=3000.0)))
    layers = layers_of(rays, level, project, above)
    # The surface is rough and grey: a little less than 0.5 / pi comes back, gloss included.
    for source_id, lux in (("sky", 1000.0), ("sun", 3000.0)):
        assert luminance(layers.light[source_id]).mean() == pytest.approx(lux * 0.5 / np.pi, rel=0.1)


def test_what_is_behind_a_wall_gives_nothing_and_is_not_seen(room, room_rays):
    outside = POINT.revised(id="o", name="O", position=(40.0, 2.0, 0.0))
    project = Project(sources=(POINT, outside))
    inputs = ledger(layers_of(room_rays, room, project), 5.0)
    assert inputs["o"].share == 0.0
    assert inputs["o"].seen == 0.0
    assert inputs["p"].seen > 0.5


def test_a_faint_lamp_has_a_share_but_is_not_seen(room, room_rays):
    faint = SPOT.revised(intensity=0.02)
    inputs = ledger(layers_of(room_rays, room, Project(sources=(POINT, faint))), 5.0)
    assert 0.0 < inputs["s"].share < 1e-3
    assert inputs["s"].seen < 0.01


def test_glow_is_a_layer_of_its_own_and_follows_its_group(room):
    from dataclasses import replace

    glowing = replace(room.materials[0], emissive=(1.0, 1.0, 1.0), emissive_strength=50.0)
    level = replace(room, materials=(glowing, *room.materials[1:]))
    rays = RayScene(level, flatten(level))
    project = Project(sources=(POINT,))
    item, two = (layers_of(rays, level, put(project, "balance/glow", stops)) for stops in (0.0, 1.0))
    own = f"{GLOW_ID}{OF}{glowing.name}"  # by the material that glows
    assert luminance(item.light[own]).max() == pytest.approx(50.0)
    assert two.light[own] == pytest.approx(2.0 * item.light[own])


def test_trims_of_source_and_group_are_stops():
    project = Project(sources=(POINT, set_sun(elevation=45.0, illuminance=1000.0), plain_sky()))
    plain = evaluate(project)
    for path, stops in (("sources/p/trim", 2.0), ("balance/lamps", 2.0)):
        rows = evaluate(put(project, path, stops)).lamps.rows
        assert rows["emission"][0] == pytest.approx(4.0 * plain.lamps.rows["emission"][0])
    dark = evaluate(put(project, "balance/base", -1.0))
    assert dark.sun.illuminance == pytest.approx(0.5 * plain.sun.illuminance)
    assert dark.sky.luminance == pytest.approx(0.5 * plain.sky.luminance)
    assert dark.sky.key != plain.sky.key
    assert evaluate(put(project, "balance/accents", 3.0)).lamps.shape_key() == plain.lamps.shape_key()


def test_one_source_alone():
    scene = evaluate(Project(sources=(POINT, SPOT, set_sun(elevation=45.0), plain_sky())))
    assert scene.only("p").lamps.ids == ("p",)
    assert scene.only("p").sun is None
    assert scene.only("sky").lamps.ids == ()
    assert scene.only("sky").sky is not None
    assert scene.only("p").glow_gain == 0.0
    assert scene.only(GLOW_ID).glow_gain == 1.0


def test_differences_of_colours():
    """BT.2124: none for equals, alike both ways, about 1 for what is just visible."""
    grey = np.array([[0.18, 0.18, 0.18]])
    assert delta_e_itp(grey, grey) == pytest.approx([0.0])
    brighter = grey * 1.02
    assert delta_e_itp(grey, brighter) == pytest.approx(delta_e_itp(brighter, grey))
    assert 0.5 < delta_e_itp(grey, brighter)[0] < 2.5
    assert delta_e_itp(np.zeros((1, 3)), np.ones((1, 3)))[0] > 100.0
