import io

import numpy as np
import pytest
from PIL import Image
from set_lights import plain_sky, set_base

from wallum.document.project import Project
from wallum.document.sources import PointSource, SpotSource
from wallum.errors import ShapeProblem, ValueProblem
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part, Picture, TextureUse
from wallum.level.model.solids import box, grid
from wallum.moment.evaluate import evaluate
from wallum.transport.direct.meter import direct_illuminance
from wallum.transport.scene.rays import RayScene

UP = np.array([0.0, 1.0, 0.0])


@pytest.fixture(scope="module")
def rays(room):
    return RayScene(room, flatten(room))


def sheet_level(material, height=2.0, pictures=()):
    """A level sheet of 4 m, 2 m up, over nothing."""
    x, z = np.meshgrid([-2.0, 2.0], [-2.0, 2.0])
    mesh = Mesh("sheet", (grid(np.stack([x, 0 * x + height, z], axis=-1)[::-1], 0),))
    return Level("sheet", (mesh,), (Part("sheet", "sheet", 0, np.eye(4)),), (material,), pictures)


def lamp_reading(rays, lamp, at, facing=UP, samples=64):
    return direct_illuminance(rays, evaluate(Project(sources=(lamp,))), np.array(at), facing, samples)


def test_a_point_lights_the_floor_as_the_square_and_cosine_say(rays, rng):
    lamp = PointSource(id="l", name="L", position=(-1.0, 2.6, 0.5), intensity=100.0, shadow=True, radius=0.0)
    for x, z in rng.uniform([-2.9, 0.5], [0.0, 3.9], (20, 2)):
        to_lamp = np.array(lamp.position) - [x, 0.001, z]
        exact = 100.0 * to_lamp[1] / np.linalg.norm(to_lamp) ** 3
        assert lamp_reading(rays, lamp, (x, 0.0, z)).direct_lx == pytest.approx(exact, rel=2e-3)


def test_a_spot_lights_within_its_cone_only(rays):
    lamp = SpotSource(
        id="l", name="L", position=(-1.0, 3.0, 0.0), intensity=900.0, inner=10.0, outer=20.0, radius=0.0
    )
    assert lamp_reading(rays, lamp, (-1.0, 0.0, 0.0)).direct_lx == pytest.approx(100.0, rel=2e-3)
    aside = 3.0 * np.tan(np.radians(15.0))
    ramp = (np.cos(np.radians(15)) - np.cos(np.radians(20))) / (
        np.cos(np.radians(10)) - np.cos(np.radians(20))
    )
    exact = 900.0 * ramp**2 * np.cos(np.radians(15)) ** 3 / 9.0
    assert lamp_reading(rays, lamp, (-1.0 + aside, 0.0, 0.0)).direct_lx == pytest.approx(exact, rel=5e-3)
    assert lamp_reading(rays, lamp, (-1.0 + 3.0 * np.tan(np.radians(21.0)), 0.0, 0.0)).direct_lx == 0.0


def test_the_block_casts_a_shadow_only_where_shadows_are_on(rays):
    lamp = PointSource(id="l", name="L", position=(-1.0, 0.5, -2.0), intensity=100.0, shadow=True, radius=0.0)
    behind = (2.5, 0.5, -2.0)
    facing = np.array([-1.0, 0.0, 0.0])
    assert lamp_reading(rays, lamp, behind, facing).direct_lx == 0.0
    bare = lamp_reading(rays, lamp.revised(shadow=False), behind, facing).direct_lx
    assert bare == pytest.approx(100.0 / 3.5**2, rel=2e-3)


