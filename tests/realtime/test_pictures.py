"""Pictures of the engine in this process, held against closed forms and the NumPy twins."""

import io
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image
from set_lights import plain_sky, set_base, set_sun

from wallum.document.paths import put
from wallum.document.project import Project
from wallum.document.sources import PointSource, SpotSource
from wallum.image.develop import develop
from wallum.level.demos.pale_room import REFLECTANCE, pale_room_project
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part, Picture, TextureUse
from wallum.level.model.solids import box, grid, revolve
from wallum.moment.camera import Camera
from wallum.moment.evaluate import direction_to, evaluate
from wallum.moment.resolved_look import Lens, ResolvedLook
from wallum.physics.arrays import normalised
from wallum.physics.colour import luminance
from wallum.physics.photometry import cone_falloff, punctual_illuminance
from wallum.physics.surface import response
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.offline import render_picture
from wallum.realtime.process.request import PictureRequest
from wallum.transport.scene.rays import RayScene

SIZE = (192, 108)
LONG = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 16 / 9, far=50.0)
POINT = PointSource(
    id="p", name="P", position=(-1.2, 2.5, 0.4), intensity=90.0, shadow=True, radius=0.02, colour_by="colour"
)
SPOT = SpotSource(
    id="s",
    name="S",
    position=(0.0, 2.7, -0.6),
    direction=(1.5, -2.2, -1.4),
    intensity=420.0,
    inner=24.0,
    outer=30.0,
    shadow=True,
    radius=0.02,
    colour_by="colour",
)


def project_of(*sources, ev100=4.0):
    return Project(sources=sources).revised(look={"ev100": ev100})


@pytest.fixture
def in_room(renderer, room):
    renderer.set_level(bundle_level(room))

    def draw(project, camera=LONG, settle=False, size=SIZE):
        return render_picture(project, room, camera, size, settle, renderer)

    return draw


def draw_level(renderer, level, project, camera, settle=False, size=SIZE):
    renderer.set_level(bundle_level(level))
    return render_picture(project, level, camera, size, settle, renderer)


def seen_points(level, camera, size=SIZE):
    """(H W, 3) points, normals and directions to the eye of every pixel's middle."""
    columns, rows = (np.arange(n) + 0.5 for n in size)
    x, y = np.meshgrid(columns / size[0], rows / size[1])
    rays = RayScene(level, flatten(level))
    directions = camera.rays(x.ravel(), y.ravel())
    origins = np.tile(camera.eye, (len(directions), 1))
    hits = rays.first_hit(origins, directions)
    normals = rays.normals(hits)
    return rays, origins + directions * hits.distance[:, None], normals, -directions


def closed_form(level, camera, lamp, size=SIZE):
    """Luminance that one lamp gives each pixel, and where its body is seen wholly or not at all."""
    rays, points, normals, to_eye = seen_points(level, camera, size)
    to_lamp = np.array(lamp.position) - points
    distance = np.linalg.norm(to_lamp, axis=1)
    toward = to_lamp / distance[:, None]
    # Illuminance facing the lamp: the response has the cosine itself.
    lx = punctual_illuminance(to_lamp, toward, lamp.radius, lamp.range) * lamp.intensity
    if isinstance(lamp, SpotSource):
        inner, outer = np.cos(np.radians(lamp.inner)), np.cos(np.radians(lamp.outer))
        lx = lx * cone_falloff(-toward @ np.array(lamp.direction), inner, outer)
    grey, ones = np.full((len(points), 3), REFLECTANCE), np.ones(len(points))
    answer = response(grey, 0 * ones, ones, normals, to_eye, toward)[:, 1]
    start = points + normals * 1e-3
    reach = distance - 2e-3
    sharp = np.ones(len(points), bool)
    middle = ~rays.blocked(start, toward, reach)
    # Penumbra, and the pixels that a shadow map's texel or the picture's edge may cut, are left out.
    for offset in np.vstack([np.eye(3), -np.eye(3)]) * 0.06:
        moved = np.array(lamp.position) + offset - start
        length = np.linalg.norm(moved, axis=1)
        sharp &= ~rays.blocked(start, moved / length[:, None], length - 2e-3) == middle
    return lx * answer * middle, sharp


