"""Light that comes back from surfaces, at probes: laws and closed forms."""

import os
from dataclasses import replace

import numpy as np
import pytest
from level_shapes import field_of, grey_level, slabs_about

from wallum.document.air import Air
from wallum.document.derived import derived_folder
from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.errors import ValueProblem
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Level, Material, Mesh, Part
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.transport.field.bounce import BounceField, Field, bounced
from wallum.transport.field.field_cache import field_key, kept_field, load_field, save_field
from wallum.transport.field.glow import find_shining, glow_light
from wallum.transport.field.make_field import make_field
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.rays import RayScene

AIRS = Air(on=True, visibility=2000.0), Air(on=True, visibility=500.0)


def _lamp(place, **more):
    return PointSource(
        id="lamp", name="Lamp", position=place, intensity=1000.0, range=0.0, shadow=True, **more
    )


def _lit(rays, level, made, scene):
    bounce = BounceField.of(rays, level, made, {})
    for _ in bounce.relight(scene):
        pass
    return bounce


@pytest.fixture(scope="module")
def closed():
    """A closed grey room, and its field."""
    level = grey_level(*slabs_about((0.0, 0.0, 0.0), (4.0, 3.0, 5.0), 0.2))
    return (level, *field_of(level))


def _inside(made, low=(0.0, 0.0, 0.0), high=(4.0, 3.0, 5.0)):
    places = made.probes.places
    return ((places > np.array(low) - 0.01) & (places < np.array(high) + 0.01)).all(axis=1)


def test_every_probe_of_a_closed_room_sees_nothing_but_others(closed):
    _, _, built = closed
    inside = _inside(built)
    assert inside.sum() > 200
    whole = np.asarray(built.seen.others.sum(axis=1)).ravel()[inside]
    assert np.abs(whole - 1.0).max() < 1e-4
    assert built.seen.sky[inside].max() == 0.0


def test_a_closed_box_of_one_grey_is_the_series_of_its_albedo(closed):
    """Even light in a closed box comes back as the albedo, its square, and so on: a / (1 - a) of it."""
    _, _, built = closed
    inside = _inside(built)
    first = np.zeros((len(built.probes), 3), np.float32)
    first[inside] = 100.0
    light = bounced(built, first, np.zeros(3))[inside]
    albedo = float(built.probes.albedo[inside].mean())
    assert np.ptp(built.probes.albedo[inside]) < 1e-3
    assert light.mean() == pytest.approx(100.0 * albedo / (1.0 - albedo), rel=0.01)


def test_light_of_a_lamp_in_a_closed_box_is_what_its_flux_says(closed):
    """1000 cd all around are 4 pi times as many lumens; of a flux F in a closed box of area A the mean illuminance is F / A, and comes back as a / (1 - a)."""
    level, rays, built = closed
    scene = evaluate(Project(sources=(_lamp((2.0, 1.5, 2.5)),), look=Look()))
    inside = _inside(built)
    light = luminance(_lit(rays, level, built, scene).light(scene)[inside].astype(float))
    area = built.probes.area[inside].astype(float)
    albedo = float(built.probes.albedo[inside].mean())
    wanted = 4.0 * np.pi * 1000.0 / 94.0 * albedo / (1.0 - albedo)
    assert area.sum() == pytest.approx(94.0, rel=0.03)
    assert float((light * area).sum() / area.sum()) == pytest.approx(wanted, rel=0.05)


def test_light_never_grows(closed):
    built = closed[2]
    first = np.random.default_rng(1).random((len(built.probes), 3)).astype(np.float32)
    last = first
    for _ in range(6):
        after = built.seen.others @ (built.probes.albedo * last)
        assert after.max() <= built.probes.albedo.max() * last.max() * (1.0 + 1e-5)
        last = after


def test_strength_colour_and_switch_cost_no_rays(closed):
    level, rays, built = closed
    bounce = BounceField.of(rays, level, built, {})
    item = evaluate(Project(sources=(_lamp((1.0, 1.5, 2.5)),), look=Look()))
    for _ in bounce.relight(item):
        pass
    brighter = evaluate(Project(sources=(_lamp((1.0, 1.5, 2.5), trim=1.0),), look=Look()))
    off = evaluate(Project(sources=(_lamp((1.0, 1.5, 2.5), on=False),), look=Look()))
    assert bounce.stale(brighter) == bounce.stale(off) == []
    assert bounce.light(brighter) == pytest.approx(2.0 * bounce.light(item), rel=1e-5)
    assert bounce.light(off).max() == 0.0
    moved = evaluate(Project(sources=(_lamp((3.0, 1.5, 2.5)),), look=Look()))
    assert bounce.stale(moved) == ["lamp"]


