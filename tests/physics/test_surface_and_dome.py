import numpy as np
import pytest

from wallum.errors import ShapeProblem
from wallum.physics.arrays import as_vectors
from wallum.physics.dome import dome_directions, irradiance, irradiance_terms, plain_dome, sample_dome
from wallum.physics.emitters import ball_points, cone_directions, disc_points, halton
from wallum.physics.gloss_table import gloss_table, look_up, make_table
from wallum.physics.surface import response


def hemisphere(count, rng):
    """Directions about +Y, even in solid angle."""
    u = rng.random((count, 2))
    flat = np.sqrt(1.0 - u[:, 0] ** 2)
    around = 2.0 * np.pi * u[:, 1]
    return np.stack([flat * np.cos(around), u[:, 0], flat * np.sin(around)], axis=1)


UP = np.array([0.0, 1.0, 0.0])


def facets(count, roughness, rng):
    """Half vectors about +Y by GGX's own share of facets, and that share for any half vectors."""
    a2 = roughness**4

    def share(n_h):
        return a2 * n_h / (np.pi * (n_h**2 * (a2 - 1.0) + 1.0) ** 2)

    u, around = rng.random(count), 2.0 * np.pi * rng.random(count)
    up = np.sqrt((1.0 - u) / (1.0 + (a2 - 1.0) * u))
    flat = np.sqrt(1.0 - up**2)
    return np.stack([flat * np.cos(around), up, flat * np.sin(around)], axis=1), share


def reflected_share(base, metallic, roughness, to_eye, rng, count=60_000):
    """What even light of 1 is as the eye sees it: directions by the cosine and by facets, each
    weighed by both (Veach's balance)."""
    to_eye = np.asarray(to_eye)
    halves, share = facets(count, roughness, rng)
    mirrored = 2.0 * (halves @ to_eye)[:, None] * halves - to_eye
    even = hemisphere(count, rng)
    light = np.concatenate([mirrored, even])
    half = light + to_eye
    half /= np.linalg.norm(half, axis=1)[:, None]
    v_h = np.abs(half @ to_eye)
    density = share(half[:, 1]) / (4.0 * v_h) + 1.0 / (2.0 * np.pi)
    many = np.ones(len(light))
    values = response(
        np.tile(base, (len(light), 1)),
        many * metallic,
        many * roughness,
        np.tile(UP, (len(light), 1)),
        np.tile(to_eye, (len(light), 1)),
        light,
    )
    return np.where((light[:, 1] > 0.0)[:, None], values / density[:, None], 0.0).sum(axis=0) / count


@pytest.mark.parametrize("roughness", [0.05, 0.15, 0.3, 0.6, 0.85, 1.0])
@pytest.mark.parametrize("metallic", [0.0, 0.3, 0.7, 1.0])
def test_a_white_surface_in_even_light_is_as_bright_as_that(roughness, metallic, rng):
    """No energy is made, and little lost, at any angle to the eye."""
    for cosine in (0.08, 0.2, 0.5, 0.8, 1.0):
        to_eye = [np.sqrt(1.0 - cosine**2), cosine, 0.0]
        share = reflected_share([1.0] * 3, metallic, roughness, to_eye, rng)
        assert 0.96 <= share.min() <= share.max() <= 1.015, cosine  # the sum's own noise is 0.005


def test_a_smooth_dielectric_is_the_closed_form():
    """Without roughness the gloss is Fresnel's reflectance, and under it lies what that leaves."""
    cosines = np.linspace(0.2, 1.0, 30)
    scale, offset, selected, steep = look_up(np.full(30, 0.0), cosines).T
    rise = (1.0 - cosines) ** 5
    assert offset == pytest.approx(rise, abs=0.006)
    assert scale + offset == pytest.approx(np.ones(30), abs=0.002)
    assert steep == pytest.approx(np.ones(30), abs=0.01)
    assert selected * (1.0 - 1.0 / 21.0) == pytest.approx(0.96 * (1.0 - rise), abs=0.006)


def test_the_table_is_what_its_maker_makes():
    table = make_table(rows=3, side=96)
    selected = gloss_table()[[0, -1]]
    assert table[[0, -1]] == pytest.approx(selected, abs=0.004)
    assert table[1] == pytest.approx(gloss_table()[63:65].mean(axis=0), abs=0.004)


