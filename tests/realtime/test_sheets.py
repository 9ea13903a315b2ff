"""Cards, veils and screen shafts of the real-time picture against their closed forms in NumPy."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import grey_level

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.screen_shafts import ScreenShafts
from wallum.document.sources import CardSource, PointSource, SpotSource, VeilSource
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.far_place import sun_in_picture
from wallum.physics.card import card_along
from wallum.physics.colour import luminance
from wallum.physics.screen_shafts import drawn_out, open_sky
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest

SIZE = (160, 96)
CAMERA = Camera((0.0, 1.5, 8.0), (0.0, 0.0, -1.0), 50.0, SIZE[0] / SIZE[1], far=300.0)
# A wall behind the left half of the picture.
WALL = box((-30.0, -10.0, -2.0), (0.0, 20.0, -1.5), 0)
SPOT = SpotSource(
    id="spot", name="Spot", position=(0.5, 4.0, 1.0), direction=(-0.3, -1.0, -0.1), inner=10.0, outer=25.0,
    intensity=900.0, range=12.0,
)  # fmt: skip


def _drawn(renderer, scene, active=frozenset(), camera=CAMERA):
    request = PictureRequest(1, scene, camera, SIZE, active=active)
    for _ in renderer.draw(request):
        pass
    return renderer.luminance(request, False)


@pytest.fixture
def walled(renderer):
    renderer.set_level(bundle_level(grey_level(WALL)))
    return renderer


def _added(scene, camera=CAMERA):
    """(H, W, 3) what the cards of a scene show and (H, W) what they leave, before the wall and the sky."""
    x, y = np.meshgrid((np.arange(SIZE[0]) + 0.5) / SIZE[0], (np.arange(SIZE[1]) + 0.5) / SIZE[1])
    directions = camera.rays(x.ravel(), y.ravel()).astype(float)
    eye = np.array(camera.eye)
    at = (-1.5 - eye[2]) / np.where(directions[:, 2] < 0.0, directions[:, 2], -1e-9)
    distance = np.where(eye[0] + directions[:, 0] * at < 0.0, at, 1e6)
    light, left = np.zeros((len(directions), 3)), np.ones(len(directions))
    for card in scene.cards:
        more, selected = card_along(card, eye, directions, distance, np.array(camera.direction))
        light, left = light * selected[:, None] + more, left * selected
    return light.reshape(*SIZE[::-1], 3), left.reshape(SIZE[::-1])


@pytest.mark.parametrize(
    "card",
    [
        CardSource(id="c", name="Card", of="spot", length=3.5, visibility=20.0),
        CardSource(id="c", name="Card", of="spot", length=3.5, sheets=1, noise=0.7, noise_size=0.5),
        CardSource(id="c", name="Card", position=(-1.0, 3.0, 2.0), direction=(0.4, -1.0, 0.0), spread=15.0),
        VeilSource(id="c", name="Veil", position=(0.0, 1.2, 2.0), size=(5.0, 2.0, 1.0), own_light=30.0),
        VeilSource(
            id="c", name="Veil", position=(0.0, 1.2, 1.0), turn=50.0, sheets=1, noise=1.0, own_light=9.0
        ),
    ],
)
def test_the_picture_shows_what_the_closed_form_says(walled, card):
    # The lamp lights the card alone: none of its light comes to the wall.
    lamp = SPOT.revised(on=card.kind == "card")
    scene = evaluate(Project(sources=(lamp, card), look=Look(ev100=3.0)))
    without = _drawn(walled, replace(scene, cards=()))
    seen = _drawn(walled, scene)
    light, left = _added(scene)
    expected = without * left[..., None] + light
    error = np.abs(luminance(seen - expected))
    assert luminance(light).max() > 0.0
    assert np.quantile(error, 0.97) < 0.03 * luminance(expected).max()
    assert luminance(seen).sum() == pytest.approx(luminance(expected).sum(), rel=0.01)


def test_a_card_is_not_seen_through_the_wall(walled):
    behind = CardSource(id="c", name="Card", position=(-3.0, 3.0, -6.0), direction=(0.0, -1.0, 0.0))
    scene = evaluate(Project(sources=(behind,), look=Look(ev100=3.0)))
    assert _drawn(walled, scene)[:, : SIZE[0] // 2 - 2].max() == 0.0


def test_a_card_that_is_taken_out_leaves_nothing_behind(walled):
    card = CardSource(id="c", name="Card", of="spot", length=3.5, visibility=20.0)
    scene = evaluate(Project(sources=(SPOT, card), look=Look(ev100=3.0)))
    plain = replace(scene, cards=())
    first = _drawn(walled, plain)
    _drawn(walled, scene)
    # Drawn twice it would be laid over itself.
    brighter = replace(scene, cards=tuple(replace(item, light=(0.0, 0.0, 9.0)) for item in scene.cards))
    assert np.array_equal(_drawn(walled, brighter), _drawn(walled, brighter))
    assert np.array_equal(first, _drawn(walled, plain))


def test_under_the_hand_it_is_the_same_as_at_rest(walled):
    card = CardSource(id="c", name="Card", of="spot", length=3.5, visibility=20.0)
    fill = PointSource(id="fill", name="Fill", position=(2.0, 2.0, 3.0), intensity=40.0)
    scene = evaluate(Project(sources=(SPOT, fill, card), look=Look(ev100=3.0)))
    drawn = _drawn(walled, scene, frozenset({"c"}))
    assert drawn == pytest.approx(_drawn(walled, scene), rel=2e-3, abs=1e-3)


def _sunny(**values):
    sun = base_light()[0].revised(
        light="own", stands="where set", azimuth=9.0, elevation=12.0, illuminance=20_000.0
    )
    sky = base_light()[2].revised(model="plain", stars=0.0)
    shafts = ScreenShafts(on=True, **values)
    return evaluate(Project(sources=(sun, sky), look=Look(ev100=13.0), screen_shafts=shafts))


@pytest.mark.parametrize(
    "values", [{"strength": 1.0}, {"strength": 0.0, "darkens": 0.8}, {"strength": 0.4, "darkens": 0.4}]
)
def test_screen_shafts_are_drawn_out_as_in_numpy(walled, values):
    scene = _sunny(**values, threshold=-6.0, length=1.2)
    plain = _drawn(walled, replace(scene, screen=None))
    seen = _drawn(walled, scene)
    x = np.arange(SIZE[0])
    sky = np.broadcast_to(x >= SIZE[0] // 2, plain.shape[:2])
    x_sun, y_sun, left = sun_in_picture(scene.screen.toward, CAMERA)
    opened = open_sky(scene.screen, luminance(plain), sky)
    added, selected = drawn_out(scene.screen, opened, (x_sun, y_sun), left)
    expected = plain * selected[..., None] + added
    # What they change, and not what was there, must agree: they are drawn at a quarter of its size.
    change, wanted = luminance(seen - plain), luminance(expected - plain)
    assert np.abs(wanted).max() > 0.0
    assert np.median(np.abs(change - wanted)) < 0.03 * np.abs(wanted).max()
    assert change.sum() == pytest.approx(wanted.sum(), rel=0.05)


def test_a_sky_ten_times_as_bright_gives_no_stronger_shafts(walled):
    scene = _sunny(strength=0.5)
    plain, seen = _drawn(walled, replace(scene, screen=None)), _drawn(walled, scene)
    bright = replace(scene.sky, luminance=scene.sky.luminance * 10.0, key=(*scene.sky.key, -3.0))
    blown = replace(scene, sky=bright)
    more = luminance(_drawn(walled, blown)) - luminance(_drawn(walled, replace(blown, screen=None)))
    usual = luminance(seen) - luminance(plain)
    wall = np.s_[:, : SIZE[0] // 2 - 4]
    assert more[wall].sum() == pytest.approx(usual[wall].sum(), rel=0.12)


def test_they_fade_out_as_the_sun_leaves_the_picture(walled):
    scene = _sunny(strength=1.0)
    sums = []
    for turn in (0.0, 0.45, 0.7, 1.5, 3.1):
        camera = replace(CAMERA, direction=(float(np.sin(turn)), 0.0, -float(np.cos(turn))))
        seen = _drawn(walled, scene, camera=camera)
        plain = _drawn(walled, replace(scene, screen=None), camera=camera)
        sums.append(float(luminance(seen - plain).sum()))
    assert sums[0] > 0.0
    assert sums[-1] == sums[-2] == 0.0
