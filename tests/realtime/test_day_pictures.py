"""Pictures of the day: no memory, air and metering as computed, what is seen on the sky."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from set_lights import plain_sky, set_sun

from wallum.document.air import Air
from wallum.document.fields import unchecked
from wallum.document.look import AS_METERED, Look
from wallum.document.paths import put
from wallum.document.project import PartMarks, Project, Setting, base_light
from wallum.document.sources import PointSource
from wallum.image.develop import develop
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import box, grid
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.lamps import Lamps
from wallum.moment.metered import centre_weights
from wallum.moment.moment import Moment
from wallum.moment.resolved_look import ResolvedLook
from wallum.physics.colour import luminance
from wallum.physics.dome import scattered
from wallum.physics.exposure import metered_ev
from wallum.physics.medium import henyey_greenstein, optical_depth
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.passes.shadows.cascades import cascades_for, far_cascade
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer

SIZE = (96, 54)
DESERT = Setting(latitude=31.4, longitude=-109.2, utc_offset=-7.0, date="2027-10-12")
AIR = Air(on=True, visibility=900.0, scale_height=40.0, base_height=2.0, forwardness=0.5)


@pytest.fixture(scope="module")
def renderer():
    return Renderer()


def yard(colour=0.5, emissive=0.0):
    line = np.linspace(-400.0, 400.0, 9)
    x, z = np.meshgrid(line, line)
    ground = Mesh("ground", (grid(np.stack([x, 0 * x, z], axis=-1)[::-1], 0),))
    post = Mesh("post", (box((-0.5, 0.0, -6.5), (0.5, 2.0, -5.5), 1),))
    materials = (
        Material("ground", (colour, colour, colour, 1.0), 0.0, 1.0),
        Material(
            "glow", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0, emissive=(1.0, 1.0, 1.0), emissive_strength=emissive
        ),
    )
    parts = (Part("ground", "ground", 0, np.eye(4)), Part("post", "post", 1, np.eye(4)))
    return Level("yard", (ground, post), parts, materials)


def draw(renderer, request):
    for _ in renderer.draw(request):
        pass
    return renderer.luminance(request, settled=False).astype(np.float64)


def shown(renderer, request):
    out = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    for _ in renderer.draw(request):
        pass
    return renderer.read_into(request, 0, out), out


CAMERA = Camera((0.0, 1.7, 6.0), (0.0, 0.05, -1.0), 50.0, 16 / 9, far=3000.0)


def day(**look):
    return Project(
        setting=DESERT, sources=base_light(), look=Look(exposed="metered", **look), air=Air(on=True)
    )


def test_scrubbing_forward_and_backward_gives_the_same_pictures(renderer):
    renderer.set_level(bundle_level(yard()))
    hours = [6.2, 9.0, 13.5, 17.6, 17.9, 19.0, 23.0]
    pictures = {}
    for order in (hours, hours[::-1]):
        for hour in order:
            _, picture = shown(renderer, PictureRequest(1, evaluate(day(), Moment(hour)), CAMERA, SIZE))
            assert np.array_equal(pictures.setdefault(hour, picture.copy()), picture), hour


def test_a_passing_picture_of_a_moving_sun_shows_its_shadow_too(renderer):
    renderer.set_level(bundle_level(yard()))
    above = Camera((0.0, 14.0, -6.0), (0.0, -1.0, -0.001), 60.0, 16 / 9, far=200.0)
    project = Project(sources=(set_sun(azimuth=90.0, elevation=45.0, illuminance=10_000.0),))
    reduced = PictureRequest(1, evaluate(project), above, (320, 180), detail="reduced")
    draw(renderer, replace(reduced, scene=evaluate(put(project, "sources/sun/azimuth", 80.0))))
    light = draw(renderer, reduced)
    points = above.place_in_picture(np.array([[-1.5, 0.0, -6.0], [1.5, 0.0, -6.0]]))
    height, width = light.shape[:2]
    rows, columns = (points[:, 1] * height).astype(int), (points[:, 0] * width).astype(int)
    shade, sunny = luminance(light[rows, columns])
    assert shade < 0.05 * sunny


@pytest.mark.parametrize("cascades", ["1", "2", "3"])
@pytest.mark.parametrize("texels", ["512", "2048"])
def test_the_suns_shadow_falls_with_any_number_and_size_of_maps(renderer, cascades, texels):
    renderer.set_level(bundle_level(yard()))
    above = Camera((0.0, 14.0, -6.0), (0.0, -1.0, -0.001), 60.0, 16 / 9, far=200.0)
    maps = {"shadow_cascades": cascades, "shadow_texels": texels, "shadow_reach": 20.0}
    project = Project(sources=(set_sun(azimuth=90.0, elevation=45.0, illuminance=10_000.0, **maps),))
    light = draw(renderer, PictureRequest(1, evaluate(project), above, (320, 180)))
    points = above.place_in_picture(np.array([[-1.5, 0.0, -6.0], [1.5, 0.0, -6.0]]))
    rows, columns = (points[:, 1] * 180).astype(int), (points[:, 0] * 320).astype(int)
    shade, sunny = luminance(light[rows, columns])
    assert shade < 0.05 * sunny


def shade_of_a_tower(renderer, reach):
    """Luminance of the ground about a far tower, and how many of its pixels are in shade."""
    level = yard()
    tower = Mesh("tower", (box((-7.0, 0.0, -70.0), (7.0, 22.0, -56.0), 0),))
    parts = (level.parts[0], Part("tower", "tower", 1, np.eye(4)))
    renderer.set_level(bundle_level(replace(level, meshes=(level.meshes[0], tower), parts=parts)))
    far_off = Camera((0.0, 45.0, 60.0), (0.0, -0.35, -1.0), 40.0, 16 / 9, far=3000.0)
    sun = set_sun(azimuth=100.0, elevation=25.0, illuminance=10_000.0, shadow_reach=reach)
    scene = evaluate(Project(sources=(sun,)))
    light = luminance(draw(renderer, PictureRequest(1, scene, far_off, (320, 180))))
    return light, int((light < 0.3 * np.median(light)).sum())


def test_beyond_their_reach_shadows_are_coarse_and_there(renderer):
    fine, many = shade_of_a_tower(renderer, 500.0)
    coarse, some = shade_of_a_tower(renderer, 20.0)
    assert many > 1000
    assert some == pytest.approx(many, rel=0.1)
    # How far the cascades reach changes how shadows look, and not how much sun there is.
    assert coarse.mean() == pytest.approx(fine.mean(), rel=0.01)
    assert not np.array_equal(coarse, fine)


def test_a_cascade_serves_the_seam_of_the_one_before():
    """Pixels change over one by one, not all at a line: some of them before that."""
    bounds = np.array([[-60.0, 0.0, -60.0], [60.0, 8.0, 60.0]])
    camera = Camera((0.0, 1.7, 0.0), (0.0, -0.3, -1.0), 60.0, 1.0, far=500.0)
    sun = np.array([0.3, 0.8, 0.5]) / np.linalg.norm([0.3, 0.8, 0.5])
    for earlier, later in pairwise(cascades_for(sun, camera, bounds, reach_m=150.0)):
        corners = camera.rays(np.array([0.0, 1.0, 0.0, 1.0]), np.array([0.0, 0.0, 1.0, 1.0]))
        depth = earlier.end / 1.12
        points = np.array(camera.eye) + corners * (depth / (corners @ np.array(camera.direction)))[:, None]
        clip = np.concatenate([points, np.ones((4, 1))], axis=1) @ later.matrix.T
        assert np.abs(clip[:, :2]).max() <= 1.0


def test_the_far_map_holds_the_whole_level_and_stays_while_the_camera_moves():
    bounds = np.array([[-600.0, -3.0, -500.0], [580.0, 120.0, 640.0]])
    sun = np.array([0.3, 0.4, 0.5]) / np.linalg.norm([0.3, 0.4, 0.5])
    far = far_cascade(sun, bounds, 1024)
    corners = np.array(np.meshgrid(*bounds.T)).reshape(3, -1).T
    clip = np.concatenate([corners, np.ones((8, 1))], axis=1) @ far.matrix.T
    assert np.abs(clip[:, :3]).max() <= 1.0
    assert far.key == far_cascade(sun, bounds, 1024).key


def test_no_picture_of_the_day_is_burnt_or_black(renderer):
    renderer.set_level(bundle_level(yard()))
    for hour in np.arange(0.0, 24.0, 1.5):
        frame, picture = shown(
            renderer,
            PictureRequest(1, evaluate(day(darkest=-12.0, **AS_METERED), Moment(hour)), CAMERA, SIZE),
        )
        assert 40 < picture[..., :3].mean() < 190, hour
        assert frame.metered == frame.ev100


def test_a_metered_night_is_darker_than_day_and_not_black(renderer):
    """As by the key: stars are shown at a twentieth of the light that day is."""
    renderer.set_level(bundle_level(yard()))
    noon, night = (
        shown(renderer, PictureRequest(1, evaluate(day(darkest=-12.0), Moment(hour)), CAMERA, SIZE))[1]
        for hour in (12.0, 0.0)
    )
    assert 8 < night[..., :3].mean() < 40 < noon[..., :3].mean()


def test_black_ground_far_off_shows_nothing_but_air(renderer):
    """Twin of physics.medium: J (1 - exp(-depth)) over black ground, at all distances."""
    renderer.set_level(bundle_level(yard(colour=0.0)))
    sun = set_sun(azimuth=120.0, elevation=30.0, illuminance=50_000.0, shadow=False)
    project = Project(sources=(sun, plain_sky()), air=AIR, look=Look(ev100=13.0))
    scene = evaluate(project)
    # Dielectric gloss is left out by looking at what the air adds alone.
    clear, fog = replace(scene, air=None), scene.air.layers[0]
    camera = replace(CAMERA, eye=(0.0, 5.0, 300.0), direction=(0.0, -0.03, -1.0))
    request = PictureRequest(1, scene, camera, SIZE)
    with_air, without = draw(renderer, request), draw(renderer, replace(request, scene=clear))
    x, y = np.meshgrid((np.arange(SIZE[0]) + 0.5) / SIZE[0], (np.arange(SIZE[1]) + 0.5) / SIZE[1])
    d = camera.rays(x.ravel(), y.ravel())
    distance = 5.0 / np.maximum(-d[:, 1], 1e-9)
    ground = (d[:, 1] < -0.012) & (np.abs((d * distance[:, None])[:, 0]) < 390.0)
    depth = optical_depth(fog.extinction, 40.0, np.full(ground.sum(), 3.0), d[ground, 1], distance[ground])
    selected = np.exp(-depth)
    j = scene.sun.illuminance * henyey_greenstein(d[ground] @ scene.sun.direction, 0.5)[:, None]
    j = (j + scattered(scene.sky.terms, d[ground], 0.5)) * np.array(fog.albedo)
    exact = without.reshape(-1, 3)[ground] * selected[:, None] + j * (1.0 - selected[:, None])
    error = np.abs(with_air.reshape(-1, 3)[ground] / exact - 1.0)
    assert np.median(error) < 0.02
    assert np.quantile(error, 0.95) < 0.05


def test_thick_air_closes_the_horizon(renderer):
    renderer.set_level(bundle_level(yard()))
    project = Project(setting=DESERT, sources=base_light(), air=Air(on=True, visibility=200.0))
    level_eye = replace(CAMERA, direction=(0.0, 0.0, -1.0), eye=(0.0, 1.7, 0.0))
    light = luminance(draw(renderer, PictureRequest(1, evaluate(project, Moment(11.0)), level_eye, SIZE)))
    middle = SIZE[1] // 2
    above, below = light[middle - 1].mean(), light[middle].mean()
    assert below == pytest.approx(above, rel=0.03)


def test_dragging_in_air_adds_up_to_the_whole(renderer):
    renderer.set_level(bundle_level(yard(emissive=300.0)))
    lamp = PointSource(id="lamp", name="Lamp", position=(1.0, 2.0, -2.0), intensity=4000.0)
    project = Project(setting=DESERT, sources=(*base_light(), lamp), air=AIR, look=Look(ev100=8.0))
    for hour in (11.0, 18.2, 22.0):
        request = PictureRequest(1, evaluate(project, Moment(hour)), CAMERA, SIZE)
        whole = draw(renderer, request)
        for active in ({"lamp"}, {"sun"}, {"sky"}, {"moon"}, {"lamp", "sky"}):
            parts = draw(renderer, replace(request, active=frozenset(active)))
            assert parts == pytest.approx(whole, rel=0.01, abs=1e-5), (hour, active)


def test_metering_in_the_picture_is_metering_by_numpy(renderer):
    renderer.set_level(bundle_level(yard()))
    for weighted in ("whole", "centre"):
        scene = evaluate(day(weighted=weighted, clip_low=0.2, clip_high=0.1), Moment(10.0))
        request = PictureRequest(1, scene, CAMERA, (640, 360))
        light = luminance(draw(renderer, request))
        cells = light.reshape(36, 10, 64, 10).mean(axis=(1, 3))
        weights = centre_weights() if weighted == "centre" else np.ones((36, 64))
        exact = metered_ev(cells.ravel(), weights.ravel(), 0.8, (0.2, 0.1))
        out = np.zeros((360, 640, 4), np.uint8)
        assert renderer.read_into(request, 0, out).metered == pytest.approx(exact, abs=0.05)


def test_heroes_are_metered_alone_and_without_any_the_centre_is(renderer):
    renderer.set_level(bundle_level(yard()))
    scene = evaluate(day(weighted="heroes", clip_low=0.0, clip_high=0.0), Moment(10.0))
    request = PictureRequest(1, scene, CAMERA, SIZE)
    sky_only = np.zeros((36, 64), np.float32)
    sky_only[:8] = 1.0
    ground_only = sky_only[::-1].copy()
    evs = [
        shown(renderer, replace(request, heroes=heroes))[0].metered
        for heroes in (sky_only, ground_only, None)
    ]
    centre = evaluate(day(weighted="centre", clip_low=0.0, clip_high=0.0), Moment(10.0))
    assert abs(evs[0] - evs[1]) > 0.3
    assert evs[2] == pytest.approx(shown(renderer, replace(request, scene=centre))[0].metered)


def test_a_held_exposure_is_kept_and_the_drift_is_told(renderer):
    renderer.set_level(bundle_level(yard()))
    request = PictureRequest(1, evaluate(day(), Moment(10.0)), CAMERA, SIZE)
    first, plain = shown(renderer, request)
    plain = plain.copy()
    trimmed = put(put(day(), "sources/sun/trim", -2.0), "sources/sky/trim", -2.0)
    darker = replace(request, scene=evaluate(trimmed, Moment(10.0)), held_ev=first.ev100)
    current, picture = shown(renderer, darker)
    assert current.ev100 == first.ev100
    assert current.metered - current.ev100 == pytest.approx(-2.0, abs=0.1)
    assert picture[..., :3].mean() < plain[..., :3].mean() - 20


def test_the_suns_disc_stands_where_the_sun_does_and_has_its_light(renderer):
    renderer.set_level(bundle_level(yard()))
    sun = set_sun(azimuth=0.0, elevation=20.0, illuminance=100.0, disc=4.0, shadow=False)
    project = Project(sources=(sun, plain_sky(illuminance=0.0, ground=0.0)), look=Look(ev100=5.0))
    camera = Camera((0.0, 1.7, 0.0), (0.0, np.sin(np.radians(20)), -np.cos(np.radians(20))), 10.0, 1.0)
    light = luminance(draw(renderer, PictureRequest(1, evaluate(project), camera, (200, 200))))
    pixel = (2.0 * np.tan(np.radians(5.0)) / 200) ** 2
    # The disc's luminance over its solid angle is the illuminance that the sun gives.
    assert (light * pixel).sum() == pytest.approx(100.0, rel=0.03)
    rows, columns = np.nonzero(light > 0.5 * light.max())
    assert (rows.mean(), columns.mean()) == pytest.approx((99.5, 99.5), abs=1.0)
    assert light[100, 100] > 1.5 * light[100, 100 + 36]


def test_the_moon_shows_its_phase(renderer):
    """Three days before full: the limb toward the sun is lit, the other is dark."""
    renderer.set_level(bundle_level(yard()))
    setting = DESERT.revised(date="2027-10-09")
    project = Project(setting=setting, sources=base_light(), look=Look(ev100=8.0))
    project = put(project, "sources/moon/disc", 4.0)
    from wallum.moment.base_light import find_base_light

    base = find_base_light(project, Moment(20.0))
    moon = next(disc for disc in base.sky.discs if disc.lit_from is not None)
    assert 0.5 < base.moon.lit < 0.8
    camera = Camera((0.0, 1.7, 0.0), tuple(moon.direction), 8.0, 1.0)
    light = luminance(draw(renderer, PictureRequest(1, evaluate(project, Moment(20.0)), camera, (160, 160))))
    lit = light > 0.3 * light.max()
    disc = np.pi * (80 * np.tan(np.radians(2.0)) / np.tan(np.radians(4.0))) ** 2
    assert lit.sum() / disc == pytest.approx(base.moon.lit, abs=0.08)


def test_stars_are_there_by_night_and_drown_by_day(renderer):
    renderer.set_level(bundle_level(yard()))
    up = Camera((0.0, 1.7, 0.0), (0.3, 0.9, -0.3), 60.0, 16 / 9)
    points = {}
    for hour in (4.5, 12.0):
        scene = evaluate(Project(setting=DESERT, sources=base_light(), look=Look(ev100=0.0)), Moment(hour))
        light = luminance(draw(renderer, PictureRequest(1, scene, up, (480, 270))))
        points[hour] = int((light > 4.0 * np.median(light)).sum())
    assert points[4.5] > 60
    assert points[12.0] == 0


def test_the_look_of_the_eye_at_night_is_the_computed_one(renderer):
    renderer.set_level(bundle_level(yard()))
    lamp = PointSource(id="l", name="L", position=(0.0, 2.0, -2.0), intensity=0.3, kelvin=2200.0)
    project = Project(setting=DESERT, sources=(*base_light(), lamp), look=Look(ev100=-2.0))
    pictures = {}
    for strength in (0.0, 1.0):
        scene = evaluate(put(project, "look/night_eye", strength), Moment(23.5))
        _, pictures[strength] = shown(renderer, PictureRequest(1, scene, CAMERA, SIZE))
        light = renderer.luminance(PictureRequest(1, scene, CAMERA, SIZE), settled=False).astype(np.float64)
        exact = develop(light, ResolvedLook(-2.0, night_eye=strength))[..., ::-1]
        assert np.abs(pictures[strength][..., :3].astype(int) - exact).max() <= 3
    assert np.abs(pictures[0.0].astype(int) - pictures[1.0]).mean() > 5


def test_cloud_hides_stars_and_twinkling_moves_none_of_them(renderer):
    renderer.set_level(bundle_level(yard()))
    up = Camera((0.0, 1.7, 0.0), (0.3, 0.9, -0.3), 60.0, 16 / 9)
    sums = {}
    for name, sky in (
        ("still", {"twinkle": 0.0}),
        ("twinkling", {"twinkle": 1.0}),
        ("covered", {"cloud": 1.0, "cloud_opacity": 1.0, "cloud_soft": 1.0}),
    ):
        sun, moon, own = base_light()
        sky = own.revised(airglow=0.0, **sky)
        project = Project(setting=DESERT, sources=(sun, moon.revised(on=False), sky), look=Look(ev100=-6.0))
        sums[name] = luminance(
            draw(renderer, PictureRequest(1, evaluate(project, Moment(0.5)), up, (480, 270)))
        )
    bright = sums["still"] > 20.0 * np.median(sums["still"]) + 1e-6
    assert bright.sum() > 50
    assert ((sums["twinkling"] > 20.0 * np.median(sums["twinkling"]) + 1e-6) == bright).mean() > 0.99
    assert not np.allclose(sums["twinkling"][bright], sums["still"][bright], rtol=0.05)
    assert sums["twinkling"].sum() == pytest.approx(sums["still"].sum(), rel=0.2)
    assert sums["covered"][bright].sum() < 0.2 * sums["still"][bright].sum()


def test_smooth_metal_mirrors_the_sky_and_rough_metal_blurs_it(renderer):
    level = yard()
    lights = {}
    for rough in (0.1, 0.9):
        metal = Material("metal", (1.0, 1.0, 1.0, 1.0), 1.0, rough)
        renderer.set_level(bundle_level(replace(level, materials=(metal, level.materials[1]))))
        project = Project(setting=DESERT, sources=base_light(), look=Look(ev100=13.0))
        scene = replace(evaluate(project, Moment(16.5)), sun=None)
        # Down at the floor, which mirrors the sky toward the low sun, and the one behind.
        seen = []
        for ahead in (-1.0, 1.0):
            camera = Camera((60.0, 1.7, 60.0), (ahead, -0.35, 0.25 * -ahead), 30.0, 16 / 9)
            seen.append(luminance(draw(renderer, PictureRequest(1, scene, camera, SIZE))).mean())
        lights[rough] = seen[0] / seen[1]
    assert lights[0.1] > 1.5 * lights[0.9] > 1.0


def test_glow_follows_its_lamp_in_the_picture(renderer):
    level = yard(emissive=500.0)
    lamp = PointSource(id="lamp", name="Lamp", position=(0.0, 50.0, 0.0), intensity=100.0)
    project = Project(sources=(lamp,), look=Look(ev100=5.0)).with_marks(
        PartMarks(part="post", follows="lamp")
    )
    renderer.set_level(bundle_level(level, follows=project.follows))
    at_post = Camera((0.0, 1.0, 0.0), (0.0, 0.0, -1.0), 10.0, 1.0)

    def glow(changed):
        return luminance(draw(renderer, PictureRequest(1, evaluate(changed), at_post, (32, 32))))[16, 16]

    bright = glow(project)
    assert bright == pytest.approx(500.0, rel=0.02)
    assert glow(put(project, "sources/lamp/on", False)) < 0.01
    half = evaluate(project)
    scene = replace(half, glow={"lamp": 0.5}, lamps=Lamps((), half.lamps.rows[:0]))
    assert luminance(draw(renderer, PictureRequest(1, scene, at_post, (32, 32))))[16, 16] == pytest.approx(
        250.0, rel=0.02
    )
    # Of another part's glow the lamp is no master.
    renderer.set_level(bundle_level(level))
    assert glow(put(project, "sources/lamp/on", False)) == pytest.approx(500.0, rel=0.02)


def test_changing_only_the_hour_keeps_the_surfaces(renderer):
    renderer.set_level(bundle_level(yard()))
    names = []
    for hour in (10.0, 11.0):
        shown(renderer, PictureRequest(1, evaluate(day(), Moment(hour)), CAMERA, SIZE))
        names.append([record.name for record in renderer.engine.log.records])
    assert "surfaces" in names[0]
    assert "surfaces" not in names[1]


def test_a_day_without_its_sky_still_has_its_sun(renderer):
    renderer.set_level(bundle_level(yard()))
    project = put(day(), "sources/sky/on", False)
    light = luminance(draw(renderer, PictureRequest(1, evaluate(project, Moment(12.0)), CAMERA, SIZE)))
    assert light[-1].min() > 100.0
    dark = unchecked(project, {"air": Air()})
    assert (
        luminance(draw(renderer, PictureRequest(1, evaluate(dark, Moment(12.0)), CAMERA, SIZE)))[0].max()
        == 0.0
    )
