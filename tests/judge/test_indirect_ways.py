"""The ways of showing light from all around: closed forms, their price, and how far they are said to be off."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import field_of, plain_ground

from wallum.document.indirect import at_most, with_indirect
from wallum.document.look import INDIRECT, Look
from wallum.document.project import Project, base_light
from wallum.frame.pass_work import Boxes
from wallum.judge.device import load_profile
from wallum.judge.indirect_methods import DRAWN, Surroundings, bare, of_ways, stops_off, surface_truth
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.physics.dome import irradiance
from wallum.realtime.level.bundling import bundle_level, chunk_boxes
from wallum.realtime.process.request import PictureRequest
from wallum.transport.scene.surfaces import seen_surfaces

NOON = Moment(12.0)
DOWN = Camera((0.0, 3.0, 0.0), (0.0, -1.0, 0.01), 40.0, DRAWN[0] / DRAWN[1], far=50.0)
SKY = next(item for item in base_light() if item.kind == "sky")


def _project(way, *sources, share=1.0):
    look = Look(ev100=13.0, indirect=way, flat_share=share)
    return Project(sources=sources or (SKY,), look=look)


def _drawn(renderer, project, active=frozenset(), camera=DOWN):
    request = PictureRequest(1, bare(evaluate(project, NOON)), camera, DRAWN, active=active)
    for _ in renderer.draw(request):
        pass
    return luminance(renderer.luminance(request, False).astype(float))


@pytest.fixture
def ground(renderer):
    renderer.set_level(bundle_level(plain_ground()))
    return renderer


def test_flat_light_of_share_1_lies_on_open_ground_as_the_sky_does(ground):
    """Lambert: rough grey sends back albedo over pi of it; the gloss a little more or less."""
    scene = evaluate(_project("flat"), NOON)
    up = luminance(irradiance(scene.sky.terms, np.array([[0.0, 1.0, 0.0]])))[0]
    flat = np.median(_drawn(ground, _project("flat")))
    assert flat == pytest.approx(0.5 / np.pi * up, rel=0.08)
    assert flat == pytest.approx(np.median(_drawn(ground, _project("sky alone"))), rel=0.04)
    assert np.median(_drawn(ground, _project("flat", share=0.25))) == pytest.approx(0.25 * flat, rel=0.01)


def test_with_none_only_what_comes_straight_is_there(ground):
    assert _drawn(ground, _project("none")).max() == 0.0
    sun = next(item for item in base_light() if item.kind == "sun")
    alone = _drawn(ground, _project("none", sun))
    both = _drawn(ground, _project("none", sun, SKY))
    # The sky takes nothing of the sun and adds nothing of its own.
    assert both == pytest.approx(alone, rel=1e-3)


def test_the_sky_under_the_hand_is_added_as_it_is_shown(ground):
    project = _project("flat", *base_light(), share=0.4)
    whole = _drawn(ground, project)
    for hand in ("sky", "sun"):
        drawn = _drawn(ground, project, frozenset({hand}))
        assert drawn == pytest.approx(whole, rel=0.01, abs=1e-3 * whole.max())


def test_how_far_a_picture_is_off_is_in_stops_at_the_median():
    picture = np.full((DRAWN[1], DRAWN[0]), 80.0)
    truth = np.full(48 * 27, 80.0)
    assert stops_off(picture, truth) == 0.0
    assert stops_off(2.0 * picture, truth) == pytest.approx(1.0)
    truth[:600] = 0.0  # no surface there
    assert stops_off(picture / 4.0, truth) == pytest.approx(2.0)
    assert stops_off(picture, np.zeros(48 * 27)) == 0.0


def test_ways_come_with_their_price_and_the_truest_is_nearest_to_paths(ground):
    level = plain_ground()
    rays, built = field_of(level)
    project = _project("none", *base_light())
    boxes = Boxes(*chunk_boxes(level, rays.triangles))
    seen = seen_surfaces(rays, level, DOWN, (64, 36))
    profile = load_profile(project.target.profile)
    about = Surroundings(project, NOON, level, rays, DOWN, boxes, seen, profile, built, None)
    ways = list(of_ways(about))
    assert [way.way for way in ways] == [item for item in INDIRECT if item != "lightmaps"], "nothing is baked"
    assert ways[0].ms > ways[1].ms > ways[2].ms == ways[3].ms == 0.0
    assert ways[0].megabytes > 0.0 == ways[2].megabytes
    assert project.look.indirect == "none", "what is compared stays as it is"
    truth = surface_truth(about)
    off = {way.way: stops_off(_drawn(ground, way.project), truth) for way in ways}
    assert off["sky alone"] < 0.1
    assert off["none"] > off["sky alone"]


def test_a_tier_shows_no_truer_way_than_it_can():
    project = Project(sources=())
    assert at_most(project, "flat").look.indirect == "flat"
    assert at_most(with_indirect(project, "none"), "sky alone").look.indirect == "none"
    assert at_most(project, "probes") == project


def test_of_flat_light_nothing_is_left_without_the_sky():
    scene = evaluate(_project("flat", *base_light()), NOON)
    assert scene.flat is not None
    assert scene.without(frozenset({"sky"})).flat is None
    assert replace(scene, flat=None).open_sky is False
