"""What is seen of the sky from where: closed forms, leaks, keeping, and the picture's twin."""

import time
from dataclasses import replace

import numpy as np
import pytest
from scipy.ndimage import map_coordinates, uniform_filter
from set_lights import plain_sky

from wallum.document.derived import derived_folder
from wallum.document.project import Project
from wallum.errors import ValueProblem
from wallum.level.flatten import flatten
from wallum.level.model import Level, Material, Mesh, Part
from wallum.level.pale_room import pale_room
from wallum.level.solids import box, grid
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.physics.colour import luminance
from wallum.realtime.level.bundle import probe_grid
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer
from wallum.transport import kept_grid as keeping
from wallum.transport.direct import direct_illuminance
from wallum.transport.heroes import hero_cells
from wallum.transport.kept_grid import kept_grid
from wallum.transport.rays import RayScene
from wallum.transport.sky_grid import grid_key, load_grid, make_grid, save_grid

UP = np.array([[0.0, 1.0, 0.0]])


def level_of(*primitives, name="made"):
    meshes = tuple(Mesh(f"m{i}", (one,)) for i, one in enumerate(primitives))
    parts = tuple(Part(f"p{i}", f"p{i}", i, np.eye(4)) for i in range(len(meshes)))
    return Level(name, meshes, parts, (Material("grey", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0, double_sided=False),))


def rays_of(level):
    return RayScene(level, flatten(level))


def ground(side=20.0):
    line = np.linspace(-side, side, 17)
    x, z = np.meshgrid(line, line)
    return grid(np.stack([x, 0 * x, z], axis=-1)[::-1], 0)


def grid_of(level):
    return make_grid(rays_of(level), level.bounds)


def cellar():
    """A yard with a house without a roof beside a house that is closed but for its door."""
    walls = [
        ((-8.0, 0.0, -4.0), (-2.0, 3.0, -3.8)), ((-8.0, 0.0, 3.8), (-2.0, 3.0, 4.0)),
        ((-8.0, 0.0, -4.0), (-7.8, 3.0, 4.0)), ((-2.2, 0.0, -4.0), (-2.0, 3.0, 4.0)),
        ((2.0, 0.0, -4.0), (8.0, 3.0, -3.8)), ((2.0, 0.0, 3.8), (8.0, 3.0, 4.0)),
        ((7.8, 0.0, -4.0), (8.0, 3.0, 4.0)), ((2.0, 0.0, -4.0), (2.2, 3.0, 4.0)),
        ((2.0, 3.0, -4.0), (8.0, 3.2, 4.0)),
    ]  # fmt: skip
    return level_of(ground(10.0), *(box(low, high, 0) for low, high in walls))


def test_an_open_plain_sees_all_of_the_sky():
    made = grid_of(level_of(ground(), box((8.0, 0.0, 8.0), (9.0, 4.0, 9.0), 0)))
    seen = made.seen(np.array([[-5.0, 0.02, -5.0], [0.0, 0.02, 3.0]]), np.tile(UP, (2, 1)))
    assert seen == pytest.approx([1.0, 1.0], abs=0.05)


def test_a_closed_room_sees_nothing():
    room = pale_room()
    made = grid_of(room)
    places = np.array([[-1.0, 0.02, 1.0], [-1.0, 2.9, 1.0], [2.0, 0.02, 3.0]])
    normals = np.array([[0.0, 1.0, 0.0], [0.0, -1.0, 0.0], [0.0, 1.0, 0.0]])
    assert made.seen(places, normals) == pytest.approx([0.0, 0.0, 0.0], abs=0.01)


def hall(side=20.0, high=4.0, half=1.0):
    """A hall with one square opening in the middle of its ceiling."""
    s, h = side / 2.0, high
    walls = [
        ((-s - 0.3, 0.0, -s), (-s, h, s)), ((s, 0.0, -s), (s + 0.3, h, s)),
        ((-s, 0.0, -s - 0.3), (s, h, -s)), ((-s, 0.0, s), (s, h, s + 0.3)),
        ((-s, h, -s), (-half, h + 0.05, s)), ((half, h, -s), (s, h + 0.05, s)),
        ((-half, h, -s), (half, h + 0.05, -half)), ((-half, h, half), (half, h + 0.05, s)),
    ]  # fmt: skip
    return level_of(ground(s), *(box(low, high, 0) for low, high in walls))