def test_a_ball_half_hidden_by_an_edge_gives_half(rays):
    """The straight line from the point over the block's top edge meets the lamp's middle."""
    lamp = PointSource(id="l", name="L", position=(0.0, 2.0, -2.0), intensity=100.0, shadow=True, radius=0.2)
    # From (2.5, y) over the edge (2, 1) to (0, 2): slope -0.5, so y = 0.75.
    at, facing = (2.5, 0.75, -2.0), np.array([-1.0, 0.0, 0.0])
    reading = lamp_reading(rays, lamp, at, facing, samples=20_000)
    bare = lamp_reading(rays, lamp.revised(shadow=False), at, facing).direct_lx
    assert reading.direct_lx / bare == pytest.approx(0.5, abs=0.02)
    assert 0.0 < reading.standard_error_lx < 0.02 * bare


def test_the_closed_room_keeps_sun_and_sky_out_and_the_open_plain_does_not(rays):
    project = Project(sources=set_base())
    inside = direct_illuminance(rays, evaluate(project), np.array([0.0, 0.0, 0.0]), UP, 64)
    assert inside.by_source == {"sun": 0.0, "sky": 0.0}
    plain = sheet_level(Material(metallic=0.0))
    open_rays = RayScene(plain, flatten(plain))
    outside = direct_illuminance(open_rays, evaluate(project), np.array([0.0, 2.0, 0.0]), UP, 4096)
    sun = project.sources[0]
    assert outside.by_source["sun"] == pytest.approx(
        sun.illuminance * np.sin(np.radians(sun.elevation)), rel=1e-3
    )
    assert outside.by_source["sky"] == pytest.approx(project.sources[1].illuminance, rel=0.03)


def test_half_of_an_even_sky_is_left_beside_an_endless_wall():
    wall = Mesh("wall", (box((1.0, -500.0, -500.0), (1.1, 500.0, 500.0), 0),))
    level = Level("wall", (wall,), (Part("w", "w", 0, np.eye(4)),), (Material(),))
    sky = plain_sky(ground=0.0)
    scene = evaluate(Project(sources=(sky,)))
    reading = direct_illuminance(
        RayScene(level, flatten(level)), scene, np.array([0.999, 0.0, 0.0]), UP, 8192
    )
    assert reading.direct_lx == pytest.approx(0.5 * sky.illuminance, rel=0.04)


def holed(share):
    """A picture whose left part (of u) is solid and whose right part is a hole."""
    pixels = np.zeros((16, 16, 4), np.uint8)
    pixels[:, : round(16 * share), 3] = 255
    stream = io.BytesIO()
    Image.fromarray(pixels).save(stream, "PNG")
    return Picture("leaf", "image/png", stream.getvalue())


def test_light_falls_through_the_holes_of_a_masked_surface():
    leaf = Material(alpha="mask", textures={"base": TextureUse(0)})
    level = sheet_level(leaf, pictures=(holed(0.5),))
    rays = RayScene(level, flatten(level))
    lamp = PointSource(id="l", name="L", position=(0.0, 4.0, 0.0), shadow=True, radius=0.0, intensity=100.0)
    assert lamp_reading(rays, lamp, (-1.0, 0.0, 0.0)).direct_lx == 0.0
    assert lamp_reading(rays, lamp, (1.0, 0.0, 0.0)).direct_lx > 1.0


@pytest.mark.parametrize("alpha", [0.0, 0.25, 0.5, 1.0])
def test_light_comes_through_what_is_seen_through_by_what_it_leaves(alpha):
    lamp = PointSource(id="l", name="L", position=(0.0, 4.0, 0.0), shadow=True, radius=0.0)
    open_level = sheet_level(Material(alpha="mask", base=(1.0, 1.0, 1.0, 0.0)))
    free = lamp_reading(RayScene(open_level, flatten(open_level)), lamp, (0.3, 0.0, 0.0)).direct_lx
    level = sheet_level(Material(alpha="blend", base=(1.0, 1.0, 1.0, alpha)))
    rays = RayScene(level, flatten(level))
    assert free > 1.0
    assert lamp_reading(rays, lamp, (0.3, 0.0, 0.0)).direct_lx == pytest.approx(
        (1.0 - alpha) * free, rel=1e-5
    )
    hits = rays.first_hit(np.array([[0.0, 4.0, 0.0]]), np.array([[0.0, -1.0, 0.0]]))
    assert hits.distance == pytest.approx([2.0])


