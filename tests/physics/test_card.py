"""Cards and veils against what they stand for: single scattering across a beam, a way through a shaft."""

import math

import numpy as np
import pytest

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import CardSource, PanelSource, SpotSource, VeilSource
from wallum.moment.evaluate import evaluate
from wallum.moment.kinds import kind_of
from wallum.physics.card import card_along, seen_from_edge
from wallum.physics.colour import luminance
from wallum.physics.medium import extinction_for

G0 = {"forwardness": 0.0, "camera_fade": 0.0, "surface_fade": 0.0, "visibility": 80.0}
SPOT = SpotSource(
    id="spot", name="Spot", position=(0.0, 6.0, 0.0), direction=(0.0, -1.0, 0.0), inner=8.0, outer=20.0,
    intensity=1000.0, range=0.0, radius=0.02,
)  # fmt: skip
EVEN = 1.0 / (4.0 * math.pi)


def _card(*sources, **values):
    card = CardSource(id="card", name="Card", **{**G0, **values})
    return evaluate(Project(sources=(*sources, card), look=Look(ev100=5.0))).cards[0]


def _line(height, turn_deg=0.0, half=4.0, count=801, away=40.0):
    """An eye's parallel ways that cross the vertical axis at a height, and the step between them."""
    turn = math.radians(turn_deg)
    back = np.array([math.sin(turn), 0.0, math.cos(turn)])
    side = np.array([math.cos(turn), 0.0, -math.sin(turn)])
    offsets = np.linspace(-half, half, count)
    eyes = back * away + side * offsets[:, None] + np.array([0.0, height, 0.0])
    return eyes, np.broadcast_to(-back, eyes.shape), offsets[1] - offsets[0]


def _shown(card, eyes, ways):
    pairs = zip(eyes, ways, strict=True)
    return np.array(
        [luminance(card_along(card, eye, direction[None], np.array([1e4]))[0])[0] for eye, direction in pairs]
    )


def _truth_across(lamp, height):
    """What a slice of the beam scatters to one side, per metre of its length, by sums over the slice."""
    row = evaluate(Project(sources=(lamp,))).lamps.rows[0]
    grid = np.linspace(-5.0, 5.0, 801)
    x, z = np.meshgrid(grid, grid)
    places = np.stack([x.ravel(), np.full(x.size, height), z.ravel()], axis=1)
    strength = kind_of(row).sample(np.array([row]), places).strength
    candela = float(luminance(row["emission"].astype(float)[None])[0])
    area = (grid[1] - grid[0]) ** 2
    return float(np.sum(strength)) * area * candela * 0.95 * extinction_for(80.0) * EVEN


@pytest.mark.parametrize("height", [4.5, 3.0, 2.0])
def test_a_beam_shows_as_much_as_the_light_that_a_slice_of_it_scatters(height):
    card = _card(SPOT, of="spot", length=8.0, sheets=6)
    eyes, directions, step = _line(height)
    whole = _shown(card, eyes, directions).sum() * step
    fading = 1.0 if height > 3.0 else np.interp(height, [0.3, 0.7], [0.3, 1.0])
    assert whole == pytest.approx(_truth_across(SPOT, height) * fading, rel=0.12)


def test_it_is_the_same_from_all_sides():
    card = _card(SPOT, of="spot", length=8.0, sheets=5)
    sums = []
    for turn in (0.0, 13.0, 29.0, 90.0, 151.0):
        eyes, directions, step = _line(4.0, turn, count=401)
        sums.append(_shown(card, eyes, directions).sum() * step)
    assert max(sums) / min(sums) < 1.05


def test_twice_the_lamp_and_half_the_visibility_are_four_times_the_card():
    eyes, directions, _ = _line(4.0, count=9)
    shown = _shown(_card(SPOT, of="spot", length=8.0), eyes, directions)
    bright = SPOT.revised(intensity=2000.0)
    more = _shown(_card(bright, of="spot", length=8.0, visibility=40.0), eyes, directions)
    assert more == pytest.approx(4.0 * shown)


def test_a_lamp_that_is_off_takes_its_card_with_it():
    dark = evaluate(Project(sources=(SPOT.revised(on=False), CardSource(id="card", name="Card", of="spot"))))
    assert dark.cards == ()


def test_a_panel_has_a_wide_card():
    panel = PanelSource(id="p", name="Panel", position=(0.0, 3.0, 0.0), radius=0.3, luminance=3000.0)
    card = _card(panel, of="p", length=2.0)
    assert card.sheets[0].widths[1] > card.sheets[0].widths[0] > 0.3


