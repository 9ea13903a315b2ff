"""Skies of every kind as they are drawn, held against the arrays they come from and against rays."""

from dataclasses import replace

import numpy as np
import pytest
from panorama_maker import write_panorama
from test_day_pictures import DESERT, draw, yard

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.level.model.flatten import flatten
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.rays import RayScene

SIZE = (192, 108)
UP = Camera((0.0, 1.7, 200.0), (0.25, 0.55, -0.8), 55.0, 16 / 9, far=3000.0)


@pytest.fixture(scope="module")
def renderer():
    built = Renderer()
    built.set_level(bundle_level(yard()))
    return built


@pytest.fixture
def panorama(tmp_path):
    return write_panorama(tmp_path / "sky.hdr")


def project_under(panorama, hour_kind, **sky):
    sun, moon, own = base_light()
    values = {"model": hour_kind, "stars": 0.0, **sky}
    if hour_kind == "picture dome":
        # A sun that stays in the picture is too small for light by direction.
        values |= {"picture": str(panorama), "disc_out": True}
    return Project(setting=DESERT, sources=(sun, moon, own.revised(**values)), look=Look(ev100=13.0))


KINDS = (
    ("atmosphere", {}),
    ("atmosphere", {"haze": 4.0, "blue_depth": 0.6, "band_stops": 0.8, "low_warmth": 600.0}),
    ("atmosphere", {"cloud": 0.45, "cloud_soft": 0.4}),
    ("gradient", {"glow_stops": 2.0}),
    ("gradient", {"cloud": 0.7}),
    ("picture dome", {"rotation": 40.0, "horizon_height": 5.0, "contrast": 1.2}),
    ("plain", {}),
    ("atmosphere", {"deck": 0.6}),
)


@pytest.mark.parametrize(("kind", "values"), KINDS)
@pytest.mark.parametrize("hour", [10.0, 17.4])
def test_the_drawn_sky_is_the_computed_one(renderer, panorama, kind, values, hour):
    scene = evaluate(project_under(panorama, kind, **values), Moment(hour))
    drawn = draw(renderer, PictureRequest(1, scene, UP, SIZE)).reshape(-1, 3)
    x, y = np.meshgrid((np.arange(SIZE[0]) + 0.5) / SIZE[0], (np.arange(SIZE[1]) + 0.5) / SIZE[1])
    d = UP.rays(x.ravel(), y.ravel())
    clear = np.ones(len(d), dtype=bool)
    for disc in scene.sky.discs:
        clear &= d @ disc.direction < np.cos(disc.radius_rad * 3.0)
    error = np.abs(luminance(drawn[clear]) / luminance(scene.sky.seen(d[clear], UP.eye)) - 1.0)
    assert clear.sum() > 15_000
    # Arrays are read by the nearest cell, the picture between cells; the deck is marched from other
    # places at each pixel of a third of the size: so the median.
    assert np.median(error) < 0.02


@pytest.mark.parametrize(("kind", "values"), KINDS)
def test_ground_in_the_open_is_as_bright_as_rays_say(renderer, panorama, kind, values):
    """The reference picture agrees within a tenth of a stop, sun, sky and cloud together."""
    level = yard()
    project = project_under(panorama, kind, **values)
    scene = evaluate(project, Moment(10.0))
    camera = Camera((60.0, 6.0, 60.0), (0.3, -0.5, -0.8), 40.0, 16 / 9, far=3000.0)
    drawn = luminance(draw(renderer, PictureRequest(1, scene, camera, (48, 27))))
    reference = Reference(RayScene(level, flatten(level)), level, scene, camera, (48, 27), 0)
    while reference.samples < 48:
        reference.step()
    traced = luminance(reference.luminance)
    stops = np.log2(drawn / traced)
    assert abs(np.median(stops)) < 0.1


def test_a_deck_hides_the_level_from_above_and_not_from_below(renderer):
    sun, moon, own = base_light()
    sky = own.revised(deck=1.0, deck_base=300.0, deck_thick=200.0)
    project = Project(setting=DESERT, sources=(sun, moon, sky), look=Look(ev100=13.0))
    scene = evaluate(project, Moment(10.0))
    for height, hidden in ((900.0, True), (100.0, False)):
        camera = Camera((0.0, height, 0.0), (0.0, -1.0, -0.01), 40.0, 16 / 9, far=3000.0)
        with_deck, without = (
            luminance(draw(renderer, PictureRequest(1, item, camera, SIZE)))
            for item in (scene, replace(scene, sky=replace(scene.sky, deck=None)))
        )
        same = np.abs(with_deck / without - 1.0).mean() < 0.02
        assert same is not hidden


