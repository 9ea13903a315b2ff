"""Three ways of showing shafts: made into each other, held against rays, and their price."""

import numpy as np
import pytest
from level_shapes import grey_level

from wallum.document.air import Air
from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.shaft_methods import cards_of_source, present_way, why_not, with_way, without_shafts
from wallum.document.sources import CardSource, PointSource, SpotSource
from wallum.frame.pass_work import Boxes
from wallum.judge.device import load_profile
from wallum.judge.shaft_methods import Subject, apart, compare_ways, looked_along, read_off
from wallum.level.model.flatten import flatten
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.moment import own_moment
from wallum.moment.resolved_look import ResolvedLook
from wallum.physics.tone import DEFAULT_CURVE, srgb_encode
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces

SPOT = SpotSource(
    id="spot", name="Spot", position=(0.0, 5.0, 0.0), direction=(0.0, -1.0, 0.0), inner=8.0, outer=18.0,
    intensity=2000.0, range=0.0, radius=0.03, shadow=True,
)  # fmt: skip
CARD = CardSource(id="card", name="Spot card", of="spot", length=5.8, visibility=900.0, forwardness=0.3)
AIR = Air(on=True, visibility=900.0, scale_height=20_000.0, base_height=9000.0, forwardness=0.3)
GROUND = box((-20.0, -0.2, -20.0), (20.0, 0.0, 20.0), 0)
CAMERA = Camera((0.0, 2.5, 12.0), (0.0, 0.0, -1.0), 45.0, 16 / 9, far=300.0)


def _project(*sources, **more):
    return Project(sources=sources, look=Look(ev100=4.0), air=AIR, **more)


def _subject(project, source, cards=()):
    level = grey_level(GROUND)
    rays = RayScene(level, flatten(level))
    low, high = (np.array([edge], np.float32) for edge in rays.triangles.positions[[0, -1]])
    boxes = Boxes(low, high, np.array([len(rays.triangles.faces)]))
    seen = seen_surfaces(rays, level, CAMERA, (64, 36))
    profile = load_profile(project.target.profile)
    return Subject(project, own_moment(project), source, cards, CAMERA, rays, boxes, seen, profile)


def test_cards_of_a_spot_come_near_to_its_true_shaft():
    result = {way.way: way for way in compare_ways(_subject(_project(SPOT), SPOT, (CARD,)))}
    assert result["card"].gain == pytest.approx(1.0, abs=0.25)
    assert result["card"].off < 0.35
    assert 0.0 < result["card"].ms < result["true"].ms
    assert result["screen"].refused == "only sun and moon have screen shafts"


def test_a_card_of_half_the_strength_is_fitted_by_two():
    gains = []
    for gain in (1.0, 0.5):
        subject = _subject(_project(SPOT), SPOT, (CARD.revised(gain=gain),))
        gains.append(next(way.gain for way in compare_ways(subject) if way.way == "card"))
    assert gains[1] == pytest.approx(2.0 * gains[0], rel=1e-6)


def test_turning_into_each_way_and_back_gives_the_true_one_again():
    project = _project(SPOT)
    carded = with_way(project, SPOT, "card", (CARD,), 1.3)
    assert present_way(carded, carded.source("spot")) == "card"
    assert carded.source("spot").in_air == 0.0
    assert cards_of_source(carded, "spot")[0].gain == pytest.approx(1.3)
    back = with_way(carded, carded.source("spot"), "true", ())
    assert present_way(back, back.source("spot")) == "true"
    assert back.sources == project.sources


def test_where_there_is_no_air_true_shafts_bring_that_of_the_card():
    project = _project(SPOT.revised(in_air=0.0), CARD.revised(visibility=33.0)).revised(air=Air(on=False))
    true = with_way(project, project.source("spot"), "true", ())
    assert true.air.on
    assert true.air.visibility == 33.0


def test_screen_shafts_are_those_of_the_sun_alone():
    sun = base_light()[0]
    project = _project(sun, SPOT)
    screened = with_way(project, sun, "screen", (), 2.0)
    assert screened.screen_shafts.on
    assert screened.screen_shafts.strength == pytest.approx(2.0 * project.screen_shafts.strength)
    assert screened.source(sun.id).in_air == 0.0
    assert screened.source("spot").in_air == 1.0
    assert not without_shafts(screened, sun).screen_shafts.on


def test_what_cannot_be_says_why():
    point = PointSource(id="p", name="Point")
    assert "spots and panels" in why_not(_project(point), point, "card", ())
    assert "opening" in why_not(_project(*base_light()), base_light()[0], "card", ())
    assert why_not(_project(SPOT), SPOT, "card", (CARD,)) == ""


def test_a_gain_stays_within_what_a_card_may_have():
    huge = with_way(_project(SPOT), SPOT, "card", (CARD,), 1e9)
    assert cards_of_source(huge, "spot")[0].gain == 100.0


def test_light_is_read_off_a_developed_picture():
    rng = np.random.default_rng(3)
    light = rng.uniform(0.02, 3.0, (54, 96, 1)).repeat(3, axis=2)
    look = ResolvedLook(2.0)
    scale = 1.0 / (1.2 * 2.0**2.0)
    eight = np.round(srgb_encode(DEFAULT_CURVE(light * scale)) * 255.0).astype(np.uint8)
    assert read_off(eight, look) == pytest.approx(light[..., 0].ravel(), rel=0.05, abs=0.01)
    assert apart(read_off(eight, look), light[..., 0].ravel()) < 0.01


def test_ways_end_where_surfaces_are():
    subject = _subject(_project(SPOT), SPOT)
    ways = looked_along(subject.rays, CAMERA)
    down = np.argmin(ways.directions[:, 1])
    assert ways.at(ways.lengths)[down, 1] == pytest.approx(0.0, abs=1e-3)