def _sunlit_opening(**values):
    sun = base_light()[0].revised(
        light="own", stands="where set", azimuth=180.0, elevation=45.0, illuminance=10_000.0, kelvin=6500.0
    )
    card = {
        "shape": "opening", "of": sun.id, "position": (0.0, 3.0, 0.0), "direction": (0.0, 0.0, -1.0),
        "width": 2.0, "height": 1.0, "length": 20.0, "softness": 0.01,
    }  # fmt: skip
    project = Project(sources=(sun, CardSource(id="card", name="Card", **{**G0, **card, **values})))
    return evaluate(project)


def test_through_an_opening_each_way_shows_what_its_length_in_the_shaft_scatters():
    scene = _sunlit_opening(sheets=16)
    card, sun = scene.cards[0], scene.sun
    middle = np.array([0.0, 3.0, 0.0]) - sun.direction * 2.0
    for turn in (0.0, 25.0, -35.0):
        direction = np.array([math.cos(math.radians(turn)), 0.0, math.sin(math.radians(turn))])
        light = luminance(card_along(card, middle - direction * 30.0, direction[None], np.array([1e3]))[0])[0]
        # The shaft's sides stand up along the sun's way: level ways cross its width of 2 m, or leave it
        # above and below, where the sun's height has moved them by their way along it.
        inside = min(2.0 / math.cos(math.radians(turn)), 1.0 / max(abs(math.sin(math.radians(turn))), 1e-9))
        lux = float(luminance(sun.at(middle[None]))[0])
        expected = lux * 0.95 * extinction_for(80.0) * EVEN * inside
        assert light == pytest.approx(expected, rel=0.12)


def test_no_shaft_comes_through_an_opening_that_the_sun_does_not_shine_into():
    assert _sunlit_opening(direction=(0.0, 0.0, 1.0)).cards == ()
    assert len(_sunlit_opening().cards) == 1


def test_its_shaft_follows_the_sun():
    high = _sunlit_opening().cards[0]
    assert np.array(high.toward) == pytest.approx([0.0, -math.sqrt(0.5), -math.sqrt(0.5)], abs=1e-3)


def test_a_veil_hides_its_share_in_its_midst_and_nothing_beside():
    veil = VeilSource(id="v", name="Veil", hides=0.6, size=(4.0, 2.0, 1.0), noise=0.0, **{
        "surface_fade": 0.0, "camera_fade": 0.0})  # fmt: skip
    card = evaluate(Project(sources=(veil,))).cards[0]
    eye, ahead = np.array([0.0, 2.0, 10.0]), np.array([[0.0, 0.0, -1.0], [0.5, 0.0, -1.0]])
    distances = ahead / np.linalg.norm(ahead, axis=1, keepdims=True)
    _, left = card_along(card, eye, distances, np.full(2, 100.0))
    assert left == pytest.approx([0.4, 1.0], abs=1e-6)


def test_own_light_of_a_veil_is_its_luminance_where_it_hides_all():
    veil = VeilSource(id="v", name="Veil", hides=1.0, noise=0.0, own_light=50.0, camera_fade=0.0)
    card = evaluate(Project(sources=(veil,))).cards[0]
    light, _ = card_along(card, np.array([0.0, 2.0, 10.0]), np.array([[0.0, 0.0, -1.0]]), np.full(1, 100.0))
    assert luminance(light)[0] == pytest.approx(50.0, rel=1e-3)


def test_it_fades_before_surfaces_and_near_the_eye():
    veil = VeilSource(id="v", name="Veil", hides=0.5, noise=0.0, sheets=1, surface_fade=1.0, camera_fade=4.0)
    card = evaluate(Project(sources=(veil,))).cards[0]
    ahead = np.array([[0.0, 0.0, -1.0]])

    def hidden(away, behind):
        return 1.0 - card_along(card, np.array([0.0, 2.0, away]), ahead, np.full(1, away + behind))[1][0]

    whole = hidden(10.0, 5.0)
    assert whole == pytest.approx(0.5)
    assert hidden(10.0, 0.5) == pytest.approx(0.5 * whole)
    assert hidden(2.0, 5.0) == pytest.approx(0.5 * whole)


def test_how_much_is_missing_from_the_edge():
    beam = _card(SPOT, of="spot", length=4.0)
    assert seen_from_edge(beam, np.array([10.0, 4.0, 0.0])) == pytest.approx(0.0, abs=0.05)
    assert seen_from_edge(beam, np.array([0.0, 30.0, 0.01])) > 0.9