def test_surfaces_get_what_the_sky_is_told_to_give_them_and_the_eye_sees_it_unchanged(renderer, panorama):
    plain = project_under(panorama, "atmosphere")
    more = project_under(panorama, "atmosphere", diffuse=1.0)
    down = Camera((60.0, 6.0, 60.0), (0.3, -0.8, -0.5), 40.0, 16 / 9, far=3000.0)
    lights = {}
    for name, project in (("plain", plain), ("more", more)):
        scene = replace(evaluate(project, Moment(10.0)), sun=None)
        lights[name] = [
            luminance(draw(renderer, PictureRequest(1, scene, camera, SIZE))).mean() for camera in (down, UP)
        ]
    assert lights["more"][0] == pytest.approx(2.0 * lights["plain"][0], rel=0.12)
    assert lights["more"][1] == pytest.approx(lights["plain"][1], rel=0.02)


def test_high_cloud_before_the_sun_takes_light_from_the_ground():
    sun, moon, sky = base_light()
    bare = Project(setting=DESERT, sources=(sun, moon, sky))
    covered = bare.with_source(sky.revised(cloud=1.0, cloud_opacity=1.0, cloud_soft=1.0))
    inputs = [float(luminance(evaluate(item, Moment(12.0)).sun.illuminance)) for item in (bare, covered)]
    assert inputs[1] < 0.5 * inputs[0]
    open_one = covered.with_source(sky.revised(cloud=1.0, cloud_opacity=1.0, cloud_shadow=False))
    assert float(luminance(evaluate(open_one, Moment(12.0)).sun.illuminance)) == pytest.approx(inputs[0])


def test_cloud_still_glows_after_the_sun_has_set_on_the_ground():
    sun, moon, sky = base_light()
    project = Project(setting=DESERT, sources=(sun, moon, sky.revised(cloud=0.5)))
    set_at = next(h for h in np.arange(17.0, 20.0, 0.01) if evaluate(project, Moment(h)).sun is None)
    scene = evaluate(project, Moment(float(set_at) + 0.1))
    red, _, blue = scene.sky.cloud.sunlit
    assert red > 3.0 * blue
    assert max(scene.sky.cloud.sunlit) > 100.0


def test_far_ground_goes_over_into_the_sky_by_the_airs_extinction(renderer):
    """Twin of Dome.seen: before the horizon no edge, near by the ground's own light."""
    sun, moon, own = base_light()
    project = Project(setting=DESERT, sources=(sun, moon, own.revised(stars=0.0)), look=Look(ev100=13.0))
    scene = evaluate(project, Moment(10.0))
    high = Camera((0.0, 1500.0, 500.0), (0.0, -0.12, -1.0), 24.0, 16 / 9, far=9000.0)
    drawn = draw(renderer, PictureRequest(1, scene, high, SIZE)).reshape(-1, 3)
    x, y = np.meshgrid((np.arange(SIZE[0]) + 0.5) / SIZE[0], (np.arange(SIZE[1]) + 0.5) / SIZE[1])
    d = high.rays(x.ravel(), y.ravel())
    exact = scene.sky.seen(d, high.eye)
    # Where the level's own ground is not, and the horizon's line does not pass.
    clear = (d[:, 1] < -0.004) & (d[:, 1] > -0.15) | (d[:, 1] > 0.004)
    error = np.abs(luminance(drawn[clear]) / luminance(exact[clear]) - 1.0)
    assert np.median(error) < 0.02
    near_line = luminance(exact[(d[:, 1] < 0.0) & (d[:, 1] > -0.01)]).mean()
    over_line = luminance(exact[(d[:, 1] > 0.0) & (d[:, 1] < 0.01)]).mean()
    assert near_line == pytest.approx(over_line, rel=0.15)


def test_ground_sinks_into_a_deck_as_deep_as_it_lies_in_it(renderer):
    """From above, down onto a yard with mist of ever greater depth over it; rays agree."""
    sun, moon, own = base_light()
    camera = Camera((0.0, 500.0, 0.0), (0.0, -1.0, -0.01), 20.0, 16 / 9, far=3000.0)
    level, shown, traced = yard(), [], []
    rays = RayScene(level, flatten(level))
    for base in (-180.0, -120.0, -40.0):  # so much of its 200 m lies under the ground
        sky = own.revised(deck=1.0, deck_base=base, deck_thick=200.0, deck_detail=0.0, deck_density=0.01)
        scene = evaluate(
            Project(setting=DESERT, sources=(sun, moon, sky), look=Look(ev100=13.0)), Moment(10.0)
        )
        # Black ground: what is seen is the deck's own light.
        scene = replace(scene, sun=None, sky=replace(scene.sky, luminance=scene.sky.luminance * 0.0))
        shown.append(float(luminance(draw(renderer, PictureRequest(1, scene, camera, (48, 27)))).mean()))
        reference = Reference(rays, level, scene, camera, (48, 27), 0)
        reference.step()
        traced.append(float(luminance(reference.luminance).mean()))
    assert shown[0] < shown[1] < shown[2]
    assert np.abs(np.log2(np.array(shown) / np.array(traced))).max() < 0.7