def inner_pixels(values, size=SIZE):
    """Pixels whose neighbours lie on the same face: no edge runs through them."""
    grid_of = values.reshape(size[1], size[0], -1)
    same = np.ones(grid_of.shape[:2], bool)
    for axis in (0, 1):
        for shift in (-1, 1):
            same &= np.isclose(np.roll(grid_of, shift, axis=axis), grid_of).all(axis=-1)
    return same.ravel()


@pytest.mark.parametrize("lamp", [POINT, SPOT], ids=["point", "spot"])
@pytest.mark.parametrize("settle", [False, True], ids=["as-delivered", "settled"])
def test_the_picture_agrees_with_the_closed_form(in_room, room, lamp, settle):
    size = (2 * SIZE[0], 2 * SIZE[1])
    picture = in_room(project_of(lamp), settle=settle, size=size)
    exact, sharp = closed_form(room, LONG, lamp, size)
    normals = seen_points(room, LONG, size)[2]
    # A pixel is a mean: where the closed form itself changes fast, its middle says little.
    across = exact.reshape(size[1], size[0])
    steep = np.maximum(*(np.abs(np.gradient(across, axis=axis)) for axis in (0, 1))).ravel() > 0.05 * exact
    used = sharp & inner_pixels(normals, size) & (exact > 0.01 * exact.max()) & ~steep
    error = np.abs(picture.luminance[..., 1].ravel()[used] / exact[used] - 1.0)
    assert used.sum() > (20_000 if lamp is POINT else 1_200)
    assert np.median(error) < 0.02
    assert np.percentile(error, 95) < 0.05


def test_shadows_fall_where_rays_say(in_room, room):
    picture = in_room(project_of(POINT))
    exact, sharp = closed_form(room, LONG, POINT)
    used = sharp & inner_pixels(seen_points(room, LONG)[2])
    dark = picture.luminance[..., 1].ravel() < 1e-3
    assert (dark[used] == (exact[used] < 1e-3)).mean() > 0.995


def test_light_of_two_lamps_is_the_sum_of_each(in_room):
    both, item, two = (in_room(project_of(*lamps)).luminance for lamps in ((POINT, SPOT), (POINT,), (SPOT,)))
    assert both == pytest.approx(item + two, rel=0.01, abs=1e-3)


def test_twice_the_candela_is_twice_the_light(in_room):
    item = in_room(project_of(POINT)).luminance
    two = in_room(project_of(POINT.revised(intensity=180.0))).luminance
    assert two == pytest.approx(2.0 * item, rel=2e-3, abs=1e-3)


def test_exposure_changes_the_picture_but_not_the_light(in_room):
    dark, bright = in_room(project_of(POINT, ev100=6.0)), in_room(project_of(POINT, ev100=3.0))
    assert dark.luminance == pytest.approx(bright.luminance, rel=5e-3, abs=2e-2)
    assert bright.rgb.mean() > 1.5 * dark.rgb.mean()


def test_the_same_question_gives_the_same_picture(in_room):
    project = pale_room_project()
    first = in_room(project, settle=True).rgb
    in_room(put(project, "sources/ceiling-lamp/intensity", 5.0))
    assert np.array_equal(in_room(project, settle=True).rgb, first)


def test_the_developed_picture_is_its_numpy_twins(in_room):
    picture = in_room(pale_room_project())
    twin = develop(picture.luminance, ResolvedLook(4.0))
    assert np.abs(picture.rgb.astype(int) - twin.astype(int)).max() <= 2
    assert (picture.rgb != twin).mean() < 0.1


@pytest.mark.parametrize("stops", [0.0, 1.5])
def test_a_vignette_is_in_both_developers_and_in_neither_light(in_room, stops):
    """Sampled where the picture is plain: the light of both is the same, what is shown falls off."""
    plain = in_room(pale_room_project())
    picture = in_room(put(pale_room_project(), "look/vignette", stops))
    assert np.array_equal(picture.luminance, plain.luminance)
    twin = develop(picture.luminance, ResolvedLook(4.0, lens=Lens(stops)))
    assert np.abs(picture.rgb.astype(int) - twin.astype(int)).max() <= 2
    corner = picture.rgb[:4, :4].mean() / plain.rgb[:4, :4].mean()
    assert (corner < 0.85) == (stops > 0.0)


