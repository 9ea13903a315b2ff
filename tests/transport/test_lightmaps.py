"""Baked light against closed forms; what is still, what is live; gone on with after a kill; kept whole."""

import os
import signal
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from level_shapes import field_of, glowing_room, grey_level, plain_ground
from set_lights import plain_sky, set_sun

from wallum.document.baking import Baking
from wallum.document.project import Project
from wallum.document.sources import PointSource
from wallum.errors import LevelProblem, ValueProblem
from wallum.level.model.model import Material
from wallum.level.model.solids import box
from wallum.moment.baked import baked_state, changed_since, still_alone
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.static_sources import still_ids
from wallum.physics.colour import luminance
from wallum.physics.dome import irradiance
from wallum.transport.lightmaps.bake import BakeRequest, bake
from wallum.transport.lightmaps.bake_cache import load_bake, load_part, save_bake
from wallum.transport.lightmaps.baking import outside_bodies
from wallum.transport.lightmaps.texels import filled, find_texels
from wallum.transport.paths.reference import Reference

EYE = Camera((0.0, 1.0, 0.0), (0.0, 0.0, -1.0))
ROOM = ((0.0, 0.0, 0.0), (4.0, 3.0, 5.0))


def closed_room(wall=0.1):
    (x0, y0, z0), (x1, y1, z1), w = *ROOM, wall
    return grey_level(
        box((x0 - w, y0 - w, z0 - w), (x1 + w, y0, z1 + w), 0), box((x0 - w, y1, z0 - w), (x1 + w, y1 + w, z1 + w), 0),
        box((x0 - w, y0, z0 - w), (x0, y1, z1 + w), 0), box((x1, y0, z0 - w), (x1 + w, y1, z1 + w), 0),
        box((x0, y0, z0 - w), (x1, y1, z0), 0), box((x0, y0, z1), (x1, y1, z1 + w), 0),
    )  # fmt: skip


def lamp(**more):
    inputs = {"position": (2.0, 1.5, 2.5), "intensity": 100.0, "shadow": True, "radius": 0.02, "range": 0.0}
    return PointSource(**{"id": "lamp", "name": "Lamp", **inputs, **more})


def order_of(level, project, **settings):
    rays, built = field_of(level)
    scene = still_alone(evaluate(project), still_ids(project))
    chosen = Baking(**{"texels": 4.0, "paths": 16, "smallest": 0.0, "denoised": False, **settings})
    return BakeRequest(rays, level, built, scene, chosen, "a level", "12:00", project.follows)


def inside_of(order, baked):
    """Texels of surfaces that face the room, their light and their share of its area."""
    texels = find_texels(order.rays.triangles, baked.laid)
    texels = texels.only(outside_bodies(order.rays, texels))
    low, high = np.array(ROOM[0]) - 1e-3, np.array(ROOM[1]) + 1e-3
    within = ((texels.places > low) & (texels.places < high)).all(axis=1)
    texels = texels.only(
        within & (((np.mean(ROOM, axis=0) - texels.places) * texels.faces).sum(axis=1) > 0.0)
    )
    light = baked.pages.reshape(-1, 3)[texels.number]
    return texels, light


def test_under_the_open_sky_texels_have_its_closed_form():
    project = Project(sources=(plain_sky(ground=0.0),))
    order = order_of(plain_ground(4.0), project, texels=2.0, paths=64)
    baked = bake(order, None)
    expected = irradiance(evaluate(project).sky.terms, np.array([[0.0, 1.0, 0.0]]))[0]
    shown = baked.pages.reshape(-1, 3)[find_texels(order.rays.triangles, baked.laid).number]
    assert shown.mean(axis=0) == pytest.approx(expected, rel=0.03)


def test_a_closed_grey_box_has_all_that_its_lamp_gives_and_the_series_of_its_albedo():
    """All light of a lamp is swallowed by the walls: their mean illuminance is its flux over their area times
    what is swallowed; without what comes straight, so much less as the flux over the area is."""
    level, project = closed_room(), Project(sources=(lamp(),))
    x, y, z = ROOM[1]
    area, flux = 2.0 * (x * y + y * z + x * z), 4.0 * np.pi * 100.0
    order = order_of(level, project, holds="all light", paths=48)
    assert order.straight
    whole = inside_of(order, bake(order, None))[1]
    reflected = 0.5  # its albedo, of which the gloss keeps a little
    assert luminance(whole.astype(float)).mean() == pytest.approx(flux / area / (1.0 - reflected), rel=0.06)
    around = replace(order, settings=order.settings.revised(holds="from around"))
    rest = inside_of(around, bake(around, None))[1]
    expected = flux / area * (1.0 / (1.0 - reflected) - 1.0)
    assert luminance(rest.astype(float)).mean() == pytest.approx(expected, rel=0.08)