def in_the_deck(height, **air):
    """A scene with a deck from 900 m to 1,400 m and the level's own air, and an eye at a height."""
    sun, moon, own = base_light()
    project = Project(setting=DESERT, sources=(sun, moon, own.revised(deck=0.7)), look=Look(ev100=13.0))
    project = project.revised(air=project.air.revised(on=True, **air))
    eye = Camera((0.0, height, 0.0), (0.0, 0.0, -1.0), 40.0, 16 / 9, far=3000.0)
    return evaluate(project, Moment(10.0)), eye


def test_within_the_deck_the_horizon_cannot_be_told(renderer):
    """What the level's air does beyond the cloud is not seen through it."""
    scene, eye = in_the_deck(1100.0, visibility=9000.0, scale_height=300.0)
    rows = luminance(draw(renderer, PictureRequest(1, scene, eye, SIZE))).mean(axis=1)
    middle = len(rows) // 2
    line = rows[middle - 2 : middle + 2]
    assert line == pytest.approx(np.full(4, rows[middle - 9 : middle + 9].mean()), rel=0.06)


@pytest.mark.parametrize("height", [1100.0, 1700.0])
def test_deck_and_air_together_are_as_rays_have_them(renderer, height):
    scene, eye = in_the_deck(height, visibility=15_000.0, scale_height=400.0)
    shown = luminance(draw(renderer, PictureRequest(1, scene, eye, SIZE)))
    level = yard()
    reference = Reference(RayScene(level, flatten(level)), level, scene, eye, SIZE, 0)
    for _ in range(4):
        reference.step()
    # Means over squares: both look at other places along their ways.
    squares = (SIZE[1] // 12, 12, SIZE[0] // 12, 12)
    cut = (slice(0, squares[0] * 12), slice(0, squares[2] * 12))
    a, b = (item[cut].reshape(squares).mean(axis=(1, 3)) for item in (shown, luminance(reference.luminance)))
    assert np.median(np.abs(np.log2(a / b))) < 0.1


def test_a_picture_behind_everything_is_as_fine_as_it_is(renderer, tmp_path):
    """Stripes of a degree and a half, which no dome of light holds, stand in the sky as in the file."""
    wide = 1920
    bars = (np.arange(wide) // 8 % 2)[None, :, None] * np.ones((wide // 2, 1, 3))
    file = write_panorama(tmp_path / "bars.hdr", 1000.0 + 3000.0 * bars)
    scene = evaluate(project_under(file, "picture dome", disc_out=False), Moment(10.0))
    level = Camera((0.0, 1.7, 200.0), (0.0, 0.12, -1.0), 20.0, 16 / 9, far=3000.0)
    drawn = luminance(draw(renderer, PictureRequest(1, scene, level, SIZE)))[SIZE[1] // 4]
    assert np.percentile(drawn, 90) > 3.0 * np.percentile(drawn, 10)
    x, y = (np.arange(SIZE[0]) + 0.5) / SIZE[0], np.full(SIZE[0], (SIZE[1] // 4 + 0.5) / SIZE[1])
    exact = luminance(scene.sky.seen(level.rays(x, y), level.eye))
    assert np.corrcoef(drawn, exact)[0, 1] > 0.97


def test_a_picture_that_is_gone_when_it_is_to_be_drawn_leaves_its_light(renderer, panorama):
    scene = evaluate(project_under(panorama, "picture dome"), Moment(10.0))
    picture = replace(scene.sky.picture, file=str(panorama.with_name("gone.hdr")))
    gone = replace(scene, sky=replace(scene.sky, picture=picture, key=(*scene.sky.key, 1.0)))
    drawn = luminance(draw(renderer, PictureRequest(1, gone, UP, SIZE)))
    shown = luminance(draw(renderer, PictureRequest(2, scene, UP, SIZE)))
    assert np.median(np.abs(np.log2(drawn / shown))) < 0.2


def test_the_level_s_haze_lies_over_a_picture_too(renderer, panorama):
    project = project_under(panorama, "picture dome")
    hazy = project.revised(air=project.air.revised(on=True, visibility=20_000.0, scale_height=200.0))
    clear, over = (evaluate(item, Moment(10.0)).sky for item in (project, hazy))
    assert (np.array(over.picture.view.added) > 0.0).all()
    assert clear.picture.view.added == (0.0, 0.0, 0.0)
    up = np.array([[0.0, 1.0, 0.0]])
    assert (over.seen(up) > clear.seen(up)).all()
