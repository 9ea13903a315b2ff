"""What every entry of the table of kinds has to keep, whatever it is."""

import numpy as np
import pytest

from wallum.document.sources import LAMP_KINDS
from wallum.moment.camera import look_rotation
from wallum.moment.kinds import KINDS, SHADERS, by_kind, kind_of, row_of, shader_numbers
from wallum.moment.lamps import LAMP_ROW, Lamps
from wallum.moment.view import bounding_spheres
from wallum.physics.emitters import sphere_directions
from wallum.realtime.gl.programs import source_of

RNG = np.random.default_rng(3)
EVERY = pytest.mark.parametrize("kind", KINDS, ids=[kind.name for kind in KINDS])


def lamp_of(kind, **values):
    values = {"position": (1.0, 2.0, -3.0), "radius": 0.2, "shadow": True, **values}
    built = LAMP_KINDS[kind.name](id="a", name="A", **values)
    return built.revised(direction=(0.6, -0.8, 0.0)) if built.AIMED else built


def rows_of(*lamps):
    return np.frombuffer(b"".join(map(row_of, lamps)), LAMP_ROW).copy()


def places_about(row, far=8.0, count=4000):
    away = sphere_directions(RNG.random((count, 2))) * (far * RNG.random((count, 1)) ** 0.5)
    return row["position"] + away


def test_the_document_and_the_table_have_the_same_kinds():
    assert {kind.name for kind in KINDS} == set(LAMP_KINDS)


@EVERY
def test_a_row_knows_its_kind_and_what_all_kinds_have(kind):
    lamp = lamp_of(kind, range=4.0)
    row = rows_of(lamp)[0]
    assert kind_of(row) is kind
    assert row["position"] == pytest.approx(lamp.position)
    assert row["range"] == 4.0
    assert row["shadow"] == 1.0
    assert float(row["emission"] @ [0.2126, 0.7152, 0.0722]) == pytest.approx(lamp.strength, rel=1e-5)


@EVERY
def test_light_stays_within_its_bounds(kind):
    rows = rows_of(lamp_of(kind, range=5.0))
    centres, radii = bounding_spheres(Lamps(("a",), rows))
    places = places_about(rows[0], 9.0, 16_000)
    outside = np.linalg.norm(places - centres[0], axis=1) > radii[0] * 1.0001
    lit = kind.sample(rows, places).strength > 0.0
    assert outside.sum() > 500
    assert lit.sum() > 50
    assert not (lit & outside).any()


@EVERY
def test_nothing_is_lit_outside_the_cone_of_its_row(kind):
    rows = rows_of(lamp_of(kind))
    places = places_about(rows[0])
    offset = places - rows["position"]
    cosine = offset @ rows["direction"][0] / np.linalg.norm(offset, axis=1)
    beyond = cosine < rows["cos_outer"][0] - 1e-6
    assert not (kind.sample(rows, places).strength[beyond] > 0.0).any()


@EVERY
def test_directions_and_reach_lead_to_the_body(kind):
    rows = rows_of(lamp_of(kind))
    places = places_about(rows[0], count=2000)
    toward, reach, strength = kind.sample(rows, places, RNG.random((len(places), 3)))
    ends = (places + toward * reach[:, None])[strength > 0.0]
    assert np.linalg.norm(toward, axis=1) == pytest.approx(np.ones(len(places)))
    assert len(ends) > 5
    assert np.linalg.norm(ends - rows["position"], axis=1).max() <= 2.0 * kind.extent(rows)[0] + 1e-6


@EVERY
def test_what_is_said_of_a_surface_is_the_mean_of_samples(kind):
    """Far enough for a body's size not to matter where `on_surface` takes its middle."""
    rows = rows_of(lamp_of(kind))
    # A tube shines most across its axis.
    aim = np.array([0.0, -1.0, 0.0]) if kind.name == "tube" else rows["direction"][0].astype(float)
    place = rows["position"].astype(float) + aim * 3.0
    normal = -aim / np.linalg.norm(aim)
    toward, _, strength = kind.sample(rows, np.repeat(place, 4096, axis=0), RNG.random((4096, 3)))
    mean = (strength * np.clip(toward @ normal, 0.0, None)).mean()
    assert kind.on_surface(rows, place, normal[None])[0] == pytest.approx(mean, rel=0.02)


@EVERY
def test_its_tiles_look_wherever_it_shines(kind):
    row = rows_of(lamp_of(kind))[0]
    tiling = kind.tiling(row)
    assert len(tiling.directions) == kind.tiles
    places = places_about(row, 6.0, 2000)
    lit = kind.sample(np.array([row]), places).strength > 0.0
    ray = (places - row["position"])[lit]
    seen = np.zeros(len(ray), bool)
    if tiling.half is not None:
        along = ray @ tiling.directions[0]
        across = ray @ tiling.side, ray @ np.cross(tiling.side, tiling.directions[0])
        seen |= (along > 0.0) & (np.abs(across[0]) <= tiling.half[0]) & (np.abs(across[1]) <= tiling.half[1])
    for direction in tiling.directions if tiling.half is None else ():
        right, up, back = look_rotation(direction) @ ray.T
        inside = np.maximum(np.abs(right), np.abs(up)) <= tiling.tangent * -back * 1.0001
        seen |= (back < 0.0) & inside
    assert lit.any()
    assert seen.all()


@EVERY
def test_moved_rows_keep_all_but_their_place(kind):
    rows = rows_of(lamp_of(kind), lamp_of(kind))
    moved = kind.moved(rows, RNG.random((2, 3)))
    assert (np.linalg.norm(moved["point"] - rows["position"], axis=1) <= kind.extent(rows) + 1e-6).all()
    # Parallel light has one direction: its point stays.
    assert np.array_equal(moved["point"][0], moved["point"][1]) == (kind.tiling(rows[0]).half is not None)
    for name in set(LAMP_ROW.names) - {"point", "position"}:
        assert np.array_equal(moved[name], rows[name]), name


@EVERY
def test_its_shader_gives_light_with_and_without_shadow(kind):
    text = source_of("lighting.frag.glsl", frozenset({"LAMPS", "LAMP_SHADOWS", f"OF_{kind.shader.upper()}"}))
    assert f"vec3 {kind.shader}_light(uint lamp, Surface s)" in text
    assert f"vec3 {kind.shader}_shadowed(uint lamp, Surface s)" in text


def test_strength_and_colour_change_no_shadow_and_no_list():
    rows = np.concatenate([rows_of(lamp_of(kind)) for kind in KINDS])
    lamps = Lamps(tuple(map(str, range(len(rows)))), rows)
    brighter = rows.copy()
    brighter["emission"] *= 3.0
    other = Lamps(lamps.ids, brighter)
    assert other.shape_key() == lamps.shape_key()
    assert other.shadow_keys() == lamps.shadow_keys()
    moved = rows.copy()
    moved["point"] += 0.5
    assert Lamps(lamps.ids, moved).shadow_keys() != lamps.shadow_keys()
    assert Lamps(lamps.ids, moved).shape_key() != lamps.shape_key()


def test_rows_are_told_apart_by_kind_and_shader():
    rows = np.concatenate([rows_of(lamp_of(kind)) for kind in (*KINDS, KINDS[0])])
    result = {kind.name: numbers.tolist() for kind, numbers in by_kind(rows)}
    assert result[KINDS[0].name] == [0, len(KINDS)]
    assert [SHADERS[n] for n in shader_numbers(rows)][: len(KINDS)] == [kind.shader for kind in KINDS]