def test_a_drags_picture_is_the_whole_pictures_twin(renderer, room):
    """What the additive cache shows equals the picture made from nothing."""
    renderer.set_level(bundle_level(room))
    project = project_of(POINT, SPOT, set_sun(illuminance=40.0))
    for active in ({"p"}, {"s"}, {"p", "s"}, {"sun"}):
        for step in range(3):
            moved = put(project, "sources/s/position", (0.1 * step, 2.7, -0.6))
            moved = put(moved, "sources/p/intensity", 40.0 + 30.0 * step)
            request = PictureRequest(1, evaluate(moved), LONG, SIZE, frozenset(active))
            for _ in renderer.draw(request):
                pass
            dragged = renderer.luminance(request, settled=False)
            whole = replace(request, active=frozenset())
            for _ in renderer.draw(whole):
                pass
            assert dragged == pytest.approx(renderer.luminance(whole, settled=False), rel=0.01, abs=2e-3)


def test_a_drag_costs_one_lamp_and_not_all(renderer, room):
    renderer.set_level(bundle_level(room))

    def passes(**of_spot):
        project = project_of(POINT, SPOT.revised(**of_spot))
        request = PictureRequest(1, evaluate(project), LONG, SIZE, frozenset({"s"}))
        for _ in renderer.draw(request):
            pass
        return [record.name for record in renderer.engine.log.records]

    passes(intensity=10.0, radius=0.1)
    assert passes(intensity=10.0, radius=0.2) == ["light added"]
    assert passes(intensity=20.0, radius=0.2) == ["light added", "light by its strength"]
    assert passes(intensity=30.0, radius=0.2) == ["light by its strength"]


def test_shadow_maps_are_kept_until_what_they_see_changes(renderer, room):
    renderer.set_level(bundle_level(room))

    def passes(project, camera=LONG):
        for _ in renderer.draw(PictureRequest(1, evaluate(project), camera, SIZE)):
            pass
        return [record.name for record in renderer.engine.log.records]

    project = project_of(POINT, SPOT)
    assert passes(project).count("lamp shadows") == 2
    assert passes(put(project, "sources/p/intensity", 5.0)).count("lamp shadows") == 0
    assert passes(put(project, "sources/p/kelvin", 9000.0)).count("lamp shadows") == 0
    assert passes(project, replace(LONG, fov=55.0)).count("lamp shadows") == 0
    assert passes(put(project, "sources/p/position", (0.0, 2.0, 0.0))).count("lamp shadows") == 1
    assert passes(put(project, "sources/s/outer", 40.0)).count("lamp shadows") == 2


def test_a_picture_given_up_half_way_leaves_nothing_undrawn(renderer, room):
    """Something newer came after each pass in turn; the next picture is whole all the same."""
    project = project_of(POINT, SPOT, set_sun(illuminance=40.0))
    request = PictureRequest(1, evaluate(project), LONG, SIZE)
    renderer.set_level(bundle_level(room))
    for _ in renderer.draw(request):
        pass
    whole = renderer.luminance(request, settled=False)
    elsewhere = put(
        put(project, "sources/p/position", (2.0, 1.0, 2.0)), "sources/s/position", (2.5, 2.0, -3.0)
    )
    elsewhere = put(elsewhere, "sources/sun/azimuth", 10.0)
    for steps in range(7):
        for _ in renderer.draw(PictureRequest(1, evaluate(elsewhere), LONG, SIZE)):
            pass
        given_up = renderer.draw(request)
        for _ in range(steps):
            next(given_up)
        given_up.close()
        for _ in renderer.draw(request):
            pass
        assert np.array_equal(renderer.luminance(request, settled=False), whole), steps


def test_surfaces_are_kept_while_the_camera_stands(renderer, room):
    renderer.set_level(bundle_level(room))
    request = PictureRequest(1, evaluate(project_of(POINT)), replace(LONG, fov=41.0), SIZE)
    for expected in (1, 0):
        for _ in renderer.draw(request):
            pass
        assert [r.name for r in renderer.engine.log.records].count("surfaces") == expected


def test_every_pass_tells_its_time_and_work(in_room):
    passes = in_room(
        put(pale_room_project(), "sources/ceiling-lamp/position/x", -1.0), replace(LONG, fov=39.0)
    ).passes
    assert {"surfaces", "lamp shadows", "light", "develop", "read back"} <= {pass_.name for pass_ in passes}
    assert all(pass_.ms > 0.0 and pass_.work for pass_ in passes)