def test_response_is_the_same_both_ways(rng):
    a, b = hemisphere(500, rng), hemisphere(500, rng)
    up = np.tile([0.0, 1.0, 0.0], (500, 1))
    base, zero, rough = np.full((500, 3), 0.4), np.zeros(500), np.full(500, 0.5)
    # What is looked up depends on the eye alone; without metal it is nearly the same both ways.
    there = response(base, zero, rough, up, a, b) / b[:, 1:2]
    back = response(base, zero, rough, up, b, a) / a[:, 1:2]
    assert np.abs(there / back - 1.0).mean() < 0.02
    assert there == pytest.approx(back, rel=0.1)


def test_dome_cells_cover_the_upper_half():
    directions, solid = dome_directions(24, 48)
    assert solid.sum() == pytest.approx(2 * np.pi)
    assert directions[..., 1].min() > 0.0
    assert np.linalg.norm(directions, axis=-1) == pytest.approx(np.ones((24, 48)))


def test_plain_dome_gives_the_stated_illuminance():
    dome = plain_dome(12_000.0, np.ones(3))
    directions, solid = dome_directions(*dome.shape[:2])
    falling = (dome[..., 1] * np.clip(directions[..., 1], 0, None) * solid).sum()
    assert falling == pytest.approx(12_000.0, rel=1e-6)


def test_harmonics_give_an_even_dome_back_exactly():
    even, ground = np.full((48, 96, 3), 100.0), np.full(3, 100.0)
    normals = np.array([[0, 1, 0], [1, 0, 0], [0.6, -0.8, 0.0]], float)
    assert irradiance(irradiance_terms(even, ground), normals) == pytest.approx(
        np.full((3, 3), 100 * np.pi), rel=2e-3
    )


def test_harmonics_come_near_a_half_lit_dome():
    half = plain_dome(5000.0, np.ones(3))
    facing_up = irradiance(irradiance_terms(half, np.zeros(3)), np.array([[0.0, 1.0, 0.0]]))
    assert facing_up[0, 1] == pytest.approx(5000.0, rel=0.03)


def test_dome_is_read_where_it_is_looked_at():
    dome = np.zeros((4, 8, 3))
    dome[0, :] = 7.0
    up_and_down = np.array([[0.0, 1.0, 0.0], [0.0, -1.0, 0.0]])
    assert sample_dome(dome, np.full(3, 2.0), up_and_down)[:, 0] == pytest.approx([7.0, 2.0])


def test_ball_points_look_like_an_even_disc_from_anywhere(rng):
    points = ball_points(rng.random((200_000, 3)))
    for axis in (np.array([1.0, 0, 0]), np.array([0.6, 0.0, 0.8])):
        aside = points - (points @ axis)[:, None] * axis
        radius = np.linalg.norm(aside, axis=1)
        # Even on the disc: the share within r is r squared.
        for r in (0.25, 0.5, 0.75):
            assert (radius < r).mean() == pytest.approx(r * r, abs=4e-3)


def test_cone_directions_stay_in_the_cone(rng):
    axis = np.array([0.6, 0.8, 0.0])
    out = cone_directions(axis, 0.01, rng.random((1000, 2)))
    assert (out @ axis).min() >= np.cos(0.01) - 1e-9
    assert np.linalg.norm(out, axis=1) == pytest.approx(np.ones(1000))


def test_disc_points_fill_the_disc(rng):
    assert (np.linalg.norm(disc_points(rng.random((1000, 2))), axis=1) <= 1.0).all()


def test_halton_begins_as_published():
    assert halton(0, 5, 2) == pytest.approx([1 / 2, 1 / 4, 3 / 4, 1 / 8, 5 / 8])
    assert halton(0, 3, 3) == pytest.approx([1 / 3, 2 / 3, 1 / 9])


@pytest.mark.parametrize("bad", [[1.0, 2.0], [[1, 2, 3, 4]], [[np.nan, 0, 0]]])
def test_vectors_are_checked_at_the_edge_and_named(bad):
    with pytest.raises(ShapeProblem, match="normals"):
        as_vectors(bad, "normals")