def test_right_under_a_lamp_it_is_as_bright_as_the_law_of_distance_says():
    project = Project(sources=(lamp(position=(0.0, 2.0, 0.0)),))
    order = order_of(plain_ground(4.0), project, holds="all light", paths=32)
    baked = bake(order, None)
    texels = find_texels(order.rays.triangles, baked.laid)
    away = np.hypot(texels.places[:, 0], texels.places[:, 2])
    expected = 100.0 * 2.0 / (4.0 + away**2) ** 1.5
    near = away < 3.0
    light = luminance(baked.pages.reshape(-1, 3)[texels.number].astype(float))
    assert light[near] == pytest.approx(expected[near], rel=0.02)


def test_live_sources_are_left_out_and_glow_stays():
    level = glowing_room(Material("floor", (0.5, 0.5, 0.5, 1.0), 0.0, 1.0))
    light = {}
    for name in ("still", "live"):
        order = order_of(level, Project(sources=(lamp(baked=name),)), paths=8)
        baked = bake(order, None)
        light[name] = luminance(inside_of(order, baked)[1].astype(float)).mean()
        assert ("lamp" in baked.ids) == (name == "still")
        assert "glow" in baked.ids
    assert 0.0 < light["live"] < light["still"]


def test_noon_does_not_come_through_a_thin_wall():
    sources = (*(item.revised(on=True) for item in (plain_sky(), set_sun())),)
    order = order_of(closed_room(), Project(sources=sources), texels=6.0, paths=8, holds="all light")
    texels, light = inside_of(order, bake(order, None))
    assert len(texels) > 1000
    assert light.max() == 0.0


def test_at_the_foot_of_walls_it_is_as_light_as_beside_it():
    """Slabs that go on under walls and over them: light at their rims, outside, is not read inside. By paths."""
    (x0, y0, z0), (x1, y1, z1), w = *ROOM, 0.1
    level = grey_level(
        box((-2.5, -0.5, -2.5), (6.5, -0.1, 7.5), 0),
        box((x0 - w, y0 - w, z0 - w), (x1 + w, y0, z1 + w), 0), box((x0 - w, y1, z0 - w), (x1 + w, y1 + w, z1 + w), 0),
        box((x0 - w, y0, z0 - w), (x0, y1, z1 + w), 0), box((x0, y0, z0 - w), (x1, y1, z0), 0),
        box((x0, y0, z1), (x1, y1, z1 + w), 0), box((x1, y0, z0 - w), (x1 + w, y1, 1.0), 0),
        box((x1, y0, 2.0), (x1 + w, y1, z1 + w), 0), box((x1, 2.1, 1.0), (x1 + w, y1, 2.0), 0),
    )  # fmt: skip
    sources = tuple(item.revised(on=True) for item in (plain_sky(), set_sun()))
    order = order_of(level, Project(sources=sources), paths=64)
    baked = bake(order, None)
    paths = Reference(order.rays, level, order.scene, EYE, (1, 1), 6)
    along, rng = np.linspace(0.4, 2.4, 25), np.random.default_rng(3)
    for height, up in ((0.2, -1.0), (2.8, 1.0)):
        start = np.stack([along, np.full(25, height), np.full(25, 0.02)], axis=1).astype(np.float32)
        direction = np.tile(np.float32([0.0, up, 0.0]), (25, 1))
        hits = order.rays.first_hit(start, direction)
        at_foot = luminance(baked.at(hits.triangle, hits.weights)[0])
        met = start + direction * hits.distance[:, None]
        each = (np.repeat(item, 400, axis=0) for item in (met, -direction, -direction))
        true = luminance(paths.falling(*each, rng, False)).reshape(25, 400).mean(axis=1)
        ratio = at_foot / true
        assert 0.7 < np.median(ratio) < 1.4
        assert np.quantile(ratio, 0.9) < 2.3