def test_the_look_makes_it_brighter_or_paler(closed):
    level, rays, built = closed
    scene = evaluate(Project(sources=(_lamp((1.0, 1.5, 2.5), kelvin=2200.0),), look=Look()))
    bounce = _lit(rays, level, built, scene)
    true = bounce.light(scene)
    brighter = evaluate(Project(sources=(_lamp((1.0, 1.5, 2.5), kelvin=2200.0),), look=Look(bounce=2.0)))
    assert bounce.stale(brighter) == []
    assert bounce.light(brighter) == pytest.approx(4.0 * true, rel=1e-5)
    grey = bounce.light(replace(scene, bounce=(1.0, 0.0)))
    assert np.ptp(grey, axis=1).max() < 1e-5 * grey.max()
    assert luminance(grey.astype(float)) == pytest.approx(luminance(true.astype(float)), rel=1e-5)


def test_relit_is_as_lit_anew(closed):
    level, rays, built = closed
    here = evaluate(Project(sources=(_lamp((1.0, 1.5, 2.5)),), look=Look()))
    there = evaluate(Project(sources=(_lamp((3.0, 1.0, 1.5)),), look=Look()))
    bounce = _lit(rays, level, built, here)
    for _ in bounce.relight(there):
        pass
    assert bounce.light(there) == pytest.approx(_lit(rays, level, built, there).light(there), rel=1e-6)


def test_air_that_has_changed_lights_no_lamp_anew_under_a_hand(closed):
    level, rays, built = closed
    clear, hazy = (evaluate(Project(sources=(_lamp((1.0, 1.5, 2.5)),), look=Look(), air=air)) for air in AIRS)
    bounce = _lit(rays, level, built, clear)
    assert bounce.stale(hazy, draft_quality=True) == []
    assert bounce.stale(hazy) == ["lamp"]


def test_what_is_hurried_for_a_hand_stays_stale_until_it_is_whole():
    """What is hurried will do while a hand moves, and no longer; it is near what is whole, but not that."""
    yard = box((-1.0, -0.2, 14.0), (5.0, 0.0, 30.0), 0)
    level = grey_level(*slabs_about((0.0, 0.0, 0.0), (4.0, 3.0, 14.0), 0.1)[:-1], yard)
    rays, built = field_of(level)
    project = Project(sources=(*base_light(), _lamp((2.0, 1.5, 2.5))), look=Look())
    scene = evaluate(project, Moment(11.0))
    bounce = BounceField.of(rays, level, built, {})
    for _ in bounce.relight(scene, draft_quality=True):
        pass
    draft_quality = dict(bounce.units)
    assert not bounce.stale(scene, draft_quality=True)
    assert set(bounce.stale(scene)) == set(draft_quality) == {scene.sun.id, scene.sky.id, "lamp"}
    for _ in bounce.relight(scene):
        pass
    assert not bounce.stale(scene)
    assert not bounce.stale(scene, draft_quality=True)
    inside = _inside(built, high=(4.0, 3.0, 14.0))
    for item in draft_quality:
        quick, whole = (units[item].light[inside].astype(float) for units in (draft_quality, bounce.units))
        assert quick.mean() == pytest.approx(whole.mean(), rel=0.05)
        assert np.abs(quick - whole).max() > 0.005 * whole.mean()
    assert bounce.light(scene) == pytest.approx(_lit(rays, level, built, scene).light(scene), rel=1e-6)


@pytest.mark.parametrize("wall", [0.1, 0.2, 0.3])
def test_a_thin_wall_keeps_the_light_of_the_nextslabs_about(wall):
    """Two closed rooms side by side, a lamp in one: less than a hundredth comes through, whatever the wall."""
    rooms = slabs_about((0.0, 0.0, 0.0), (4.0, 3.0, 4.0), wall) + slabs_about(
        (4.0 + wall, 0.0, 0.0), (8.0, 3.0, 4.0), wall
    )
    level = grey_level(*rooms)
    rays, built = field_of(level)
    scene = evaluate(Project(sources=(_lamp((2.0, 1.5, 2.0)),), look=Look()))
    light = luminance(_lit(rays, level, built, scene).light(scene).astype(float))
    lit = _inside(built, (0.0, 0.0, 0.0), (4.0, 3.0, 4.0))
    dark = _inside(built, (4.0 + wall, 0.0, 0.0), (8.0, 3.0, 4.0)) & (built.probes.normals[:, 0] > -0.5)
    assert np.quantile(light[dark], 0.99) < 0.01 * np.median(light[lit])
    assert light[dark].mean() < 0.002 * np.median(light[lit])
    # What a picture's pixels find is the probe of their own side, up to the wall.
    at = np.linspace(4.0 + wall + 0.01, 4.0 + wall + 0.3, 30)
    floor = np.stack([at, np.zeros(30), np.full(30, 2.0)], axis=1)
    up = np.tile([[0.0, 1.0, 0.0]], (30, 1))
    assert light[built.probes.find(floor, up)].max() < 0.01 * np.median(light[lit])


