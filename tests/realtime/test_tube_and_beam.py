"""Tubes and beams in every picture and reading: closed forms, real time, rays and the reference agree."""

from dataclasses import replace

import numpy as np
import pytest
from lamp_pictures import blocks, by_paths, floor, scene_of, shown

from wallum.document.air import Air
from wallum.document.project import Project
from wallum.document.sources import BeamSource, TubeSource
from wallum.exchange.gltf_export import build_gltf
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Material
from wallum.moment.kinds import kind_of
from wallum.physics.emitters import sphere_directions
from wallum.physics.line import tube_illuminance, tube_lumens
from wallum.transport.direct.meter import direct_illuminance
from wallum.transport.scene.rays import RayScene

TUBE = TubeSource(
    id="tube", name="Tube", position=(0.2, 1.0, 0.0), direction=(1.0, 0.0, 0.0), length=1.6, radius=0.02,
    luminance=9000.0, shadow=True,
)  # fmt: skip
BEAM = BeamSource(
    id="beam", name="Beam", position=(0.2, 2.0, 0.1), direction=(0.0, -1.0, 0.0), width=1.2, height=0.8,
    soft=0.05, illuminance=500.0, shadow=True,
)  # fmt: skip
BOARD = (0.5, 0.3)  # height, and how far east


def near(picture, truth):
    """Relative differences where there is light."""
    a, b = blocks(picture), blocks(truth)
    lit = b > 0.02 * b.max()
    assert lit.sum() > 10
    return np.abs(a[lit] / b[lit] - 1.0)


# -- closed forms ------------------------------------------------------------------------------------


def test_the_closed_form_is_the_sum_over_pieces_of_the_tube(rng):
    """Midpoint rule over 20,000 pieces, the horizon counted piece by piece."""
    places = rng.uniform(-2.0, 2.0, (40, 3))
    places[:, 1] -= 2.5
    normals = sphere_directions(rng.random((40, 2)))
    axis, length, radius = np.array([0.6, 0.0, 0.8]), 1.4, 0.03
    s = ((np.arange(20_000) + 0.5) / 20_000 - 0.5) * length
    for place, normal in zip(places, normals, strict=True):
        offset = s[:, None] * axis - place
        d2 = (offset**2).sum(axis=1)
        toward = offset / np.sqrt(d2)[:, None]
        sine = np.sqrt(1.0 - (toward @ axis) ** 2)
        pieces = 2.0 * radius * sine * np.clip(toward @ normal, 0.0, None) / d2 * (length / len(s))
        whole = tube_illuminance(-place[None], axis[None], length, radius, normal[None])[0]
        assert whole == pytest.approx(pieces.sum(), rel=1e-4, abs=1e-9)


def test_far_away_all_light_of_a_tube_goes_through_a_sphere(rng):
    """Flux through a sphere of 50 m: the integral of sine squared over directions, times pi / 4 of that."""
    n = sphere_directions(rng.random((40_000, 2)))
    axis = np.array([[0.0, 0.0, 1.0]])
    lux = tube_illuminance(-50.0 * n, axis, 1.2, 0.02, -n)
    assert lux.mean() * 4.0 * np.pi * 50.0**2 == pytest.approx(tube_lumens(1.0, 1.2, 0.02), rel=0.01)


def test_strengths_are_stated_in_lumens_too():
    assert TUBE.strength_for(TUBE.lumens()) == pytest.approx(TUBE.luminance)
    assert TUBE.lumens() == pytest.approx(2.0 * np.pi**2 * 9000.0 * 0.02 * 1.6)
    assert BEAM.strength_for(BEAM.lumens()) == pytest.approx(BEAM.illuminance)
    assert BEAM.lumens() == pytest.approx(500.0 * 1.15 * 0.75)


def test_a_beams_flux_is_what_a_plane_across_it_gets(rng):
    rows = scene_of(BEAM).lamps.rows
    across = rng.uniform(-1.0, 1.0, (200_000, 2))
    places = np.stack([across[:, 0] + 0.2, np.full(len(across), 0.5), across[:, 1] + 0.1], axis=1)
    up = np.broadcast_to((0.0, 1.0, 0.0), places.shape)
    lux = kind_of(rows[0]).on_surface(rows, places, up) * 500.0
    assert lux.mean() * 4.0 == pytest.approx(BEAM.lumens(), rel=0.01)


# -- meter -------------------------------------------------------------------------------------------


