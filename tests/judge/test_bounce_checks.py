"""Findings about light from surfaces, each on a level that has what it looks for and on one that has not."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import field_of, grey_level
from set_lights import plain_sky, set_sun

from wallum.document.project import Project
from wallum.judge.bounce_checks import leaks, places_without, within_bodies
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.transport.field.bounce import BounceField
from wallum.transport.scene.surfaces import seen_surfaces

INSIDE = Camera((0.6, 1.5, 4.4), (0.45, -0.15, -0.88), 60.0, 1.6, far=60.0)
NOON = Project(
    sources=(
        set_sun(azimuth=170.0, elevation=60.0, illuminance=100_000.0, disc=0.5, kelvin=5800.0),
        plain_sky(),
    )
)


def closed_room(crack=0.0):
    """A room on open ground; where asked, its roof ends a little before one wall."""
    w, (x, y, z) = 0.2, (4.0, 3.0, 5.0)
    return grey_level(
        box((-12.0, -1.0, -12.0), (16.0, 0.0, 17.0), 0),
        box((-w, y, -w), (x + w - crack - (w if crack else 0.0), y + w, z + w), 0),
        box((-w, 0.0, -w), (0.0, y, z + w), 0),
        box((x, 0.0, -w), (x + w, y, z + w), 0),
        box((0.0, 0.0, -w), (x, y, 0.0), 0),
        box((0.0, 0.0, z), (x, y, z + w), 0),
    )


def lit(level):
    rays, built = field_of(level)
    bounce, scene = BounceField.of(rays, level, built, {}), evaluate(NOON)
    for _ in bounce.relight(scene):
        pass
    return rays, bounce, scene


@pytest.fixture(scope="module")
def tight():
    level = closed_room()
    return (level, *lit(level))


def test_a_tight_room_leaks_not(tight):
    _, _, bounce, scene = tight
    assert not list(leaks([(bounce, scene)]))


def test_a_crack_in_the_roof_is_found_at_its_place():
    level = closed_room(0.02)
    _, bounce, scene = lit(level)
    (result,) = leaks([(bounce, scene)])
    assert result.kind == "leak"
    x, y, z = map(float, result.where.split(","))
    assert 2.5 < x < 4.3
    assert -0.3 < y < 3.3
    assert 0.0 < z < 5.0
    assert "gap of about 0." in result.text


def test_an_open_room_is_no_leak():
    level = closed_room(1.5)
    _, bounce, scene = lit(level)
    assert not list(leaks([(bounce, scene)]))


def test_surfaces_without_probes_are_found(tight):
    level, rays, bounce, _ = tight
    seen = seen_surfaces(rays, level, INSIDE, (64, 40))
    assert not list(places_without([("room", seen)], bounce.made))
    probes = bounce.made.probes
    gone = replace(bounce.made, probes=replace(probes, cells=np.zeros_like(probes.cells)))
    (result,) = places_without([("room", seen)], gone)
    assert result.where == "room"
    assert "100%" in result.text


def test_probes_inside_bodies_are_found(tight):
    level, rays, bounce, _ = tight
    seen = seen_surfaces(rays, level, INSIDE, (64, 40))
    assert not list(within_bodies(bounce, [("room", seen)]))
    probes = bounce.made.probes
    sunk = replace(probes, samples=probes.samples - probes.faces * 0.1)
    (result,) = within_bodies(replace(bounce, made=replace(bounce.made, probes=sunk)), [("room", seen)])
    assert result.kind == "probe inside a solid"
    assert result.where == "room"