def test_a_small_opening_is_seen_from_afar_as_by_the_closed_form():
    """Floor at a distance d of an opening A at a height h gets A h2 / (pi (h2 + d2)2) of an even
    sky's light; few rays would mostly miss it."""
    made = grid_of(hall())
    off, around = np.meshgrid(np.linspace(3.0, 5.5, 8), np.linspace(0.0, 6.2, 12))
    places = np.stack([off * np.cos(around), np.full_like(off, 0.02), off * np.sin(around)], axis=-1)
    seen = made.seen(places.reshape(-1, 3), np.tile(UP, (off.size, 1)))
    expected = (4.0 * 16.0 / (np.pi * (16.0 + off**2) ** 2)).ravel()
    assert seen.mean() == pytest.approx(expected.mean(), rel=0.25)
    close = np.abs(np.log2(np.maximum(seen, 1e-6) / expected)) < 1.0
    assert close.mean() > 0.8


def test_the_foot_of_a_long_wall_sees_half_of_it():
    level = level_of(ground(20.0), box((-20.0, 0.0, 0.0), (20.0, 60.0, 0.5), 0))
    made = grid_of(level)
    seen = made.seen(np.array([[0.0, 0.02, 0.6], [3.0, 0.02, 0.7]]), np.tile(UP, (2, 1)))
    assert seen == pytest.approx([0.5, 0.5], abs=0.12)
    facing_out = made.seen(np.array([[0.0, 10.0, 0.52]]), np.array([[0.0, 0.0, 1.0]]))
    # The upper half of what a wall faces is sky, the lower is ground as open as that.
    assert facing_out[0] == pytest.approx(0.9, abs=0.12)


def test_light_does_not_leak_through_the_walls_of_a_closed_house():
    made = grid_of(cellar())
    floor = np.array([[x, 0.02, z] for x in (3.0, 5.0, 7.0) for z in (-3.0, 0.0, 3.0)])
    inside = made.seen(floor, np.tile(UP, (len(floor), 1)))
    assert inside.max() < 0.06
    wall = made.seen(np.array([[2.22, 1.5, 0.0]]), np.array([[1.0, 0.0, 0.0]]))
    assert wall[0] < 0.06
    roofless = made.seen(np.array([[-5.0, 0.02, 0.0]]), UP)
    assert 0.3 < roofless[0] < 0.9


def test_it_agrees_with_rays_where_it_is_coarse_by_nature():
    """The roofless house: what an even sky gives its floor, by the meter and by the grid."""
    level = cellar()
    rays = rays_of(level)
    made = make_grid(rays, level.bounds)
    scene = evaluate(Project(sources=(plain_sky(ground=0.0),)))
    # As even as it gets: the plain dome is brighter low down, where the walls stand.
    even = np.ones_like(scene.sky.luminance)
    scene = replace(scene, sky=replace(scene.sky, luminance=even))
    for x in (-5.0, -6.0):
        reading = direct_illuminance(rays, scene, np.array([x, 0.02, 0.5]), UP[0], 4096)
        seen = made.seen(np.array([[x, 0.02, 0.5]]), UP)[0]
        assert seen == pytest.approx(reading.direct_lx / np.pi, abs=0.08)


def test_making_can_be_given_up_and_tells_how_far_it_is():
    level = cellar()
    told = []

    def go_on(done):
        told.append(done)
        return len(told) < 5

    assert make_grid(rays_of(level), level.bounds, go_on) is None
    assert len(told) == 5
    assert told == sorted(told)


def test_a_grid_is_kept_found_again_and_made_anew_when_parts_change(tmp_path, monkeypatch):
    level, file = cellar(), tmp_path / "yard.wallum"
    calls = []
    real = keeping.make_grid
    monkeypatch.setattr(keeping, "make_grid", lambda *a: calls.append(1) or real(*a))
    first = kept_grid(rays_of(level), level.bounds, file)
    again = kept_grid(rays_of(level), level.bounds, file)
    assert len(calls) == 1
    assert np.array_equal(first.values, again.values)
    (path,) = derived_folder(file).iterdir()
    changed = replace(level, parts=level.parts[:-1])
    kept_grid(rays_of(changed), changed.bounds, file)
    assert len(calls) == 2
    path.write_bytes(path.read_bytes()[:200])
    kept_grid(rays_of(level), level.bounds, file)
    assert len(calls) == 3
    assert kept_grid(rays_of(Level("empty")), Level("empty").bounds, file) is None


def test_a_folder_that_cannot_be_written_costs_only_the_keeping(tmp_path):
    (tmp_path / "yard.derived").write_text("in the way")
    level = level_of(box((0.0, 0.0, 0.0), (1.0, 1.0, 1.0), 0))
    assert kept_grid(rays_of(level), level.bounds, tmp_path / "yard.wallum") is not None


