"""The reference picture against closed forms, and the real-time picture against it."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import level_of
from set_lights import plain_sky, set_sun

from wallum.document.air import Air
from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import PointSource, SpotSource
from wallum.image.develop import in_focus
from wallum.level.demos.pale_room import pale_room, pale_room_project
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Material
from wallum.level.model.solids import box, grid
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.metered import metered_picture
from wallum.moment.resolved_look import Metering
from wallum.physics.colour import luminance
from wallum.physics.focus import Focus
from wallum.realtime.process.offline import render_picture, renderer_for
from wallum.transport.paths.air_between import air_between
from wallum.transport.paths.light_paths import PathStates
from wallum.transport.paths.reference import Reference
from wallum.transport.paths.through import seen_through
from wallum.transport.scene.rays import RayScene

SIZE = (96, 54)


def traced(level, project, camera, samples, bounces=0, size=SIZE, **scene_changes):
    scene = replace(evaluate(project), **scene_changes)
    reference = Reference(
        RayScene(level, flatten(level)), level, scene, camera, size, bounces, project.follows
    )
    while reference.samples < samples:
        reference.step()
    return reference


def floor(base=0.5, metallic=0.0, roughness=1.0):
    x, z = np.meshgrid([-40.0, 40.0], [40.0, -40.0])
    material = Material("floor", (base, base, base, 1.0), metallic, roughness)
    return level_of(grid(np.stack([x, 0 * x, z], axis=-1), 0), material)


def test_a_white_furnace_gives_back_what_it_is_given():
    """A room of glowing black walls shows their glow; a metal ball in an even sky shows the sky."""
    room = box((-2, -2, -2), (2, 2, 2), 0, inward=True)
    glowing = Material(
        "furnace", (0.0, 0.0, 0.0, 1.0), 1.0, 1.0, emissive=(1.0,) * 3, emissive_strength=100.0
    )
    still = traced(level_of(room, glowing), Project(), Camera((0, 0, 0), (0.3, 0.2, -1), 70.0), 16, 0)
    assert still.luminance == pytest.approx(100.0, rel=0.02)


@pytest.mark.parametrize(
    ("metallic", "roughness"), [(0.0, 0.05), (0.0, 0.4), (0.0, 1.0), (0.5, 0.6), (1.0, 0.5)]
)
def test_a_white_box_in_even_light_is_as_bright_as_that(metallic, roughness):
    """Whatever it is made of: no energy is made, and little lost."""
    white = Material("white", (1.0,) * 4, metallic, roughness)
    ball = level_of(box((-0.5, -0.5, -0.5), (0.5, 0.5, 0.5), 0), white)
    scene = evaluate(Project(sources=(plain_sky(),)))
    even = replace(
        scene.sky, luminance=np.full_like(scene.sky.luminance, 200.0), ground=np.full(3, 200.0), discs=()
    )
    seen = traced(
        ball, Project(sources=(plain_sky(),)), Camera((0, 0.4, 2.2), (0, -0.18, -1), 40.0), 96, 3, sky=even
    )
    for value in (np.median(luminance(seen.luminance)), luminance(seen.luminance).mean()):
        assert 0.96 <= value / 200.0 <= 1.01


@pytest.mark.parametrize("share", [0.3, 0.6])
def test_light_in_a_furnace_is_a_geometric_series(share):
    """Walls that glow with L and send back a share r show L (1 + r + ... + r^(n+1)) after n bounces: the glow
    that lights what is seen is no bounce, as a lamp is none."""
    room = box((-2, -2, -2), (2, 2, 2), 0, inward=True)
    walls = Material("furnace", (*[share] * 3, 1.0), 0.0, 1.0, emissive=(1.0,) * 3, emissive_strength=100.0)
    for bounces in range(4):
        built = traced(level_of(room, walls), Project(), Camera((0, 0, 0), (0.3, 0.2, -1), 70.0), 16, bounces)
        exact = 100.0 * sum(share**k for k in range(bounces + 2))
        assert built.luminance.mean() == pytest.approx(exact, rel=0.03)


@pytest.mark.parametrize("rough", [0.15, 0.5, 1.0])
def test_a_dull_or_glossy_floor_in_an_even_sky_keeps_its_share(rough):
    """Both ways of picking directions together give what the surface model sends back."""
    scene = evaluate(Project(sources=(plain_sky(),)))
    even = replace(
        scene.sky, luminance=np.full_like(scene.sky.luminance, 100.0), ground=np.full(3, 100.0), discs=()
    )
    camera = Camera((0, 3, 0), (0, -1, -0.4), 30.0)
    built = traced(floor(0.5, 0.0, rough), Project(sources=(plain_sky(),)), camera, 128, 0, sky=even)
    mean = luminance(built.luminance).mean()
    assert 48.0 < mean < 54.0  # half by the base, a few per cent by the gloss


def test_sun_and_lamp_on_a_floor_are_their_closed_forms():
    sun = set_sun(azimuth=90.0, elevation=40.0, illuminance=50_000.0, disc=0.0, kelvin=6500.0)
    camera = Camera((0.0, 4.0, 0.0), (0.0, -1.0, -0.001), 20.0)
    dull = floor(0.5)
    lit = traced(dull, Project(sources=(sun,)), camera, 4)
    response = luminance(lit.luminance).mean() / (50_000.0 * np.sin(np.radians(40.0)))
    assert response == pytest.approx(0.5 / np.pi, rel=0.05)  # and a little gloss
    lamp = PointSource(id="l", name="L", position=(0.0, 2.0, 0.0), intensity=400.0, radius=0.0, shadow=True)
    under = traced(dull, Project(sources=(lamp,)), replace(camera, fov=1.0), 8)
    assert luminance(under.luminance).mean() == pytest.approx(400.0 / 4.0 * 0.5 / np.pi, rel=0.06)


def test_direct_light_of_the_real_time_picture_agrees_in_the_pale_room():
    level, project = pale_room(), pale_room_project()
    sharp = tuple(
        source.revised(radius=0.001) if hasattr(source, "radius") else source for source in project.sources
    )
    project = project.revised(sources=sharp, look=Look(ev100=6.0))
    camera = Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, 16 / 9, far=50.0)
    reference = luminance(traced(level, project, camera, 48).luminance)
    drawn = luminance(
        render_picture(project, level, camera, SIZE, renderer=renderer_for(project, level)).luminance
    )
    lit = reference > 0.02 * np.quantile(reference, 0.9)
    # Shadows' and edges' rims are left out: there a pixel of one is half of each.
    steep = np.zeros_like(lit)
    for axis in (0, 1):
        for direction in (-1, 1):
            steep |= np.abs(np.roll(reference, direction, axis) / np.maximum(reference, 1e-9) - 1.0) > 0.12
    error = np.abs(drawn[lit & ~steep] / reference[lit & ~steep] - 1.0)
    assert len(error) > 1500
    assert np.median(error) < 0.02
    assert np.quantile(error, 0.95) < 0.05


def test_bounces_in_a_closed_grey_room_sum_up_as_a_series():
    """A small lamp in a closed cube of reflectance r: mean light is about 1 / (1 - r) of the direct."""
    r = 0.5
    cube = level_of(box((-2, -2, -2), (2, 2, 2), 0, inward=True), Material("grey", (r, r, r, 1.0), 0.0, 1.0))
    lamp = PointSource(id="l", name="L", position=(0.0, 0.0, 0.0), intensity=300.0, radius=0.0, shadow=True)
    camera = Camera((0, 0, 0.5), (0.2, 0.1, -1), 90.0)
    sums = [
        luminance(traced(cube, Project(sources=(lamp,)), camera, 24, bounces, (48, 27)).luminance).mean()
        for bounces in (0, 1, 2, 8)
    ]
    steps = np.diff(sums[:3])
    assert sums[0] < sums[1] < sums[2] < sums[3]
    assert steps[1] / steps[0] == pytest.approx(r, rel=0.12)
    assert sums[3] / sums[0] == pytest.approx(1.0 / (1.0 - r), rel=0.12)


def test_spot_ignored_shadow_and_air_are_the_real_time_ones():
    spot = SpotSource(
        id="s",
        name="S",
        position=(0, 3, 0),
        direction=(0, -1, 0),
        intensity=900.0,
        inner=10.0,
        outer=30.0,
        radius=0.0,
    )
    project = Project(
        sources=(spot, plain_sky(illuminance=5.0).revised(in_air=0.0)),
        air=Air(on=True, visibility=60.0, scale_height=20.0),
        look=Look(ev100=4.0),
    )
    camera = Camera((0.0, 2.0, 6.0), (0.0, -0.35, -1.0), 50.0, 16 / 9, far=200.0)
    level = floor(0.4)
    reference = luminance(traced(level, project, camera, 160).luminance)
    drawn = luminance(
        render_picture(project, level, camera, SIZE, renderer=renderer_for(project, level)).luminance
    )
    ground = np.zeros_like(reference, dtype=bool)
    ground[30:] = True
    error = np.abs(drawn[ground] / reference[ground] - 1.0)
    assert np.median(error) < 0.03


@pytest.mark.parametrize("forwardness", [0.0, 0.6])
def test_the_sky_in_even_fog_is_as_the_closed_form_has_it(forwardness):
    """Of a phase function that is the same all ways exactly; else as far as nine harmonics go."""
    far = floor(0.0)
    sky = plain_sky(illuminance=5.0)
    air = Air(on=True, visibility=60.0, base_height=500.0, forwardness=forwardness)
    scene = evaluate(Project(sources=(sky,), air=air, look=Look(ev100=4.0)))
    rays = RayScene(far, flatten(far))
    eye, up = np.array([0.0, 60.0, 0.0]), np.array([0.0, 0.6, -0.8])
    seen = seen_through(rays, far, scene, eye, eye + up * 8.0, samples=20_000, bounces=0)
    _, added = air_between(scene, eye, up[None], np.array([8.0]))
    share = luminance(seen.scattered[None])[0] / luminance(added)[0]
    # Black ground below takes the light that the closed form has of far ground.
    assert share == pytest.approx(1.0, abs=0.12)


def test_noise_is_said_and_falls_with_the_root_of_the_paths():
    level, project = pale_room(), pale_room_project()
    camera = Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, 16 / 9, far=50.0)
    few, many = (traced(level, project, camera, n, 2, (64, 36)).noise for n in (24, 216))
    assert many / few == pytest.approx(1.0 / 3.0, rel=0.25)
    assert traced(level, project, camera, 1, 0, (16, 9)).noise == float("inf")


def test_the_errors_of_pixels_are_how_far_pictures_of_other_seeds_lie_apart():
    level, project = pale_room(), pale_room_project()
    camera = Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, 16 / 9, far=50.0)
    scene, rays = evaluate(project), RayScene(level, flatten(level))
    built, messages = [], []
    for seed in range(16):
        reference = Reference(rays, level, scene, camera, (16, 9), 2, project.follows, seed=seed)
        assert np.isinf(reference.errors).all()
        while reference.samples < 32:
            reference.step()
        built.append(luminance(reference.luminance))
        messages.append(reference.errors)
    apart, errors = np.std(built, axis=0, ddof=1), np.sqrt(np.mean(np.square(messages), axis=0))
    assert errors.shape == (9, 16)
    assert np.median(errors / apart) == pytest.approx(1.0, abs=0.15)


def test_the_same_seed_is_the_same_picture_and_one_that_is_given_up_changes_nothing():
    level, project = pale_room(), pale_room_project()
    camera = Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, 16 / 9, far=50.0)
    a, b = (traced(level, project, camera, 2, 1, (32, 18)).luminance for _ in range(2))
    assert np.array_equal(a, b)
    item = traced(level, project, camera, 2, 1, (32, 18))
    assert not item.step(lambda: False)
    assert item.samples == 2
    assert np.array_equal(item.luminance, a)


def test_every_second_column_comes_first_and_is_that_of_the_whole_path():
    level, project = pale_room(), pale_room_project()
    camera = Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, 33 / 18, far=50.0)
    for width in (1, 32, 33):
        entry, early = traced(level, project, camera, 0, 1, (width, 18)), []
        assert entry.step(halfway=lambda half, item=entry, early=early: early.append((half, item.samples)))
        ((half, samples),) = early
        assert samples == 0, "before the path is done"
        albedo, normals = entry.guides
        assert half.light.max() > 0.0
        for early_part, part in zip(half, (entry.luminance, albedo, normals), strict=True):
            np.testing.assert_allclose(early_part, part[:, ::2], rtol=1e-6)
    assert not entry.step(lambda: False, early.append)
    assert len(early) == 1, "nothing is told of a path that is given up"


def test_metering_a_picture_by_cells():
    how = Metering("whole", 0.0, (-12.0, 20.0), (0.0, 0.0))
    even = metered_picture(np.full((30, 50, 3), 8.0), how)
    assert even == pytest.approx(np.log2(8.0 * 100.0 / 12.5), abs=1e-6)
    half = np.full((72, 128, 3), 8.0)
    half[:, 64:] = 32.0
    assert metered_picture(half, how) == pytest.approx(even + 1.0, abs=1e-6)


def test_depths_of_a_floor_are_those_of_a_pinhole():
    """A camera 2 m over a floor that looks level: a row that is t below the middle sees it 2 / t away."""
    camera = Camera((0.0, 2.0, 0.0), (0.0, 0.0, -1.0), 60.0)
    depths = traced(floor(), Project(), camera, 0).depths()
    below = (2.0 * (np.arange(SIZE[1]) + 0.5) / SIZE[1] - 1.0) * np.tan(np.radians(30.0))
    near = below > 2.0 / 40.0
    exact = np.broadcast_to(2.0 / below[near][:, None], depths[near].shape)
    np.testing.assert_allclose(depths[near], exact, rtol=1e-4)
    assert (depths[below < 0.0] == 0.0).all()


def test_what_the_lens_leaves_unsharp_is_so_in_pictures_of_paths_too():
    """A floor sharp at 0.8 m: what is sharp stays, the far edge against the sky is smoothed."""
    camera, level, size = Camera((0.0, 0.4, 0.0), (0.0, -0.2, -1.0), 60.0), floor(), (320, 180)
    scene = evaluate(Project(sources=(plain_sky(),)))
    reference = Reference(RayScene(level, flatten(level)), level, scene, camera, size, 0)
    reference.step()
    light, depths = reference.luminance, reference.depths()
    assert in_focus(light, scene.look, depths, 60.0) is light
    drawn = in_focus(light, replace(scene.look, focus=Focus(0.8, 0.7, "both")), depths, 60.0)
    assert drawn.mean() == pytest.approx(light.mean(), rel=0.02)

    def steepest(picture):
        return np.abs(np.diff(luminance(picture), axis=0)).max()

    assert steepest(drawn) < 0.6 * steepest(light)
    sharp = np.abs(depths - 0.8) < 0.02
    assert sharp.any()
    np.testing.assert_allclose(drawn[sharp], light[sharp], rtol=0.05)


def test_faint_paths_that_go_on_carry_the_light_of_those_that_do_not(rng):
    """In the mean, by channel; what is not faint stays as it is, what carries nothing ends."""
    weight = np.concatenate([rng.uniform(0.0, 0.2, (60_000, 3)), np.full((5, 3), 0.3), np.zeros((5, 3))])
    ones = np.ones_like(weight, dtype=np.float32)
    count = len(weight)
    paths = PathStates.alone(np.arange(count), ones, ones, weight.astype(np.float32))
    chosen = paths.chosen(rng, 0.2)
    assert len(chosen.pixel) < 0.85 * count
    assert chosen.weight.sum(axis=0) == pytest.approx(weight.sum(axis=0), rel=0.01)
    assert chosen.weight.max() == pytest.approx(0.3)
    assert (chosen.weight[np.isin(chosen.pixel, np.arange(60_000, 60_005))] == np.float32(0.3)).all()
    assert chosen.pixel.max() < 60_005