def test_settling_makes_the_penumbra_a_ramp(in_room):
    """A ball of 0.3 m before the block: the floor's shadow edge runs over many pixels."""
    lamp = POINT.revised(position=(1.0, 2.8, -2.0), radius=0.3)
    above = Camera((2.5, 2.9, -2.0), (0.0, -1.0, -0.0001), 60.0, 16 / 9, far=50.0)
    ends = above.place_in_picture(np.array([[2.1, 0.0, -2.0], [2.95, 0.0, -2.0]]))[:, 0] * SIZE[0]
    floor = slice(*np.sort(ends).astype(int))
    row = SIZE[1] // 2
    lines = {}
    for settle in (False, True):
        lines[settle] = (
            in_room(project_of(lamp), above, settle).luminance[row - 2 : row + 2, floor, 1].mean(axis=0)
        )
    steps = {settle: np.abs(np.diff(line)).max() / line.max() for settle, line in lines.items()}
    assert steps[True] < 0.4 * steps[False]
    # From the closed form: the ramp runs from 2.556 less to more than 0.17 m, about 8 pixels.
    between = (lines[True] > 0.1 * lines[True].max()) & (lines[True] < 0.9 * lines[True].max())
    assert between.sum() >= 5


def test_settling_smooths_edges(in_room):
    edge = in_room(project_of(POINT), settle=True).rgb.astype(int)
    hard = in_room(project_of(POINT), settle=False).rgb.astype(int)
    levels = [len(np.unique(picture[20:60, :, 1])) for picture in (hard, edge)]
    assert levels[1] > levels[0]


# -- sun and sky -----------------------------------------------------------------------


def open_plain():
    side = np.linspace(-30.0, 30.0, 9)
    x, z = np.meshgrid(side, side)
    ground = Mesh("ground", (grid(np.stack([x, 0 * x, z], axis=-1)[::-1], 0),))
    post = Mesh("post", (box((-0.5, 0.0, -0.5), (0.5, 2.0, 0.5), 0),))
    grey = Material("grey", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0)
    parts = (Part("ground", "ground", 0, np.eye(4)), Part("post", "post", 1, np.eye(4)))
    return Level("plain", (ground, post), parts, (grey,))


def test_the_suns_shadow_falls_where_it_should(renderer):
    sun = set_sun(azimuth=90.0, elevation=45.0, illuminance=10_000.0)
    camera = Camera((0.0, 12.0, 0.01), (0.0, -1.0, -0.001), 50.0, 1.0, far=200.0)
    size = (120, 120)
    picture = draw_level(renderer, open_plain(), project_of(sun, ev100=11.0), camera, size=size)
    # The sun stands in the east (+X): a post of 2 m throws a shadow of 2 m to the west.
    points = np.array(
        [[-1.5, 0.0, 0.0], [-2.3, 0.0, 0.0], [-2.7, 0.0, 0.0], [1.5, 0.0, 0.0], [-1.5, 0.0, 0.7]]
    )
    place = camera.place_in_picture(points)
    light = picture.luminance[(place[:, 1] * 120).astype(int), (place[:, 0] * 120).astype(int), 1]
    assert (light < 1.0).tolist() == [True, True, False, False, False]


@pytest.mark.parametrize("distance", [12.0, 60.0, 400.0])
def test_the_suns_shadow_is_there_however_far_the_camera(renderer, distance):
    sun = set_sun(azimuth=90.0, elevation=45.0, illuminance=10_000.0)
    fov = np.degrees(2 * np.arctan(4.0 / distance))
    camera = Camera((0.0, distance, 0.01), (0.0, -1.0, -0.00001), float(fov), 1.0, far=1000.0)
    size = (120, 120)
    picture = draw_level(renderer, open_plain(), project_of(sun, ev100=11.0), camera, size=size)
    place = camera.place_in_picture(np.array([[-1.5, 0.0, 0.0], [1.5, 0.0, 0.0]]))
    shade, sunny = picture.luminance[(place[:, 1] * 120).astype(int), (place[:, 0] * 120).astype(int), 1]
    assert shade < 1.0 < sunny