def test_kept_grids_of_other_levels_and_rubbish_are_refused(tmp_path):
    level = level_of(box((0.0, 0.0, 0.0), (1.0, 1.0, 1.0), 0))
    rays = rays_of(level)
    made, path = make_grid(rays, level.bounds), tmp_path / "sky.npz"
    save_grid(made, grid_key(rays), path)
    assert np.array_equal(load_grid(path, grid_key(rays)).values, made.values)
    for key in ("other",):
        with pytest.raises(ValueProblem):
            load_grid(path, key)
    path.write_text("rubbish")
    with pytest.raises(ValueProblem):
        load_grid(path, grid_key(rays))


def test_old_grids_go(tmp_path, monkeypatch):
    monkeypatch.setattr(keeping, "MOST_KEPT", 2)
    file = tmp_path / "a.wallum"
    for size in (1.0, 2.0, 3.0, 4.0):
        level = level_of(box((0.0, 0.0, 0.0), (size, 1.0, 1.0), 0))
        kept_grid(rays_of(level), level.bounds, file)
    assert len(list(derived_folder(file).iterdir())) == 2


def test_the_picture_reads_the_grid_as_numpy_does():
    level = cellar()
    made = grid_of(level)
    renderer = Renderer()
    renderer.set_level(bundle_level(level))
    camera = Camera((-5.0, 9.0, 0.0), (0.0, -1.0, -0.001), 40.0, 1.0, far=100.0)
    size = (64, 64)
    request = PictureRequest(1, evaluate(Project(sources=(plain_sky(ground=0.0),))), camera, size)

    def drawn():
        for _ in renderer.draw(request):
            pass
        return luminance(renderer.luminance(request, settled=False).astype(float))

    whole = drawn()
    renderer.set_grid(probe_grid(made))
    cut = drawn()
    opened = np.frombuffer(renderer.engine._still.gbuffer.open.read(), np.float16)
    opened = opened.reshape(64, 64, 4)[::-1].astype(float)
    x, y = np.meshgrid((np.arange(64) + 0.5) / 64, (np.arange(64) + 0.5) / 64)
    hits = rays_of(level).first_visible(
        np.tile(np.array(camera.eye), (4096, 1)), camera.rays(x.ravel(), y.ravel())
    )
    floor = np.isclose(hits.distance * -camera.rays(x.ravel(), y.ravel())[:, 1], 9.0, atol=1e-3)
    points = np.array(camera.eye) + camera.rays(x.ravel(), y.ravel()) * hits.distance[:, None]
    exact = made.seen(points[floor], np.tile(UP, (floor.sum(), 1)))
    assert np.abs(opened.reshape(-1, 4)[floor, 0] - exact).max() < 0.03
    share = (cut / whole).ravel()[floor]
    assert share.max() < 1.02
    assert share.mean() < 0.95


def test_heroes_are_found_in_the_picture(room):
    rays = rays_of(room)
    camera = Camera((0.0, 1.5, 3.5), (0.5, -0.2, -1.0), 60.0, 16 / 9, far=50.0)
    none = hero_cells(rays, room, frozenset(), camera, (64, 36))
    some = hero_cells(rays, room, frozenset({room.parts[-1].id}), camera, (64, 36))
    every = hero_cells(rays, room, frozenset(p.id for p in room.parts), camera, (64, 36))
    assert none.sum() == 0
    assert 0 < some.sum() < every.sum()
    assert every.mean() == 1.0


def test_each_step_is_short_enough_to_stop_between():
    level = cellar()
    rays = rays_of(level)
    rays.first_hit(np.zeros((1, 3)), UP)
    from wallum.transport.sky_grid import GridMaker

    maker = GridMaker(rays, level.bounds)
    began = time.perf_counter()
    steps = sum(1 for _ in maker.steps())
    assert steps > 50
    assert maker.done == 1.0
    assert (time.perf_counter() - began) / steps < 0.5


def test_no_open_air_is_read_within_a_closed_house():
    """Whatever lies between its probes; over the house and in the one without a roof the air is open."""
    made = grid_of(cellar())
    inside = np.random.default_rng(3).uniform((2.3, 0.1, -3.7), (7.7, 2.9, 3.7), (2000, 3))

    def read(values, places):
        return map_coordinates(values, ((places - made.low) / made.step).T, order=1, mode="nearest")

    assert read(made.air.astype(float), inside).max() < 0.01
    # What would be read if a probe in a wall had the mean of those about it.
    there = made.values[..., 0] >= 0.0
    known = np.where(there, made.values.astype(float).mean(axis=3), 0.0)
    near = uniform_filter(known, 3) / np.maximum(uniform_filter(there.astype(float), 3), 1e-3)
    assert read(np.where(there, known, near), inside).max() > 0.1
    assert read(made.air.astype(float), np.array([[5.0, 4.5, 0.0]]))[0] > 0.4
    assert read(made.air.astype(float), np.array([[-5.0, 2.0, 0.0]]))[0] > 0.2
