"""Zones: how far they count, who has the last word, and that a walk through them has no jump."""

from dataclasses import replace

import numpy as np
import pytest

from wallum.document.air import Air
from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import ZoneSource
from wallum.document.storage import load, save
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import own_moment
from wallum.moment.picture_scene import picture_scene
from wallum.moment.zones import in_force, share_of, zoned
from wallum.physics.colour import luminance


def zone(**more):
    values = {"id": "z", "name": "Z", "position": (0.0, 1.0, 0.0), "size": (4.0, 2.0, 6.0), "blend": 2.0}
    return ZoneSource(**{**values, **more})


def project_with(*zones, **look):
    return Project(sources=(*base_light(), *zones), look=Look(**look), air=Air(on=True, visibility=400.0))


@pytest.mark.parametrize("shape", ["box", "ellipsoid"])
def test_it_is_whole_within_none_beyond_its_blend_and_even_between(shape):
    item = zone(shape=shape, turn=30.0)
    assert share_of(item, np.array([0.0, 1.0, 0.0])) == 1.0
    direction = np.array([np.cos(np.radians(30.0)), 0.0, np.sin(np.radians(30.0))])
    along = np.array([0.0, 1.0, 0.0]) + np.linspace(0.0, 6.0, 601)[:, None] * direction
    share = share_of(item, along)
    assert (share[:199] == 1.0).all()
    assert (share[402:] == 0.0).all()
    assert share[300] == pytest.approx(0.5, abs=0.02)
    assert np.abs(np.diff(share)).max() < 0.02


def test_everywhere_counts_everywhere_and_one_that_is_off_nowhere():
    assert share_of(zone(shape="everywhere"), np.array([900.0, 0.0, 0.0])) == 1.0
    assert in_force((zone(on=False),), np.zeros(3)) == ()


def test_the_higher_rank_has_the_last_word():
    low = zone(id="a", name="A", rank=1.0, exposure=1.0, with_grade=True, saturation=0.2)
    high = zone(id="b", name="B", rank=2.0, exposure=-2.0, with_grade=True, saturation=1.8)
    for order in ((low, high), (high, low)):
        now = zoned(project_with(*order, ev100=5.0), np.array([0.0, 1.0, 0.0]))
        assert now.look.saturation == pytest.approx(1.8)
        assert now.look.ev100 == pytest.approx(7.0)
    half = np.array([0.0, 3.0, 0.0])  # a metre over it, of two that it blends over
    assert share_of(high, half) == pytest.approx(0.5)
    assert zoned(project_with(low, high, ev100=5.0), half).look.saturation == pytest.approx(
        1.0 + (0.2 - 1.0) * 0.5 + (1.8 - 0.6) * 0.5, abs=1e-6
    )


def test_a_zone_has_a_say_in_what_it_is_given_alone():
    """The look has a grade that is off: in the zone its own is on, and comes up from none at all."""
    item = zone(with_grade=True, contrast=1.5, bloom=0.5)
    now = zoned(project_with(item, with_grade=False, contrast=3.0, vignette=1.0), np.array([0.0, 3.0, 0.0]))
    assert now.look.with_grade
    assert now.look.contrast == pytest.approx(1.25)
    assert (now.look.bloom, now.look.vignette) == (0.0, 1.0)


def test_air_and_sky_are_stronger_seen_from_in_it():
    project = project_with(zone(air=1.0, sky=-2.0))
    inside, outside = (evaluate(project, None, eye) for eye in ((0.0, 1.0, 0.0), (50.0, 1.0, 0.0)))
    assert inside.air.layers[0].extinction == pytest.approx(2.0 * outside.air.layers[0].extinction)
    clear = project.revised(air=Air(on=False))
    up = np.array([[0.0, 1.0, 0.0]])
    skies = [evaluate(clear, None, eye).sky for eye in ((0.0, 1.0, 0.0), (50.0, 1.0, 0.0))]
    sky_in, sky_out = (float(luminance(sky.seen(up)[0])) for sky in skies)
    assert sky_in == pytest.approx(sky_out / 4.0, rel=0.01)


def test_a_walk_through_zones_has_no_jump():
    zones = (
        zone(id="a", name="A", exposure=2.0, air=1.0, with_white=True, neutral_kelvin=3000.0),
        zone(id="b", name="B", rank=3.0, position=(5.0, 1.0, 0.0), shape="ellipsoid", exposure=-1.0),
        zone(id="c", name="C", rank=2.0, shape="everywhere", with_bloom=True, bloom=0.3),
    )
    project = project_with(*zones)
    seen = []
    for x in np.linspace(-8.0, 12.0, 401):
        camera = Camera((float(x), 1.2, 0.3), (0.0, 0.0, -1.0))
        look = picture_scene(project, own_moment(project), camera, (64, 36)).look
        seen.append((look.ev100, np.log2((look.white or (6500.0, 0.0))[0]), look.bloom.amount * 10.0))
    steps = np.abs(np.diff(np.array(seen), axis=0))
    assert steps.max() < 0.12
    exposure, white, bloom = np.array(seen).T
    assert np.ptp(exposure) > 2.5
    assert np.ptp(white) > 1.0
    assert bloom == pytest.approx(3.0)  # of the zone that is everywhere


def test_without_zones_a_camera_changes_nothing():
    project = project_with()
    assert zoned(project, np.zeros(3)) is project
    assert replace(evaluate(project), lamps=None, air=None, sky=None, sun=None) == replace(
        evaluate(project, None, (3.0, 1.0, 2.0)), lamps=None, air=None, sky=None, sun=None
    )


def test_zones_are_kept_in_the_file_and_bad_ones_are_refused(tmp_path):
    file = tmp_path / "z.wallum"
    project = project_with(zone(with_ranges=True, shadows_slope=(0.5, 1.0, 1.5), exposure=-1.0))
    save(project, file)
    assert load(file).source("z") == project.source("z")
    for bad, word in (
        ({"size": (0.0, 1.0, 1.0)}, "side"),
        ({"power": (0.0, 1.0, 1.0)}, "power"),
        ({"rank": -1.0}, "rank"),
    ):
        with pytest.raises(ValueError, match=word):
            zone(**bad)