def test_a_level_too_small_to_be_lit_has_no_field():
    level = grey_level(box((0.0, 0.0, 0.0), (1e-3, 1e-3, 1e-3), 0))
    rays = RayScene(level, flatten(level))
    assert not any(isinstance(item, Field) for item in make_field(rays, level, level.bounds))


def test_wide_ground_is_no_burden():
    level = grey_level(
        box((-200.0, -1.0, -200.0), (200.0, 0.0, 200.0), 0), box((0.0, 0.0, 0.0), (2.0, 2.0, 2.0), 0)
    )
    _, built = field_of(level)
    assert 500 < len(built.probes) < 100_000


def test_a_closed_room_beside_open_noon_stays_dark():
    level = grey_level(
        *slabs_about((0.0, 0.0, 0.0), (4.0, 3.0, 4.0), 0.1), box((-20.0, -1.0, -20.0), (20.0, -0.3, 20.0), 0)
    )
    rays, built = field_of(level)
    scene = evaluate(Project(sources=base_light(), look=Look()), Moment(12.0))
    light = luminance(_lit(rays, level, built, scene).light(scene).astype(float)) + 0.0
    sky = built.seen.sky.sum(axis=1)
    inside = _inside(built, (0.0, 0.0, 0.0), (4.0, 3.0, 4.0))
    open_noon = float(luminance(scene.sun.illuminance))
    assert np.quantile(light[inside], 0.5) < open_noon * 2.0**-14
    assert np.quantile(light[inside], 0.99) < open_noon * 2.0**-10
    assert np.quantile(sky[inside], 0.99) < 2.0**-10


def test_probes_say_what_paths_say(closed):
    level, rays, built = closed
    scene = evaluate(Project(sources=(_lamp((1.0, 2.2, 1.5)),), look=Look()))
    light = luminance(_lit(rays, level, built, scene).light(scene).astype(float))
    paths = Reference(rays, level, scene, Camera((0.0, 1.0, 0.0), (0.0, 0.0, -1.0)), (1, 1), 8)
    chosen = np.flatnonzero(_inside(built))[::40]
    seen = [
        luminance(paths.arriving(built.probes.places[item], built.probes.normals[item], 2000)[0].mean(axis=0))
        for item in chosen
    ]
    off = np.abs(np.log2(light[chosen] / np.array(seen)))
    assert np.median(off) < 0.1
    assert off.max() < 0.4


def test_glow_lights_what_it_faces_as_a_square_does():
    """A square of 1 m, 3 m below a surface that faces it: by its configuration factor (Howell B-3, four corners),
    times pi times its luminance; what comes back from black surfaces is nothing."""
    black = Material("black", (0.0, 0.0, 0.0, 1.0), 0.0, 1.0)
    shining = Material("shining", (0.0, 0.0, 0.0, 1.0), 0.0, 1.0, emissive=(1000.0, 1000.0, 1000.0))
    shapes = (box((-0.5, 0.0, -0.5), (0.5, 0.02, 0.5), 1), box((-6.0, 3.02, -6.0), (6.0, 3.1, 6.0), 0))
    part = Part("shapes", "shapes", 0, np.eye(4))
    level = Level("shapes", (Mesh("shapes", shapes),), (part,), (black, shining))
    rays, built = field_of(level)
    scene = evaluate(Project(sources=(), look=Look()))
    light = _lit(rays, level, built, scene).light(scene)[:, 1]
    places, normals = built.probes.places, built.probes.normals
    over = (np.abs(places[:, [0, 2]]) < 0.35).all(axis=1) & (normals[:, 1] < -0.9) & (places[:, 1] > 3.0)
    side = 0.5 / 3.0
    root = np.hypot(1.0, side)
    corner = (2.0 * side / root * np.arctan(side / root)) / (2.0 * np.pi)
    assert over.sum() >= 1
    assert light[over].mean() == pytest.approx(4.0 * corner * np.pi * 1000.0, rel=0.05)


