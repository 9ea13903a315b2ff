import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from set_lights import set_base

from wallum.document.paths import put
from wallum.document.project import Project
from wallum.document.sources import PointSource, SpotSource
from wallum.moment.camera import Camera, frustum_planes, look_rotation
from wallum.moment.evaluate import direction_to, evaluate
from wallum.moment.lamps import Lamps
from wallum.moment.resolved_colour import shown_colour
from wallum.moment.view import bounding_spheres, in_view
from wallum.physics.colour import luminance

angle = st.floats(-3.1, 3.1)


@pytest.fixture
def project():
    lamps = (PointSource(id="p", name="P", intensity=50.0), SpotSource(id="s", name="S", range=4.0))
    return Project(sources=(*set_base(), *lamps))


def test_the_same_project_gives_the_same_scene(project):
    item, two = evaluate(project), evaluate(Project.model_validate(project.model_dump()))
    assert np.array_equal(item.lamps.rows, two.lamps.rows)
    assert item.sky.key == two.sky.key
    assert np.array_equal(item.sun.illuminance, two.sun.illuminance)


def test_what_is_off_or_has_no_strength_is_not_there(project):
    dark = put(put(put(project, "sources/p/on", False), "sources/s/intensity", 0.0), "sources/sun/on", False)
    scene = evaluate(put(dark, "sources/sky/on", False))
    assert scene.lamps.ids == ()
    assert scene.sun is None
    assert scene.sky is None


def test_a_sun_below_the_horizon_gives_nothing(project):
    assert evaluate(put(project, "sources/sun/elevation", -0.1)).sun is None


def test_intensity_by_channel_has_the_stated_candela(project):
    scene = evaluate(project)
    assert luminance(scene.lamps.rows["emission"][0]) == pytest.approx(50.0, rel=1e-6)


def test_the_sun_stands_where_it_is_put():
    # Azimuth clockwise from north (-Z), +X east, +Y up.
    assert direction_to(0, 0) == pytest.approx([0, 0, -1])
    assert direction_to(90, 0) == pytest.approx([1, 0, 0])
    assert direction_to(180, 45) == pytest.approx([0, 0.5**0.5, 0.5**0.5])


def test_a_scene_without_some_sources(project):
    rest = evaluate(project).without(frozenset({"p", "sun"}))
    assert rest.lamps.ids == ("s",)
    assert rest.sun is None
    assert rest.sky is not None


@given(angle, angle)
def test_a_look_rotation_is_a_rotation(azimuth, elevation):
    direction = np.array(
        [np.cos(elevation) * np.sin(azimuth), np.sin(elevation), -np.cos(elevation) * np.cos(azimuth)]
    )
    rows = look_rotation(direction)
    assert rows @ rows.T == pytest.approx(np.eye(3), abs=1e-9)
    assert np.linalg.det(rows) == pytest.approx(1.0)
    assert rows[2] == pytest.approx(-direction)


def test_straight_up_and_down_can_be_looked_at():
    for direction in ((0.0, 1.0, 0.0), (0.0, -1.0, 0.0)):
        assert np.isfinite(look_rotation(np.array(direction))).all()


@given(st.floats(0.02, 0.98), st.floats(0.02, 0.98), st.floats(0.5, 50.0))
def test_a_ray_goes_through_the_place_it_was_made_for(x, y, distance):
    camera = Camera((1.0, 2.0, 3.0), (0.6, 0.0, -0.8), 40.0, 1.5)
    ray = camera.rays(np.array([x]), np.array([y]))
    place = camera.place_in_picture(np.array(camera.eye) + ray * distance)[0]
    assert place[:2] == pytest.approx([x, y], abs=1e-9)


def test_projection_and_place_agree():
    camera = Camera((1.0, 2.0, 3.0), (0.6, 0.0, -0.8), 40.0, 1.5)
    point = np.array([4.0, 2.5, -3.0, 1.0])
    clip = camera.projection() @ camera.view() @ point
    x, y, depth = camera.place_in_picture(point[None, :3])[0]
    assert clip[:2] / clip[3] == pytest.approx([2 * x - 1, 1 - 2 * y])
    assert clip[3] == pytest.approx(depth)


def test_points_in_the_picture_are_inside_its_planes(rng):
    camera = Camera((1.0, 2.0, 3.0), (0.6, 0.0, -0.8), 40.0, 1.5, far=40.0)
    planes = frustum_planes(camera.projection() @ camera.view())
    points = rng.uniform(-30, 30, (4000, 3))
    place = camera.place_in_picture(points)
    seen = (
        ((place[:, :2] > 0) & (place[:, :2] < 1)).all(axis=1)
        & (place[:, 2] > camera.near)
        & (place[:, 2] < 40.0)
    )
    inside = (points @ planes[:, :3].T + planes[:, 3] >= 0).all(axis=1)
    assert np.array_equal(seen, inside)


@given(st.floats(5.0, 89.0), st.floats(0.5, 20.0))
def test_a_spots_sphere_holds_all_of_its_light(outer, reach):
    lamp = SpotSource(id="s", name="S", inner=1.0, outer=outer, range=reach, direction=(0.0, 0.0, -1.0))
    lamps = evaluate(Project(sources=(lamp,))).lamps
    centre, radius = bounding_spheres(lamps)
    polar = np.radians(np.linspace(0.0, outer, 40))
    for distance in (0.0, 0.5 * reach, reach):
        points = np.array(lamp.position) + distance * np.stack(
            [np.sin(polar), 0 * polar, -np.cos(polar)], axis=1
        )
        assert np.linalg.norm(points - centre[0], axis=1).max() <= radius[0] * 1.0001 + 1e-6


def test_lamps_behind_the_camera_are_left_out():
    ahead = PointSource(id="a", name="A", position=(0, 0, -5), range=2.0)
    behind = PointSource(id="b", name="B", position=(0, 0, 5), range=2.0)
    endless = PointSource(id="c", name="C", position=(0, 0, 5))
    lamps = evaluate(Project(sources=(ahead, behind, endless))).lamps
    seen = in_view(lamps, Camera((0, 0, 0), (0, 0, -1)))
    assert seen.tolist() == [True, False, True]
    assert in_view(Lamps((), lamps.rows[:0]), Camera((0, 0, 0), (0, 0, -1))).shape == (0,)


def test_a_warm_lamp_is_shown_warm():
    red, green, blue = shown_colour(PointSource(id="p", name="P", kelvin=2200.0))
    assert red == 255
    assert red > green > blue