def test_first_hits_name_their_triangle_and_face(rays, room):
    origins = np.array([[0.0, 1.5, 0.0], [1.5, 2.0, -2.0], [0.0, 1.5, 0.0]])
    directions = np.array([[0.0, -1.0, 0.0], [0.0, -1.0, 0.0], [0.0, 0.0, 1.0]])
    hits = rays.first_hit(origins, directions)
    assert hits.distance == pytest.approx([1.5, 1.0, 4.0], rel=1e-5)
    assert [room.parts[rays.triangles.part[t]].id for t in hits.triangle] == ["room", "block", "room"]
    assert rays.normals(hits) == pytest.approx(np.array([[0, 1, 0], [0, 1, 0], [0, 0, -1]]))


def test_backs_are_seen_through_as_in_the_picture(rays):
    """From outside the room one looks through its walls at what faces the eye."""
    origin, direction = np.array([[0.0, 1.5, 9.0]]), np.array([[0.0, 0.0, -1.0]])
    assert rays.first_hit(origin, direction).distance == pytest.approx([5.0])
    hits = rays.first_visible(origin, direction)
    assert hits.distance == pytest.approx([13.0], abs=1e-3)
    assert rays.normals(hits)[0] == pytest.approx([0, 0, 1])
    assert np.isinf(rays.first_visible(np.array([[0.0, 1.5, 9.0]]), -direction).distance).all()


def test_rays_in_an_empty_level_go_on():
    level = Level("empty", materials=(Material(),))
    rays = RayScene(level, flatten(level))
    assert not rays.blocked(np.zeros((2, 3)), np.tile(UP, (2, 1)), np.full(2, np.inf)).any()
    assert np.isinf(rays.first_hit(np.zeros((1, 3)), UP[None]).distance).all()


def test_many_rays_on_several_threads_agree_with_few(rays, rng):
    count = 20_000
    directions = rng.normal(size=(count, 3))
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    origins = np.tile([0.0, 1.5, 0.0], (count, 1))
    together = rays.first_hit(origins, directions).distance
    apart = np.concatenate(
        [rays.first_hit(origins[i : i + 500], directions[i : i + 500]).distance for i in range(0, count, 500)]
    )
    assert np.array_equal(together, apart)


@pytest.mark.parametrize(
    ("at", "facing", "samples", "error"),
    [
        ((0, 0), UP, 1, ShapeProblem),
        ((0, 0, 0), (0, 0, 0), 1, ValueProblem),
        ((0, 0, 0), UP, 0, ValueProblem),
        ((np.nan, 0, 0), UP, 1, ShapeProblem),
    ],
)
def test_bad_questions_are_refused(rays, at, facing, samples, error):
    with pytest.raises(error):
        direct_illuminance(rays, evaluate(Project()), np.array(at, float), np.array(facing, float), samples)


@pytest.mark.parametrize("degrees", [0.0, 60.0, 85.0, 89.0, 89.9])
def test_at_a_grazing_angle_the_reading_is_that_at_the_place_itself(degrees):
    """E = I cos / d2, to 1e-4: rays begin a little off the surface, the light does not."""
    level = Level("bare", materials=(Material(),))
    rays = RayScene(level, flatten(level))
    angle = np.radians(degrees)
    lamp = PointSource(
        id="l",
        name="L",
        position=(float(np.sin(angle)), float(np.cos(angle)), 0.0),
        intensity=100.0,
        radius=0.0,
    )
    scene = evaluate(Project(sources=(lamp,)))
    lx = direct_illuminance(rays, scene, np.zeros(3), np.array([0.0, 1.0, 0.0]), 1).direct_lx
    assert lx == pytest.approx(100.0 * np.cos(angle), rel=1e-4)