def test_glow_is_known_by_its_material_and_that_of_a_lamps_body_lights_nothing():
    """Two squares of two materials: each has a share of its own; what is a body has none, until it is none."""
    black = Material("black", (0.0, 0.0, 0.0, 1.0), 0.0, 1.0)
    glows = [
        Material(name, (0.0, 0.0, 0.0, 1.0), 0.0, 1.0, emissive=(1000.0,) * 3) for name in ("fire", "sign")
    ]
    shapes = [box((-8.0, 3.02, -8.0), (8.0, 3.1, 8.0), 0), *(
        box((x - 0.5, 0.0, -0.5), (x + 0.5, 0.02, 0.5), number) for number, x in ((1, -4.0), (2, 4.0))
    )]  # fmt: skip
    meshes = tuple(Mesh(f"m{n}", (shape,)) for n, shape in enumerate(shapes))
    parts = tuple(Part(f"p{n}", f"p{n}", n, np.eye(4)) for n in range(3))
    level = Level("two", meshes, parts, (black, *glows))
    rays, built = field_of(level)
    scene = evaluate(Project(sources=(), look=Look()))
    bounce = _lit(rays, level, built, scene)
    at, down = np.array([[-4.0, 3.02, 0.0], [4.0, 3.02, 0.0]]), np.tile([0.0, -1.0, 0.0], (2, 1))
    shares = bounce.shares(scene, at, down)
    assert set(shares) == {"glow|fire", "glow|sign"}
    fire, sign = (luminance(shares[f"glow|{name}"].astype(float)) for name in ("fire", "sign"))
    assert fire[0] > 5.0 * fire[1] > 0.0
    assert fire[0] == pytest.approx(sign[1], rel=0.25)
    whole = bounce.light(scene)
    body = replace(scene, bodies=frozenset({"p1"}))
    assert set(bounce.stale(body)) == {"glow|fire", "glow|sign"}
    for _ in bounce.relight(body):
        pass
    shares = bounce.shares(body, at, down)
    assert not shares["glow|fire"].any()
    assert luminance(shares["glow|sign"].astype(float)) == pytest.approx(sign, rel=1e-5)
    for _ in bounce.relight(scene):
        pass
    assert bounce.light(scene) == pytest.approx(whole, rel=1e-5)


def test_of_the_fields_in_a_folder_the_oldest_go(closed, tmp_path, monkeypatch):
    level, rays, built = closed
    file = tmp_path / "a.wallum"
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    folder = derived_folder(file)
    folder.mkdir()
    for number in range(3):
        save_field(built, f"{number}", folder / f"field-{number}.npz")
        os.utime(folder / f"field-{number}.npz", (number, number))
    size = (folder / "field-0.npz").stat().st_size
    monkeypatch.setattr("wallum.transport.field.field_cache.HELD_BYTES", 3.5 * size)
    monkeypatch.setattr("wallum.transport.field.field_cache.make_field", lambda *_: iter([built]))
    assert kept_field(rays, level, level.bounds, file, ()) is built
    assert sorted(
        path.name for path in folder.iterdir() if path.stem in ("field-0", "field-1", "field-2")
    ) == [
        "field-1.npz",
        "field-2.npz",
    ]


def test_a_field_is_kept_and_a_broken_file_is_made_anew(closed, tmp_path):
    level, rays, built = closed
    path, key = tmp_path / "field.npz", field_key(rays, level)
    save_field(built, key, path)
    again = load_field(path, key)
    assert (again.seen.others != built.seen.others).nnz == 0
    assert np.array_equal(again.probes.cells, built.probes.cells)
    with pytest.raises(ValueProblem):
        load_field(path, "another")
    path.write_bytes(path.read_bytes()[:2000])
    with pytest.raises(ValueProblem):
        load_field(path, key)


def test_a_field_that_is_given_up_leaves_nothing(closed, tmp_path):
    level, rays, _ = closed
    project = tmp_path / "p.wallum"
    assert kept_field(rays, level, level.bounds, project, (), lambda done: done < 0.5) is None
    assert not list(tmp_path.rglob("field-*"))