def test_a_wide_sun_settles_into_a_penumbra_of_the_right_width(renderer):
    """A sun of 6 degrees at 45: behind an edge 2 m up the half shadow is some 0.42 m wide."""
    sun = set_sun(azimuth=90.0, elevation=45.0, illuminance=10_000.0, disc=6.0)
    camera = Camera((-2.0, 6.0, 0.01), (0.0, -1.0, -0.001), 40.0, 1.0, far=200.0)
    size = (200, 200)
    light = draw_level(renderer, open_plain(), project_of(sun, ev100=11.0), camera, settle=True, size=size)
    places = camera.place_in_picture(np.array([[x, 0.0, 0.0] for x in (-1.9, -2.5, -2.9)]))
    rows, columns = (places[:, 1] * 200).astype(int), (places[:, 0] * 200).astype(int)
    line = light.luminance[rows[0] - 2 : rows[0] + 3, :, 1].mean(axis=0)
    dark, middle, bright = line[columns]
    assert dark < 0.05 * bright
    assert 0.3 * bright < middle < 0.7 * bright
    # The rim's rays meet the ground at 2 / tan(48) and 2 / tan(42) m from the post's foot.
    ramp = (line > 0.1 * bright) & (line < 0.9 * bright)
    width = ramp[columns[2] : columns[0]].sum() * 2 * camera.tangents[0] * 6.0 / 200
    exact = 2 / np.tan(np.radians(42)) - 2 / np.tan(np.radians(48))
    assert 0.45 * exact < width < 1.1 * exact


