"""Gaps that near surfaces darken for light from all around, against the closed form of a corner."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import grey_level
from set_lights import plain_sky

from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import PointSource
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest

SIZE = (240, 160)
REACH = 1.0
# From above a floor that meets a wall at x = 0.
CAMERA = Camera((2.2, 2.6, 0.0), (-0.55, -0.83, 0.0), 60.0, SIZE[0] / SIZE[1], far=60.0)


@pytest.fixture(scope="module")
def corner():
    return grey_level(
        box((-0.5, -0.5, -20.0), (20.0, 0.0, 20.0), 0), box((-0.5, 0.0, -20.0), (0.0, 8.0, 20.0), 0)
    )


def scene(lamps=(), **look):
    sources = (plain_sky(), *lamps)
    return evaluate(
        Project(sources=sources, look=Look(ev100=10.0, gaps_reach=REACH, gaps_behind=5.0, **look))
    )


def drawn(renderer, level, lit, detail="full", active=frozenset(), settled=False):
    renderer.set_level(bundle_level(level))
    request = PictureRequest(1, lit, CAMERA, SIZE, detail=detail, active=active)
    for _ in renderer.draw(request):
        pass
    if settled:
        renderer.settle(request, 4)
    return renderer.luminance(request, settled).astype(float)


def floor_by_distance(picture):
    """Pixels of the floor before the wall: their distance from it [m], and their luminance."""
    rows, columns = picture.shape[:2]
    y, x = np.mgrid[0:rows, 0:columns]
    rays = CAMERA.rays((x.ravel() + 0.5) / columns, (y.ravel() + 0.5) / rows)
    t = -CAMERA.eye[1] / np.where(rays[:, 1] < 0.0, rays[:, 1], np.nan)
    place = np.array(CAMERA.eye) + rays * t[:, None]
    on = (place[:, 0] > 0.01) & (np.abs(place[:, 2]) < 1.5)
    return place[on, 0], luminance(picture).reshape(-1)[on]


def left_beside_a_wall(distance):
    """What of even light a floor has at a distance from a wall without end, of which only what lies within
    REACH counts: 1 - (phi - d2 tan phi) / pi, with d of it and phi = acos d."""
    d = np.clip(distance / REACH, 0.0, 1.0)
    phi = np.arccos(d)
    return 1.0 - (phi - d * d * np.tan(phi)) / np.pi


@pytest.mark.parametrize(("settled", "off"), [(True, 0.04), (False, 0.07)])
def test_a_floor_beside_a_wall_is_its_closed_form(renderer, corner, settled, off):
    distance, plain = floor_by_distance(drawn(renderer, corner, scene(), settled=settled))
    _, darker = floor_by_distance(drawn(renderer, corner, scene(gaps=1.0), settled=settled))
    ratio = darker / plain
    for near, far in ((0.05, 0.15), (0.2, 0.3), (0.4, 0.6), (0.7, 0.9)):
        band = (distance > near) & (distance < far)
        assert ratio[band].mean() == pytest.approx(left_beside_a_wall(distance[band]).mean(), abs=off)
    away = distance > 1.1 * REACH
    assert away.any()
    assert ratio[away] == pytest.approx(1.0, abs=0.01)


def test_strength_is_a_share_and_none_changes_nothing(renderer, corner):
    plain = drawn(renderer, corner, scene())
    whole = drawn(renderer, corner, scene(gaps=1.0))
    half = drawn(renderer, corner, scene(gaps=0.5))
    assert np.abs(half - 0.5 * (plain + whole)).max() < 0.01 * plain.max()
    # Taken off again: the picture is what it was, bit for bit.
    renderer.set_level(bundle_level(corner))
    pictures = []
    for lit in (scene(), scene(gaps=1.0), scene()):
        request = PictureRequest(1, lit, CAMERA, SIZE)
        for _ in renderer.draw(request):
            pass
        pictures.append(renderer.luminance(request, False))
    assert np.array_equal(pictures[0], pictures[2])
    assert not np.array_equal(pictures[0], pictures[1])


def test_light_straight_from_a_lamp_is_left_alone_unless_the_fake_is_asked_for(renderer, corner):
    lamp = PointSource(id="lamp", name="Lamp", position=(2.0, 2.0, 0.0), intensity=2000.0, radius=0.02)

    def alone(**look):
        return replace(scene((lamp,), **look), sky=None)

    plain, true = drawn(renderer, corner, alone()), drawn(renderer, corner, alone(gaps=1.0))
    assert np.array_equal(plain, true)
    fake = drawn(renderer, corner, alone(gaps=1.0, gaps_direct=1.0))
    distance, before = floor_by_distance(plain)
    _, after = floor_by_distance(fake)
    beside = (distance > 0.2) & (distance < 0.3)
    assert (after / before)[beside].mean() == pytest.approx(left_beside_a_wall(0.25), abs=0.04)
    current = drawn(renderer, corner, alone(gaps=1.0, gaps_direct=1.0), active=frozenset({"lamp"}))
    assert current == pytest.approx(fake, rel=5e-3, abs=1e-3)


def test_while_moving_it_is_found_about_the_same(renderer, corner):
    curves, seen = [], np.ones(10, bool)
    for detail in ("full", "reduced"):
        distance, plain = floor_by_distance(drawn(renderer, corner, scene(), detail=detail))
        _, darker = floor_by_distance(drawn(renderer, corner, scene(gaps=1.0), detail=detail))
        band = np.digitize(distance, np.arange(0.1, 1.0, 0.1))
        count = np.bincount(band, minlength=10)
        curves.append(np.bincount(band, darker / plain, 10) / np.maximum(count, 1))
        seen &= count > 0
    # A slow machine draws the moving picture so small that a band may have no pixel.
    assert seen.sum() > 5
    assert curves[1][seen] == pytest.approx(curves[0][seen], abs=0.04)


def test_what_stands_far_before_a_surface_casts_no_rim(renderer):
    """A board that hangs 1 m over a floor, seen from above: thicker than `behind`, it darkens nothing."""
    level = grey_level(
        box((-5.0, -0.5, -5.0), (5.0, 0.0, 5.0), 0), box((0.8, 0.95, -1.0), (1.4, 1.0, 1.0), 0)
    )
    lit = scene(gaps=1.0)
    assert lit.gaps is not None
    thin = replace(lit, gaps=replace(lit.gaps, reach_m=3.0, behind_m=0.2))
    thick = replace(lit, gaps=replace(thin.gaps, behind_m=5.0))
    plain = drawn(renderer, level, scene(), settled=True)
    rim, dark = (np.abs(drawn(renderer, level, item, settled=True) / plain - 1.0) for item in (thin, thick))
    assert np.median(rim) < 0.01
    assert dark.max() > 0.3
    assert rim.mean() < 0.3 * dark.mean()