def _hearth():
    """Embers beside twelve pillars on wide ground, which begin elsewhere in their cells each; places on the
    pillars' fronts, behind whose planes embers lie, and on their sides toward them."""
    dull = Material("dull", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0)
    embers = Material("embers", (0.0, 0.0, 0.0, 1.0), 0.0, 1.0, emissive=(1.0,) * 3, emissive_strength=1000.0)
    shapes, fronts, sides = [box((-45.0, -0.2, -45.0), (45.0, 0.0, 45.0), 0)], [], []
    for number in range(12):
        x, z = 2.37 * number - 12.0, 1.19 * number - 6.0
        shapes.append(box((x - 0.3, 0.0, z), (x, 1.2, z + 0.8), 0))
        shapes.append(box((x + 0.05, 0.0, z + 0.1), (x + 0.25, 0.01, z + 0.3), 1))
        fronts.append([x - 0.1, 0.2, z])
        sides.append([x, 0.2, z + 0.3])
    both = (tuple(shape for shape in shapes if shape.material == number) for number in (0, 1))
    meshes = tuple(Mesh(f"m{number}", own) for number, own in enumerate(both))
    parts = tuple(Part(name, name, number, np.eye(4)) for number, name in enumerate(("ground", "embers")))
    return Level("hearth", meshes, parts, (dull, embers)), fronts, sides


def _embers(number):
    """Points on one of the hearth's embers, the ways they face (K, 3), and the area of each (K,)."""
    line = (np.arange(8) + 0.5) * 0.2 / 8.0
    x, z = (item.ravel() for item in np.meshgrid(line, line))
    points, faces = [np.stack([x, 0.0 * x + 0.01, z], axis=1)], [np.tile([0.0, 1.0, 0.0], (64, 1))]
    for axis, side in ((0, 0.0), (0, 0.2), (2, 0.0), (2, 0.2)):
        edge = np.full((8, 3), 0.005)
        edge[:, axis], edge[:, 2 - axis] = side, line
        face = np.zeros(3)
        face[axis] = np.sign(side - 0.1)
        points.append(edge)
        faces.append(np.tile(face, (8, 1)))
    areas = np.r_[np.full(64, 0.04 / 64.0), np.full(32, 0.002 / 8.0)]
    begin = np.array([2.37 * number - 11.95, 0.0, 1.19 * number - 5.9])
    return np.concatenate(points) + begin, np.concatenate(faces), areas


def _from_embers(place, normal, numbers):
    """Illuminance of a place by embers of 1,000 cd/m2 with nothing between: the integral [lx]."""
    out = 0.0
    for points, faces, areas in map(_embers, numbers):
        offsets = points - place
        cosines = np.maximum(offsets @ normal, 0.0) * np.maximum(-(offsets * faces).sum(axis=1), 0.0)
        out += 1000.0 * (cosines / (offsets**2).sum(axis=1) ** 2 * areas).sum()
    return out


def test_what_glows_in_a_cell_with_dull_ground_belongs_to_its_own_part():
    """Ground that has more of a cell than the embers in it does not take their light from the lamp that they
    follow: that stayed when the lamp was dimmed."""
    level, _, _ = _hearth()
    _, built = field_of(level)
    assert set(find_shining(built.probes, ("glow", "glow|embers")).groups) == {"glow|embers"}


def test_embers_beside_dull_ground_shine_from_where_they_lie():
    """Embers behind the planes of pillars' fronts: those have none of their light, wherever cells begin, though
    what faces up in the embers' cells reaches before the fronts."""
    level, fronts, sides = _hearth()
    rays, built = field_of(level)
    numbers = find_shining(built.probes, ("glow", "glow")).groups["glow"]
    light = luminance(glow_light(rays, built.probes, numbers).astype(float))
    front = built.probes.find(np.array(fronts), np.tile([0.0, 0.0, -1.0], (12, 1)))
    side = built.probes.find(np.array(sides), np.tile([1.0, 0.0, 0.0], (12, 1)))
    assert light[side].min() > 10.0
    for number, probe in enumerate(front.tolist()):
        others = [k for k in range(12) if k != number]
        places, faces = built.probes.samples[probe], built.probes.faces[probe]
        farther = np.mean([_from_embers(*item, others) for item in zip(places, faces, strict=True)])
        assert 0.5 * farther <= light[probe] <= 1.1 * farther, "but for what farther embers send"
    sent = luminance(built.probes.glow[numbers].astype(float)) * built.probes.area[numbers]
    assert sent.sum() == pytest.approx(12 * 1000.0 * (0.04 + 4 * 0.2 * 0.01), rel=0.35)
