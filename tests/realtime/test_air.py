"""The air in the real-time picture: lit place by place, against closed forms and against rays."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import grey_level

from wallum.document.air import Air
from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.level.model.flatten import flatten
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.physics.medium import AirLayer, Medium, henyey_greenstein
from wallum.physics.pocket import Pocket
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest
from wallum.transport.paths.air_between import air_between
from wallum.transport.paths.through import seen_through
from wallum.transport.scene.rays import RayScene

SIZE = (160, 90)
CAMERA = Camera((0.0, 1.5, 8.0), (0.0, 0.0, -1.0), 50.0, SIZE[0] / SIZE[1], far=300.0)
EVEN_FOG = AirLayer(0.04, 5.0, 1000.0, (0.9, 0.9, 0.9), 0.5)
EVEN = 200.0
# A block far behind everything, so that there is a level at all.
FAR_BLOCK = box((-0.5, -0.5, -250.0), (0.5, 0.5, -249.0), 0)


def _drawn(renderer, scene, camera=CAMERA, settle=0, view="final", size=SIZE):
    request = PictureRequest(1, scene, camera, size, view=view)
    for _ in renderer.draw(request):
        pass
    if settle:
        renderer.settle(request, settle)
    return renderer.luminance(request, bool(settle))


def _lamp(place, strength=500.0, **more):
    return PointSource(id="lamp", name="Lamp", position=place, intensity=strength, range=0.0, **more)


def _fogged(sources, fog=EVEN_FOG, **more):
    scene = evaluate(Project(sources=sources, look=Look(ev100=2.0)))
    return replace(scene, air=Medium((fog,), **more))


def _single_scattering(fog, eye, direction, lamp, candela, end):
    """Light of a point along a ray in even fog, by the sum over small steps of its definition."""
    t = np.geomspace(1e-4, end, 200_001)
    t, dt = 0.5 * (t[1:] + t[:-1]), np.diff(t)
    offset = lamp - (eye + direction * t[:, None])
    distance = np.linalg.norm(offset, axis=1)
    phase = henyey_greenstein(offset @ direction / distance, fog.forwardness)
    dimmed = np.exp(-fog.extinction * (t + distance))
    return fog.extinction * fog.albedo[0] * candela * float((phase * dimmed / distance**2 * dt).sum())


@pytest.fixture
def open_air(renderer):
    renderer.set_level(bundle_level(grey_level(FAR_BLOCK)))
    return renderer


@pytest.mark.parametrize("settle", [0, 8])
def test_one_lamp_in_even_fog_is_the_integral_of_single_scattering(open_air, settle):
    place = np.array([0.6, 1.9, 2.0])
    lamp = _lamp(tuple(place), shadow=False, radius=0.0)
    scene = _fogged((lamp,), reach=60.0)
    seen = luminance(_drawn(open_air, scene, settle=settle))
    candela = float(luminance(scene.lamps.rows["emission"].astype(float))[0])
    rays = CAMERA.rays((np.arange(SIZE[0]) + 0.5) / SIZE[0], np.full(SIZE[0], 0.5))
    ratios = []
    for x in range(5, SIZE[0], 10):
        direction = rays[x].astype(float)
        exact = _single_scattering(EVEN_FOG, np.array(CAMERA.eye), direction, place, candela, 3000.0)
        ratios.append(seen[SIZE[1] // 2, x] / exact)
    assert np.median(np.abs(np.array(ratios) - 1.0)) < 0.03
    assert np.abs(np.array(ratios) - 1.0).max() < 0.12  # next to the lamp a column is wider than its glow


def _even_sky():
    scene = evaluate(
        Project(sources=(base_light()[2].revised(model="plain", stars=0.0),), look=Look(ev100=9.0))
    )
    even = np.full_like(scene.sky.luminance, EVEN)
    sky = replace(
        scene.sky, luminance=even, ground=np.full(3, EVEN), discs=(), stars=None, veil=(0.0,) * 3, key=(-7.0,)
    )
    return replace(scene, sky=sky)


@pytest.mark.parametrize("shafts", [False, True])
def test_air_that_swallows_nothing_is_not_seen_in_even_light(open_air, shafts):
    white = AirLayer(0.05, 5.0, 2.0, (1.0, 1.0, 1.0), 0.6)
    thin = AirLayer(0.002, 50.0, 0.0, (1.0, 1.0, 1.0), 0.2)
    scene = replace(_even_sky(), air=Medium((thin, white), shafts=shafts, reach=40.0))
    seen = luminance(_drawn(open_air, scene))
    assert seen.min() > 0.97 * EVEN
    assert seen.max() < 1.03 * EVEN


def test_beyond_its_reach_the_air_goes_on_without_a_seam(open_air):
    fog = Medium((AirLayer(0.01, 5.0, 1000.0, (0.9, 0.9, 0.9), 0.5),), reach=30.0)
    sun = base_light()[0].revised(light="own", stands="where set", shadow=False)
    scene = replace(evaluate(Project(sources=(sun,), look=Look(ev100=12.0))), air=fog)
    near, far = (
        luminance(_drawn(open_air, replace(scene, air=replace(fog, reach=r)))) for r in (30.0, 200.0)
    )
    assert near == pytest.approx(far, rel=0.03)
    alike = luminance(_drawn(open_air, replace(scene, air=replace(fog, shafts=False))))
    assert near == pytest.approx(alike, rel=0.03)


def test_no_light_comes_through_a_wall_of_ten_centimetres(renderer):
    """A lamp behind a wall lights the fog there and none before it."""
    wall = box((-6.0, -2.0, 0.0), (6.0, 6.0, 0.1), 0)
    renderer.set_level(bundle_level(grey_level(wall)))
    scene = _fogged((_lamp((0.0, 1.5, -1.0), strength=5000.0, shadow=True),), reach=30.0)
    seen = luminance(_drawn(renderer, scene, settle=8))
    free = luminance(_drawn(renderer, scene.without_shadows(), settle=8))
    inner = np.s_[30:60, 50:110]
    assert seen[inner].max() < 0.01 * free[inner].min()


def _over_rays(renderer, level, scene, camera, pixels):
    """What the air adds in the settled picture over what samples along rays say, at some pixels."""
    seen = _drawn(renderer, scene, camera, settle=32, view="air")
    rays, eye, ratios = RayScene(level, flatten(level)), np.array(camera.eye), []
    for x, y in pixels:
        at = np.array([(x + 0.5) / SIZE[0]]), np.array([(y + 0.5) / SIZE[1]])
        end = eye + camera.rays(*at)[0].astype(float) * 90.0
        truth = seen_through(rays, level, scene, eye, end, samples=3000, bounces=0)
        here = luminance(seen[y - 1 : y + 2, x - 1 : x + 2]).mean()
        ratios.append(here / luminance(truth.scattered[None])[0])
    return ratios


def test_shafts_agree_with_rays(renderer):
    """Sun through slats into fog, and a lamp among them: the volume against samples along rays."""
    slats = [box((-4.0 + i, 3.0, -4.0), (-3.5 + i, 3.1, 4.0), 0) for i in range(8)]
    floor = box((-8.0, -0.2, -8.0), (8.0, 0.0, 8.0), 0)
    level = grey_level(floor, *slats)
    renderer.set_level(bundle_level(level))
    sun = base_light()[0].revised(light="own", stands="where set", azimuth=90.0, elevation=60.0, disc=0.0)
    scene = evaluate(Project(sources=(sun, _lamp((1.0, 2.0, 0.0), 3e4, shadow=True)), look=Look(ev100=12.0)))
    scene = replace(scene, air=Medium((AirLayer(0.08, 2.0, 3.0, (0.9, 0.9, 0.9), 0.5),), reach=20.0))
    camera = Camera((0.0, 1.6, 7.0), (0.0, -0.05, -1.0), 50.0, SIZE[0] / SIZE[1], far=100.0)
    ratios = _over_rays(renderer, level, scene, camera, [(x, 60) for x in range(24, 160, 16)])
    assert np.median(ratios) == pytest.approx(1.0, abs=0.1)
    assert np.quantile(ratios, [0.1, 0.9]) == pytest.approx(1.0, abs=0.25)


def test_going_back_and_forth_gives_the_same_picture(open_air):
    fogged = _fogged((_lamp((0.0, 1.5, 0.0)),), reach=30.0)
    other = _fogged((_lamp((3.0, 1.5, 0.0)),), reach=30.0)
    first = _drawn(open_air, fogged)
    _drawn(open_air, other)
    assert np.array_equal(_drawn(open_air, fogged), first)


def test_the_closed_form_and_the_picture_agree_without_shafts(open_air):
    scene = replace(_even_sky(), air=Medium((EVEN_FOG,), shafts=False, clear_to=4.0, hides=0.8))
    seen = _drawn(open_air, scene)[45, 20]
    direction = CAMERA.rays(np.array([20.5 / SIZE[0]]), np.array([45.5 / SIZE[1]])).astype(float)
    selected, added = air_between(scene, np.array(CAMERA.eye), direction, np.array([1e9]))
    assert seen == pytest.approx(selected[0] * EVEN + added[0], rel=0.01)


PUFF = Pocket(
    id="puff", centre=(0.5, 1.5, 2.0), half=(2.0, 1.5, 2.0), turn_rad=0.5, box=True, extinction=0.15,
    albedo=(0.9,) * 3, forwardness=0.4, own=(0.0,) * 3, edge=0.4, contrast=0.0, grain_m=1.0, drifted=(0.0,) * 3,
)  # fmt: skip
CLEAR = AirLayer(0.0, 1e4, 0.0, (0.0,) * 3, 0.0)


@pytest.mark.parametrize("boxy", [True, False])
def test_a_pocket_is_seen_as_rays_see_it(renderer, boxy):
    level = grey_level(box((-20.0, -0.2, -20.0), (20.0, 0.0, 20.0), 0))
    renderer.set_level(bundle_level(level))
    sun = base_light()[0].revised(light="own", stands="where set", azimuth=140.0, elevation=50.0, disc=0.0)
    scene = evaluate(Project(sources=(sun, _lamp((-0.5, 2.0, 3.0), 2e4)), look=Look(ev100=12.0)))
    scene = replace(scene, air=Medium((CLEAR,), reach=16.0, pockets=(replace(PUFF, box=boxy),)))
    ratios = _over_rays(renderer, level, scene, CAMERA, [(x, 45) for x in range(64, 105, 8)])
    assert np.median(ratios) == pytest.approx(1.0, abs=0.1)


def test_a_pocket_hides_what_lies_behind_and_shows_its_own_light(open_air):
    lit = replace(PUFF, extinction=3.0, own=(40.0, 20.0, 10.0), albedo=(0.0,) * 3, edge=0.1)
    scene = replace(_even_sky(), air=Medium((CLEAR,), reach=16.0, pockets=(lit,)))
    seen = _drawn(open_air, scene)[45, 85]
    assert seen == pytest.approx(np.array(lit.own), rel=0.05)
    assert _drawn(open_air, scene)[5, 5] == pytest.approx(EVEN, rel=0.02)


def test_fifty_pockets_are_each_there(open_air):
    many = tuple(
        replace(PUFF, id=f"p{n}", centre=(-3.0 + n % 10 * 0.7, 0.2 + n // 10 * 0.6, 0.0), half=(0.3, 0.25, 0.3),
                own=(50.0,) * 3, albedo=(0.0,) * 3, extinction=20.0, edge=0.2)
        for n in range(50)
    )  # fmt: skip
    scene = replace(_even_sky(), air=Medium((CLEAR,), reach=16.0, pockets=many))
    seen = luminance(_drawn(open_air, scene, size=(320, 180)))
    for item in many:
        x, y, _ = CAMERA.place_in_picture(np.array([item.centre]))[0]
        assert seen[int(y * 180), int(x * 320)] == pytest.approx(50.0, rel=0.35)


def test_straight_fog_begins_ends_and_goes_over_into_the_sky(open_air):
    scene = evaluate(
        Project(sources=(base_light()[2].revised(model="plain", stars=0.0),), look=Look(ev100=9.0),
                air=Air(on=True, model="straight", straight_start=20.0, straight_end=120.0, straight_top=30.0))
    )  # fmt: skip
    fog = scene.air.straight
    level = np.array([[0.0, 0.0, -1.0]] * 4)
    hidden = fog.hidden(np.full(4, 2.0), level[:, 1], np.array([10.0, 20.0, 70.0, 500.0]))
    assert hidden == pytest.approx([0.0, 0.0, 0.5, 1.0])
    seen = _drawn(open_air, scene)
    direction = CAMERA.rays(np.array([20.5 / SIZE[0]]), np.array([44.5 / SIZE[1]])).astype(float)
    selected, added = air_between(scene, np.array(CAMERA.eye), direction, np.array([1e9]))
    assert selected[0] == pytest.approx(0.0, abs=1e-9)
    assert seen[44, 20] == pytest.approx(added[0], rel=0.02)
    # High up there is none.
    steep = replace(CAMERA, direction=(0.0, 1.0, -0.3))
    assert _drawn(open_air, scene, steep)[45, 80] == pytest.approx(
        _drawn(open_air, replace(scene, air=None), steep)[45, 80], rel=0.01
    )


def test_air_within_the_light_pass_and_air_laid_over_it_are_one_picture(open_air):
    """Air that alone moves, and dims no light on its way, is laid over light that is kept."""
    lamp = _lamp((0.6, 1.9, 2.0), shadow=False, radius=0.0)
    thin, thick = (_fogged((lamp,), replace(EVEN_FOG, extinction=k), reach=60.0) for k in (2e-4, 4e-4))
    log, directions = open_air.engine.log, []
    open_air.engine.forget()
    pictures = []
    for scene in (thick, thin, thick):
        pictures.append(_drawn(open_air, scene))
        directions.append("light" in {record.name for record in log.records})
    assert directions == [True, True, False], "the third has nothing new but its air"
    assert np.abs(pictures[2] - pictures[0]).max() <= 2e-3 * pictures[0].max()
    assert np.abs(pictures[1] - pictures[0]).max() > 0.1 * pictures[0].max()