def test_a_bake_that_was_ended_goes_on_where_it_was(tmp_path):
    order, part = (
        order_of(closed_room(), Project(sources=(lamp(),)), texels=2.0, paths=6),
        tmp_path / "part.npz",
    )
    whole = bake(order, None)
    asked = []

    def until_half(done):
        asked.append(done)
        return done < 0.5

    assert bake(order, part, until_half) is None
    selected = load_part(part, order.word)
    assert 0 < int(selected["samples"]) < 6
    again = bake(order, part)
    assert np.array_equal(again.pages, whole.pages)
    # Of another light nothing is gone on with.
    other = replace(
        order, scene=still_alone(evaluate(Project(sources=(lamp(intensity=50.0),))), frozenset({"lamp"}))
    )
    assert load_part(part, other.word) is None


SAVES = """
import sys
from pathlib import Path
sys.path[:0] = {paths!r}
import numpy as np
from wallum.transport.lightmaps.bake_cache import load_bake, save_bake
path = Path(sys.argv[1])
baked = load_bake(path)
print("going", flush=True)
while True:
    save_bake(baked, path)
"""


@pytest.mark.slow
def test_kept_light_is_whole_whenever_the_program_is_killed(tmp_path):
    order = order_of(plain_ground(4.0), Project(sources=(plain_sky(),)), texels=1.0, paths=4)
    path = tmp_path / "baked.npz"
    save_bake(bake(order, None), path)
    paths = [str(Path(__file__).resolve().parents[2] / "src")]
    for number in range(6):
        command = [sys.executable, "-c", SAVES.format(paths=paths), str(path)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, env=dict(os.environ)) as process:
            process.stdout.readline()
            time.sleep(0.02 + 0.013 * number)
            process.send_signal(signal.SIGKILL)
        assert load_bake(path).ids == {order.scene.sky.id, "glow"}


def test_what_is_kept_comes_back_and_what_is_broken_is_said_in_one_sentence(tmp_path):
    order = order_of(plain_ground(4.0), Project(sources=(plain_sky(),)), texels=2.0, paths=4)
    baked, path = bake(order, None), tmp_path / "baked.npz"
    assert load_bake(path) is None
    save_bake(baked, path)
    again = load_bake(path)
    assert np.array_equal(again.pages, baked.pages)
    assert (again.state, again.when, again.settings, again.level) == (
        baked.state, "12:00", (2.0, 0.0, 4), "a level",
    )  # fmt: skip
    triangles, weights = np.array([0, 5, 9]), np.array([[0.2, 0.3], [0.5, 0.1], [0.0, 0.0]])
    assert np.array_equal(again.at(triangles, weights)[0], baked.at(triangles, weights)[0])
    data = path.read_bytes()
    for broken in (data[:300], b"", data[:-40], b"PK" + bytes(2000)):
        path.write_bytes(broken)
        with pytest.raises(ValueProblem, match=r"the baked light is broken.*"):
            load_bake(path)


def test_what_lies_beyond_the_lit_is_the_nearest_of_it():
    pages, known = np.zeros((2, 3, 5, 3), np.float32), np.zeros((2, 3, 5), bool)
    pages[0, 1, 1], known[0, 1, 1] = 7.0, True
    pages[0, 1, 4], known[0, 1, 4] = 9.0, True
    out = filled(pages, known)
    assert out[0, :, :3] == pytest.approx(7.0)
    assert out[0, :, 3:] == pytest.approx(9.0)
    assert not out[1].any(), "a page without light stays as it is"


def test_a_source_that_changed_is_known_by_its_name():
    def state(*sources):
        project = Project(sources=sources)
        return baked_state(still_alone(evaluate(project), still_ids(project)))

    then = state(lamp(), plain_sky())
    assert changed_since(then, state(lamp(), plain_sky())) == []
    assert changed_since(then, state(lamp(intensity=101.0), plain_sky())) == ["lamp"]
    assert changed_since(then, state(lamp(position=(2.0, 1.6, 2.5)), plain_sky())) == ["lamp"]
    assert changed_since(then, state(lamp(trim=0.5), plain_sky())) == ["lamp"]
    assert changed_since(then, state(plain_sky())) == ["lamp"]
    assert changed_since(then, state(lamp(), lamp(id="two", name="Two"), plain_sky())) == ["two"]


def test_a_level_of_small_parts_has_nothing_to_bake():
    order = order_of(plain_ground(1.0), Project(sources=(plain_sky(),)), smallest=1000.0)
    with pytest.raises(LevelProblem, match="none of its parts is large enough"):
        bake(order, None)