def test_sun_and_sky_on_open_ground_add_up(renderer):
    sun, sky = set_base()
    camera = Camera((20.0, 8.0, 20.0), (0.0, -1.0, -0.001), 30.0, 16 / 9, far=200.0)
    project = project_of(sun, sky, ev100=13.0)
    picture = draw_level(renderer, open_plain(), project, camera)
    to_sun = direction_to(sun.azimuth, sun.elevation)[None]
    up = np.array([[0.0, 1.0, 0.0]])
    grey, item = np.full((1, 3), 0.5), np.ones(1)
    by_sun = response(grey, 0 * item, item, up, up, to_sun) * sun.illuminance * np.array(sun.luminous_rgb())
    by_sky = 0.5 / np.pi * sky.illuminance
    middle = luminance(picture.luminance[SIZE[1] // 2, SIZE[0] // 2])
    assert middle == pytest.approx(luminance(by_sun[0]) + by_sky, rel=0.05)


def test_the_background_is_the_dome(renderer):
    sky = plain_sky()
    level = open_plain()
    camera = Camera((0.0, 5.0, 25.0), (0.0, 0.5, -0.866), 30.0, 16 / 9, far=200.0)
    picture = draw_level(renderer, level, project_of(sky, ev100=13.0), camera)
    scene = evaluate(project_of(sky))
    ray = camera.rays(np.array([0.5]), np.array([0.5]))
    from wallum.physics.dome import sample_dome

    exact = luminance(sample_dome(scene.sky.luminance, scene.sky.ground, ray))[0]
    assert luminance(picture.luminance[SIZE[1] // 2, SIZE[0] // 2]) == pytest.approx(exact, rel=0.05)


# -- surfaces --------------------------------------------------------------------------


def wall_of(material, pictures=(), colours=None):
    """A wall of 4 m by 4 m at z = 0 that faces +Z, uv 0..1 from its lower left."""
    x, y = np.meshgrid([-2.0, 2.0], [-2.0, 2.0])
    built = grid(np.stack([x, y, 0 * x], axis=-1), 0)
    if colours is not None:
        built = replace(built, colours=np.tile(np.array(colours, np.float32), (4, 1)))
    return Level(
        "wall", (Mesh("wall", (built,)),), (Part("wall", "wall", 0, np.eye(4)),), (material,), pictures
    )


FRONT = Camera((0.0, 0.0, 4.0), (0.0, 0.0, -1.0), 40.0, 16 / 9, far=50.0)
LIGHT = PointSource(
    id="l", name="L", position=(0.0, 0.0, 3.0), intensity=100.0, radius=0.01, colour_by="colour"
)


def png(pixels):
    stream = io.BytesIO()
    Image.fromarray(pixels).save(stream, "PNG")
    return Picture("made", "image/png", stream.getvalue())


def middle_of(picture, dx=0, dy=0):
    return picture.luminance[SIZE[1] // 2 + dy, SIZE[0] // 2 + dx]


def test_the_wall_faces_the_camera_and_colours_multiply(renderer):
    plain = middle_of(draw_level(renderer, wall_of(Material(metallic=0.0)), project_of(LIGHT), FRONT))
    tinted = wall_of(Material(base=(0.5, 1.0, 1.0, 1.0), metallic=0.0), colours=(1.0, 0.5, 1.0, 1.0))
    coloured = middle_of(draw_level(renderer, tinted, project_of(LIGHT), FRONT))
    assert plain[0] > 1.0
    assert coloured[:2] / plain[:2] == pytest.approx([0.5, 0.5], rel=0.06)  # the gloss keeps its white
    assert coloured[2] == pytest.approx(plain[2], rel=0.02)


def test_base_maps_are_srgb_and_the_right_way_up(renderer):
    pixels = np.zeros((8, 8, 4), np.uint8)
    pixels[..., 3] = 255
    pixels[:4, :, 0] = 188  # upper half: 0.5 linear red
    level = wall_of(Material(metallic=0.0, unlit=True, textures={"base": TextureUse(0)}), (png(pixels),))
    picture = draw_level(renderer, level, project_of(LIGHT, ev100=0.0), FRONT)
    # glTF's v runs down: v = 0, the picture's first row, is where the mesh has v = 0, at y = -2.
    below, above = middle_of(picture, dy=30), middle_of(picture, dy=-30)
    assert below[0] / 1.2 == pytest.approx(0.5, rel=0.02)
    assert above[0] < 0.01


def test_emission_shows_its_luminance(renderer):
    level = wall_of(Material(emissive=(1.0, 0.5, 0.25), emissive_strength=800.0))
    light = middle_of(draw_level(renderer, level, project_of(ev100=8.0), FRONT))
    assert light == pytest.approx([800.0, 400.0, 200.0], rel=0.03)


def test_masked_holes_show_what_is_behind(renderer):
    pixels = np.full((8, 8, 4), 255, np.uint8)
    pixels[:, 4:, 3] = 0
    leaf = Material(metallic=0.0, alpha="mask", unlit=True, textures={"base": TextureUse(0)})
    picture = draw_level(renderer, wall_of(leaf, (png(pixels),)), project_of(ev100=0.0), FRONT)
    assert middle_of(picture, dx=-30)[0] > 1.0
    assert middle_of(picture, dx=30)[0] == 0.0


@pytest.mark.parametrize(("double", "seen"), [(False, False), (True, True)])
def test_backs_are_seen_only_of_double_sided_surfaces(renderer, double, seen):
    behind = Camera((0.0, 0.0, -4.0), (0.0, 0.0, 1.0), 40.0, 16 / 9, far=50.0)
    lamp = LIGHT.revised(position=(0.0, 0.0, -3.0))
    level = wall_of(Material(metallic=0.0, double_sided=double))
    light = middle_of(draw_level(renderer, level, project_of(lamp), behind))
    assert (light[1] > 1.0) == seen


def test_a_normal_map_turns_the_surface(renderer):
    """A map that leans 45 degrees toward +x is brightest for light from there."""
    lean = np.array([0.7071, 0.0, 0.7071])
    pixels = np.tile(np.append(np.round((lean * 0.5 + 0.5) * 255), 255).astype(np.uint8), (8, 8, 1))
    level = wall_of(Material(metallic=0.0, textures={"normal": TextureUse(0)}), (png(pixels),))
    lit = []
    for x in (3.0, -3.0):
        lamp = LIGHT.revised(position=(x, 0.0, 3.0))
        lit.append(middle_of(draw_level(renderer, level, project_of(lamp), FRONT))[1])
    assert lit[0] > 5.0 * max(lit[1], 1e-6)


def test_bumps_too_small_to_be_seen_catch_a_grazing_light(renderer, rng):
    """By the mean over all texels of what is over 0 of their cosine, and not by the cosine of their mean."""
    slopes = 0.2 * rng.normal(size=(64, 64, 2))
    normals = normalised(np.concatenate([slopes, np.ones((64, 64, 1))], axis=2).reshape(-1, 3))
    coded = np.round((normals * 0.5 + 0.5) * 255).astype(np.uint8).reshape(64, 64, 3)
    bumpy = png(np.concatenate([coded, np.full((64, 64, 1), 255, np.uint8)], axis=2))
    for degrees in (4.0, 10.0, 60.0):
        toward = np.array([np.cos(np.radians(degrees)), 0.0, np.sin(np.radians(degrees))])
        lamp = LIGHT.revised(position=tuple(60.0 * toward), intensity=1e6)
        lit = []
        for textures in ({"normal": TextureUse(0, scale=(32.0, 32.0))}, {}):
            level = wall_of(Material(base=(0.5,) * 4, metallic=0.0, textures=textures), (bumpy,))
            shown = draw_level(renderer, level, project_of(lamp), FRONT).luminance[..., 1]
            middle = shown[SIZE[1] // 2 - 6 : SIZE[1] // 2 + 6, SIZE[0] // 2 - 6 : SIZE[0] // 2 + 6]
            lit.append(middle.mean())
        expected = np.maximum(normals @ toward, 0.0).mean() / toward[2]
        assert lit[0] / lit[1] == pytest.approx(expected, rel=0.1), degrees


def test_a_moved_texture_is_read_where_it_was_moved(renderer):
    pixels = np.zeros((8, 8, 4), np.uint8)
    pixels[..., 3] = 255
    pixels[:, :4] = 255
    for offset, bright in ((0.0, True), (0.5, False)):
        use = TextureUse(0, offset=(offset, 0.0))
        level = wall_of(Material(metallic=0.0, unlit=True, textures={"base": use}), (png(pixels),))
        picture = draw_level(renderer, level, project_of(ev100=0.0), FRONT)
        assert (middle_of(picture, dx=-30)[0] > 0.5) == bright


def test_an_empty_level_is_a_dark_picture(renderer):
    picture = draw_level(renderer, Level("empty", materials=(Material(),)), project_of(LIGHT), FRONT)
    assert picture.luminance.max() == 0.0


def test_a_smooth_ball_has_a_highlight_where_the_mirror_says(renderer):
    angle = np.linspace(0.0, np.pi, 65)
    ball = revolve(np.stack([np.sin(angle) + 1e-6, np.cos(angle)], axis=1), 128, 0)
    black = Material(base=(0.0, 0.0, 0.0, 1.0), metallic=0.0, roughness=0.2)
    level = Level("ball", (Mesh("ball", (ball,)),), (Part("b", "b", 0, np.eye(4)),), (black,))
    lamp = LIGHT.revised(position=(30.0, 0.0, 40.0), intensity=1e5)
    camera = replace(FRONT, eye=(0.0, 0.0, 6.0))
    picture = draw_level(renderer, level, project_of(lamp), camera)
    row, column = np.unravel_index(np.argmax(picture.luminance[..., 1]), (SIZE[1], SIZE[0]))
    half = normalised(normalised(np.array([30.0, 0.0, 40.0])) + np.array([0.0, 0.0, 1.0]))
    place = camera.place_in_picture(half[None])[0]
    assert column == pytest.approx(place[0] * SIZE[0], abs=4)
    assert row == pytest.approx(SIZE[1] / 2, abs=3)


def test_a_change_of_exposure_alone_lights_nothing_anew(renderer, room):
    """Within the pre-exposure's step it only develops; another strength, a shadow drawn anew, a surface that
    asks for no light and so is as bright as the exposure wants it: these are summed again."""
    renderer.set_level(bundle_level(room))
    lamp = POINT

    def passes(project):
        request = PictureRequest(1, evaluate(project), LONG, SIZE)
        for _ in renderer.draw(request):
            pass
        return {record.name for record in renderer.engine.log.records}, renderer.luminance(
            request, settled=False
        )

    first, light = passes(project_of(lamp, ev100=8.0))
    assert "light" in first
    second, same = passes(project_of(lamp, ev100=8.5))
    assert "light" not in second
    assert np.array_equal(light, same)
    third, more = passes(project_of(lamp.revised(intensity=2.0 * lamp.intensity), ev100=8.5))
    assert "light" in third
    assert more.sum() > 1.5 * same.sum()
    moved, _ = passes(
        project_of(lamp.revised(position=(0.5, 2.0, 0.0), intensity=2.0 * lamp.intensity), ev100=8.5)
    )
    assert "light" in moved
    plain = wall_of(Material(unlit=True))
    renderer.set_level(bundle_level(plain))
    dark, bright = (
        middle_of(render_picture(project_of(ev100=ev), plain, FRONT, SIZE, False, renderer))
        for ev in (8.5, 8.0)
    )
    assert dark == pytest.approx(bright * 2.0**0.5, rel=0.01)