@pytest.mark.parametrize("at", [(0.2, 0.0, 0.0), (1.3, 0.0, 0.6), (-0.4, 0.0, -1.0)])
def test_the_meter_reads_a_tubes_closed_form(at):
    scene = scene_of(TUBE.revised(shadow=False))
    level = floor()
    rays = RayScene(level, flatten(level))
    reading = direct_illuminance(rays, scene, at, (0.0, 1.0, 0.0), 64)
    c = np.array([TUBE.position]) - np.array([at])
    whole = tube_illuminance(c, np.array([[1.0, 0.0, 0.0]]), 1.6, 0.02, np.array([[0.0, 1.0, 0.0]]))[0]
    assert reading.direct_lx == pytest.approx(9000.0 * whole, rel=1e-4)


@pytest.mark.parametrize(
    ("at", "lux"), [((0.2, 0.0, 0.1), 500.0), ((0.9, 0.0, 0.1), 0.0), ((0.2, 2.5, 0.1), 0.0)]
)
def test_the_meter_reads_a_beam_inside_its_box_alone(at, lux):
    level = floor()
    reading = direct_illuminance(RayScene(level, flatten(level)), scene_of(BEAM), at, (0.0, 1.0, 0.0), 16)
    assert reading.direct_lx == pytest.approx(lux, rel=1e-6)


def test_a_beam_falls_off_by_the_cosine_and_is_stopped_by_a_board():
    level = floor(board=True, at=BOARD)
    rays, scene = RayScene(level, flatten(level)), scene_of(BEAM)
    tilted = direct_illuminance(rays, scene, (-0.2, 0.0, 0.1), (0.0, 0.6, 0.8), 16)
    assert tilted.direct_lx == pytest.approx(300.0, rel=1e-5)
    assert direct_illuminance(rays, scene, (0.3, 0.0, 0.0), (0.0, 1.0, 0.0), 16).direct_lx == 0.0


# -- pictures ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("lamp", [TUBE, BEAM], ids=["tube", "beam"])
@pytest.mark.parametrize("board", [False, True], ids=["open", "board"])
def test_settled_it_is_what_the_reference_finds(renderer, lamp, board):
    level, scene = floor(board=board, at=BOARD), scene_of(lamp)
    off = near(shown(renderer, level, scene), by_paths(level, scene, 64))
    assert np.median(off) < 0.03
    assert np.quantile(off, 0.9) < 0.12


@pytest.mark.parametrize("lamp", [TUBE, BEAM], ids=["tube", "beam"])
def test_under_the_hand_it_is_added_as_it_is_summed(renderer, lamp):
    level, scene = floor(board=True, at=BOARD), scene_of(lamp)
    whole = shown(renderer, level, scene, settled=False)
    added = shown(renderer, level, scene, settled=False, active=frozenset({lamp.id}), number=2)
    assert added == pytest.approx(whole, rel=4e-3, abs=1e-3)


@pytest.mark.parametrize("lamp", [TUBE, BEAM], ids=["tube", "beam"])
def test_haze_shows_it_as_paths_do(renderer, lamp):
    """Black ground and air: all light is scattered. Within a fifth at the median of blocks."""
    black = replace(
        floor(), materials=(Material("floor", (0.0, 0.0, 0.0, 1.0), 0.0, 1.0, double_sided=True),)
    )
    air = Air(on=True, visibility=60.0, scale_height=500.0, forwardness=0.0, reach=12.0)
    scene = scene_of(lamp.revised(shadow=False), air=air)
    real, truth = blocks(shown(renderer, black, scene), 12), blocks(by_paths(black, scene, 200), 12)
    lit = truth > 0.1 * truth.max()
    assert lit.sum() > 6
    assert np.median(real[lit] / truth[lit]) == pytest.approx(1.0, abs=0.2)


@pytest.mark.parametrize(("lamp", "kind"), [(TUBE, "point"), (BEAM, "spot")], ids=["tube", "beam"])
def test_it_is_written_as_the_nearest_light_there_is_and_the_loss_is_said(lamp, kind):
    document, _, lost = build_gltf(Project(sources=(lamp,)), floor())
    (light,) = document["extensions"]["KHR_lights_punctual"]["lights"]
    assert light["type"] == kind
    assert light["intensity"] > 0.0
    assert any(lamp.name in item and f"no {lamp.word}" in item for item in lost)


def test_no_part_of_a_tube_is_left_out_by_the_weights_of_paths(rng):
    """Wherever it gives light, a path may pick it: also beside its ends, close to the surface."""
    rows = scene_of(TUBE.revised(position=(0.0, 0.01, 0.0), length=6.0)).lamps.rows
    kind = kind_of(rows[0])
    places = rng.uniform(-4.0, 4.0, (4000, 3)) * [1.0, 0.02, 1.0]
    normals = sphere_directions(rng.random((4000, 2)))
    lit = kind.on_surface(rows, places, normals) > 0.0
    assert lit.sum() > 500
    assert (kind.about(rows, places, normals)[0][lit] > 0.0).all()
