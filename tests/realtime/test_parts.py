"""The renderer's parts that need no picture: cells, tiles, cascades, memory, messages."""

import os
import socket

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wallum.document.project import Project
from wallum.document.sources import PointSource, SpotSource
from wallum.errors import RendererProblem
from wallum.frame.quality import HIGH
from wallum.level.demos.jar_yard import jar_yard
from wallum.moment.camera import Camera, boxes_inside, frustum_planes
from wallum.moment.evaluate import evaluate
from wallum.physics.emitters import cone_directions
from wallum.physics.photometry import cone_falloff, range_window
from wallum.realtime.gl.view import pre_exposure
from wallum.realtime.level.bundle import LevelBundle
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.level.chunking import CHUNK
from wallum.realtime.level.drawing import LevelOnGpu
from wallum.realtime.passes.interaction.pace import Pace
from wallum.realtime.passes.lamps.clusters import CELL_PIXELS, assign_lamps
from wallum.realtime.passes.lamps.lamp_scissor import lamp_scissor
from wallum.realtime.passes.shadows.cascades import cascades_for
from wallum.realtime.passes.shadows.lamp_shadows import LampShadows
from wallum.realtime.passes.shadows.sun_shadows import PARTS, SunShadows
from wallum.realtime.process.channel import Channel, Closed
from wallum.realtime.process.memory import Block, load_value, store_value

SIZE = (320, 180)
CAMERA = Camera((0.0, 1.7, 6.0), (0.1, -0.1, -0.99), 55.0, 320 / 180, far=60.0)


def random_lamps(rng, count):
    lamps = []
    for i in range(count):
        place = tuple(rng.uniform([-8, 0, -20], [8, 4, 8]))
        if i % 2:
            lamps.append(PointSource(id=f"p{i}", name="P", position=place, range=float(rng.uniform(0.5, 6))))
            continue
        direction = tuple(rng.normal(size=3))
        outer = float(rng.uniform(5, 80))
        lamps.append(
            SpotSource(
                id=f"s{i}",
                name="S",
                position=place,
                direction=direction,
                inner=outer * 0.5,
                outer=outer,
                range=float(rng.uniform(0.5, 8)),
            )
        )
    return evaluate(Project(sources=tuple(lamps))).lamps


def reaches(lamps, points):
    """(N, P) whether each lamp gives any light to each point, whatever its normal."""
    out = []
    for row in range(len(lamps.ids)):
        offset = lamps.rows["position"][row] - points
        distance = np.linalg.norm(offset, axis=1)
        light = range_window(distance, lamps.rows["range"][row])
        if lamps.rows["cos_outer"][row] > -1.0:
            cosine = -(offset / distance[:, None]) @ lamps.rows["direction"][row]
            light = light * cone_falloff(cosine, lamps.rows["cos_inner"][row], lamps.rows["cos_outer"][row])
        out.append(light > 0.0)
    return np.array(out)


@pytest.mark.parametrize("seed", range(4))
def test_no_lamp_is_missing_from_the_cell_of_a_point_it_lights(seed):
    rng = np.random.default_rng(seed)
    lamps = random_lamps(rng, 24)
    shadowed = rng.random(24) < 0.4
    lists = assign_lamps(lamps, shadowed, CAMERA, SIZE)
    pixels = rng.uniform([0, 0], SIZE, (4000, 2))
    depth = rng.uniform(0.1, 40.0, 4000)
    rays = CAMERA.rays(pixels[:, 0] / SIZE[0], pixels[:, 1] / SIZE[1])
    ahead = rays @ np.array(CAMERA.direction) / np.linalg.norm(CAMERA.direction)
    points = np.array(CAMERA.eye) + rays * (depth / ahead)[:, None]
    columns, rows, slices = lists.grid
    x = (pixels[:, 0] / CELL_PIXELS).astype(int)
    y = ((SIZE[1] - pixels[:, 1]) / CELL_PIXELS).astype(int).clip(0, rows - 1)
    z = (np.log2(depth) * lists.slices[0] + lists.slices[1]).astype(int).clip(0, slices - 1)
    entry = lists.cells[(z * rows + y) * columns + x]
    lit = reaches(lamps, points)
    for i in range(len(points)):
        plain, cast = int(entry[i, 1] & 0xFFFF), int(entry[i, 1] >> 16)
        listed = lists.lists[entry[i, 0] : entry[i, 0] + plain + cast]
        assert set(np.flatnonzero(lit[:, i])) <= set(listed.tolist())
        assert not shadowed[listed[:plain]].any()
        assert shadowed[listed[plain:]].all()


def test_lists_are_short_where_lamps_are_small():
    lamps = random_lamps(np.random.default_rng(1), 200)
    lists = assign_lamps(lamps, np.zeros(200, bool), CAMERA, SIZE)
    assert lists.cells[:, 1].mean() < 0.1 * 200


def test_only_the_kept_lamps_are_listed():
    lamps = random_lamps(np.random.default_rng(2), 20)
    keep = np.arange(20) != 7
    lists = assign_lamps(lamps, np.zeros(20, bool), CAMERA, SIZE, keep)
    assert 7 not in lists.lists[: int(lists.cells[:, 1].sum())]


def test_a_scene_without_lamps_has_empty_lists():
    lists = assign_lamps(random_lamps(np.random.default_rng(0), 0), np.zeros(0, bool), CAMERA, SIZE)
    assert (lists.cells == 0).all()


@given(st.tuples(*[st.floats(-9, 9)] * 3), st.floats(0.1, 4.0))
@settings(max_examples=80)
def test_a_lamps_rectangle_holds_all_it_can_light(centre, radius):
    place = lamp_scissor(np.array(centre), radius, CAMERA, SIZE)
    rng = np.random.default_rng(0)
    offsets = rng.normal(size=(300, 3))
    points = np.array(centre) + radius * offsets / np.linalg.norm(offsets, axis=1, keepdims=True)
    seen = CAMERA.place_in_picture(points)
    inside = (seen[:, 2] > CAMERA.near) & ((seen[:, :2] >= 0) & (seen[:, :2] <= 1)).all(axis=1)
    if place is None:
        assert not inside.any()
        return
    x, y, width, height = place
    column, row = seen[inside, 0] * SIZE[0], (1 - seen[inside, 1]) * SIZE[1]
    assert (column >= x - 1e-6).all()
    assert (column <= x + width + 1e-6).all()
    assert (row >= y - 1e-6).all()
    assert (row <= y + height + 1e-6).all()


def test_chunks_hold_every_triangle_once_within_their_boxes():
    bundle = bundle_level(jar_yard())
    assert bundle.chunks[:, 1].max() <= CHUNK
    assert bundle.chunks[:, 1].sum() == jar_yard().triangle_count
    ends = bundle.chunks[:, 0] + bundle.chunks[:, 1]
    assert np.array_equal(ends[:-1], bundle.chunks[1:, 0])
    for first, count, _ in bundle.chunks[::17]:
        index = np.searchsorted(bundle.chunks[:, 0], first)
        points = bundle.vertices["position"][bundle.faces[first : first + count]].reshape(-1, 3)
        assert (points >= bundle.low[index] - 1e-5).all()
        assert (points <= bundle.high[index] + 1e-5).all()


def test_coarser_copies_keep_to_the_surface_and_have_fewer_triangles():
    bundle = bundle_level(jar_yard())
    fine = bundle.vertices["position"][bundle.faces[: bundle.chunks[-1, :2].sum()]]
    before = len(fine)
    for cell_m, rows in bundle.coarser:
        assert rows[:, 1].sum() < before
        before = rows[:, 1].sum()
        assert np.array_equal(rows[:, 2], bundle.chunks[:, 2])
        for chunk, row in zip(bundle.chunks[::29], rows[::29], strict=True):
            old, new = (bundle.vertices["position"][bundle.faces[r[0] : r[0] + r[1]]] for r in (chunk, row))
            if not len(new):
                continue
            # Each vertex has moved by less than a cell's diagonal.
            gap = np.linalg.norm(new.reshape(-1, 1, 3)[:60] - old.reshape(1, -1, 3), axis=2).min(axis=1)
            assert gap.max() <= cell_m * 3**0.5


def test_large_flat_surfaces_are_not_made_coarser():
    from wallum.level.demos.pale_room import pale_room

    bundle = bundle_level(pale_room())
    narrow = [rows for cell_m, rows in bundle.coarser if cell_m < 1.0]
    assert len(narrow) >= 3
    for rows in narrow:
        assert rows[:, 1].sum() == bundle.chunks[:, 1].sum() == 24


def test_no_chunk_that_is_in_view_is_left_out(rng):
    planes = frustum_planes(CAMERA.projection() @ CAMERA.view())
    low = rng.uniform(-20, 20, (300, 3))
    high = low + rng.uniform(0.1, 3, (300, 3))
    visible = boxes_inside(low, high, planes)
    points = low[:, None] + (high - low)[:, None] * rng.random((300, 50, 3))
    inside = (points @ planes[:, :3].T + planes[:, 3] >= 0).all(axis=2).any(axis=1)
    assert not (inside & ~visible).any()
    assert visible.mean() < 0.9


def test_tiles_never_overlap_and_are_given_back(renderer):
    shadows = LampShadows(renderer.engine.context)
    rng = np.random.default_rng(5)
    for round_number in range(6):
        sources = []
        for i in rng.choice(30, 12, replace=False):
            kind = PointSource if i % 2 else SpotSource
            sources.append(kind(id=f"l{i}", name="L", position=(float(i), 1.0, 0.0), shadow=True))
        lamps = evaluate(Project(sources=tuple(sources))).lamps
        given_tiles, _ = shadows.assign(lamps, 100.0)
        assert len(given_tiles) == 12, round_number
        taken = [t for tile in given_tiles.values() for t in range(tile.first, tile.first + tile.count)]
        assert len(set(taken)) == len(taken)
        corners = [shadows.corner(t) for t in taken]
        assert max(max(c) for c in corners) <= HIGH.lamp_atlas - shadows.tile_size


def test_more_shadows_than_fit_shrink_and_then_are_told(renderer):
    shadows = LampShadows(renderer.engine.context)

    def lamps(count):
        built = (PointSource(id=f"l{i}", name="L", position=(i, 0, 0), shadow=True) for i in range(count))
        return evaluate(Project(sources=tuple(built))).lamps

    assert len(shadows.assign(lamps(10), 50.0)[0]) == 10
    large = shadows.tile_size
    assert len(shadows.assign(lamps(40), 50.0)[0]) == 40
    assert shadows.tile_size < large
    assert len(shadows.assign(lamps(200), 50.0)[0]) == 800 // 6


def test_tiles_do_not_change_their_size_back_and_forth(renderer):
    shadows = LampShadows(renderer.engine.context)

    def size_with(count):
        built = (PointSource(id=f"l{i}", name="L", position=(i, 0, 0), shadow=True) for i in range(count))
        shadows.assign(evaluate(Project(sources=tuple(built))).lamps, 50.0)
        return shadows.tile_size

    assert [size_with(count) for count in (10, 11, 10, 11, 9)] == [512, 256, 256, 256, 256]
    assert size_with(4) == 512


def test_small_moves_leave_the_cascades_where_they_are():
    bounds = np.array([[-60.0, 0, -60], [60, 12, 60]])
    sun = np.array([0.5, 0.7, -0.5]) / np.linalg.norm([0.5, 0.7, -0.5])
    keys = []
    for i in range(40):
        camera = Camera((0.02 * i, 1.7, 0.0), (0.0, 0.0, -1.0), 50.0)
        keys.append([cascade.key for cascade in cascades_for(sun, camera, bounds)])
    for number in range(3):
        changes = sum(a[number] != b[number] for a, b in zip(keys, keys[1:], strict=False))
        assert changes <= 1


def test_a_cascade_for_a_point_of_the_disc_looks_along_that_points_rays(rng):
    """Points on one ray toward the chosen point of the sun fall on one texel, and the shader's
    way to the atlas agrees with the matrix that drew it."""
    bounds = np.array([[900.0, 0, 900], [1020, 12, 1020]])
    sun = np.array([0.3, 0.6, 0.742]) / np.linalg.norm([0.3, 0.6, 0.742])
    toward = cone_directions(sun, 0.02, rng.random((1, 2)))[0]
    camera = Camera((960.0, 2.0, 960.0), (0.0, 0.0, -1.0), 50.0)
    for cascade in cascades_for(sun, camera, bounds, toward):
        points = np.array([960.0, 1.0, 955.0]) + np.outer([0.0, 3.0, 11.0], toward)
        clip = np.concatenate([points, np.ones((3, 1))], axis=1) @ cascade.matrix.T
        assert np.ptp(clip[:, :2], axis=0) == pytest.approx([0, 0], abs=1e-9)
        assert np.abs(clip[:, :2]).max() < 1.0


def test_a_moved_cascade_is_drawn_in_parts_and_then_takes_its_place(renderer):
    bundle = bundle_level(jar_yard())
    level = LevelOnGpu(renderer.engine.context, renderer.engine.programs, bundle)
    shadows = SunShadows(renderer.engine.context)
    sun = np.array([0.5, 0.7, -0.5]) / np.linalg.norm([0.5, 0.7, -0.5])
    camera = Camera((0.0, 1.7, 0.0), (0.0, 0.0, -1.0), 50.0)
    for index in shadows.assign(sun, camera, bundle.bounds):
        shadows.draw(index, level)
    assert shadows.complete
    moved = Camera((40.0, 1.7, 20.0), (0.0, 0.0, -1.0), 50.0)
    dirty = shadows.assign(sun, moved, bundle.bounds)
    assert dirty
    before = shadows.uniforms()["cascade_place"]
    drawn = 0
    for _ in range(PARTS * len(dirty)):
        left = shadows.assign(sun, moved, bundle.bounds)
        drawn += shadows.advance(left, level)["triangles"]
    assert shadows.assign(sun, moved, bundle.bounds) == []
    assert shadows.uniforms()["cascade_place"] != before
    lows = {tuple(bounds[2:]) for bounds in shadows.uniforms()["cascade_bounds"]}
    assert len(lows) == 4  # three cascades and the far map, each in a tile of its own
    # In parts or whole, the same triangles are drawn.
    whole = SunShadows(renderer.engine.context)
    whole.assign(sun, moved, bundle.bounds)
    assert drawn == sum(whole.draw(index, level)["triangles"] for index in dirty)
    level.release()


def test_no_cascade_of_a_moving_sun_lags_by_a_minute(renderer):
    """By a minute's way all near ones are drawn at once; in smaller steps, and in large ones, one after the other."""
    bundle = bundle_level(jar_yard())
    level = LevelOnGpu(renderer.engine.context, renderer.engine.programs, bundle)
    camera = Camera((0.0, 1.7, 0.0), (0.0, 0.0, -1.0), 50.0)

    def sun(degrees):
        e = np.radians(degrees)
        return np.array([np.cos(e), np.sin(e), 0.0])

    for step, drawn in ((0.25, {(0, 1)}), (0.06, {(0,), (1,)}), (1.0, {(0,), (1,)})):
        shadows = SunShadows(renderer.engine.context, 64)
        for index in shadows.follow(sun(30.0), camera, bundle.bounds, (60.0, 64, 2)):
            shadows.draw(index, level, coarse=True)
        seen = []
        for number in range(1, 7):
            now = shadows.follow(sun(30.0 + number * step), camera, bundle.bounds, (60.0, 64, 2))
            for index in now:
                shadows.draw(index, level, coarse=True)
            seen.append(tuple(now))
        assert set(seen) == drawn
    level.release()


@given(st.floats(-1, 1), st.floats(-1, 1))
@settings(max_examples=40)
def test_each_cascade_covers_the_part_of_the_view_it_serves(turn, tilt):
    direction = np.array([np.sin(turn), 0.5 * tilt, -np.cos(turn)])
    camera = Camera((3.0, 2.0, 1.0), tuple(direction / np.linalg.norm(direction)), 60.0, 1.8)
    bounds = np.array([[-60.0, 0, -60], [60, 12, 60]])
    sun = np.array([0.3, 0.6, 0.742])
    start = camera.near
    for cascade in cascades_for(sun, camera, bounds):
        for depth in (start, cascade.end):
            corners = camera.rays(np.array([0.0, 1.0, 0.0, 1.0]), np.array([0.0, 0.0, 1.0, 1.0]))
            points = (
                np.array(camera.eye) + corners * (depth / (corners @ np.array(camera.direction)))[:, None]
            )
            clip = np.concatenate([points, np.ones((4, 1))], axis=1) @ cascade.matrix.T
            assert np.abs(clip[:, :2]).max() <= 1.0 + 1e-6
        start = cascade.end


def test_a_moving_picture_is_as_coarse_as_the_machine_needs():
    pace = Pace()
    assert pace.size((960, 540)) == (480, 270)
    for _ in range(5):
        pace.note(80.0)
    coarse = pace.size((960, 540))
    assert coarse[0] < 480
    for _ in range(29):
        pace.note(10.0)
    assert pace.size((960, 540)) == coarse
    for _ in range(100):
        pace.note(10.0)
    assert pace.size((960, 540)) == (480, 270)
    assert Pace().size((1, 1)) == (1, 1)


def test_what_a_whole_picture_took_tells_how_coarse_the_first_moving_one_is():
    sizes = []
    for ms in (10.0, 60.0, 80.0, 200.0):
        pace = Pace()
        pace.foresee(ms)
        sizes.append(pace.size((960, 540))[0])
    assert sizes[0] == 480
    assert sizes == sorted(sizes, reverse=True)
    assert 240 < sizes[2] < 480
    pace = Pace()
    pace.foresee(200.0)
    assert pace.size((960, 540)) == (240, 135)
    pace.note(10.0)
    pace.foresee(200.0)  # once it is known how long moving ones take, those tell
    for _ in range(150):
        pace.note(10.0)
    pace.foresee(200.0)
    assert pace.size((960, 540)) == (480, 270)


def test_the_first_picture_of_a_size_decides_nothing():
    """It draws surfaces anew: a finer size that is tried would never stay."""
    pace = Pace()
    for _ in range(3):
        pace.note(80.0)
    coarse = pace.size((960, 540))
    for _ in range(40):
        if pace.size((960, 540)) != coarse:
            break
        pace.note(10.0)
    finer = pace.size((960, 540))
    assert finer > coarse
    pace.note(200.0)
    assert pace.size((960, 540)) == finer
    pace.note(200.0)
    assert pace.size((960, 540)) < finer


def test_pre_exposure_moves_in_whole_steps():
    assert pre_exposure(8.0) == pre_exposure(9.9) != pre_exposure(10.1)


def test_a_level_goes_through_shared_memory_unchanged(room):
    bundle = bundle_level(room)
    block = store_value(bundle)
    other = Block(os.dup(block.descriptor), block.size)
    again = load_value(other)
    assert isinstance(again, LevelBundle)
    assert np.array_equal(again.vertices, bundle.vertices)
    assert np.array_equal(again.faces, bundle.faces)
    assert again.surfacings == bundle.surfacings
    del again
    for item in (block, other):
        item.close()


def test_messages_and_descriptors_cross_a_channel():
    ours, theirs = (Channel(end) for end in socket.socketpair())
    block = Block.create(64)
    block.view()[:5] = b"hello"
    big = np.arange(200_000)
    ours.send(("take", 1), (block.descriptor,))
    message, descriptors = theirs.receive()
    assert message == ("take", 1)
    copy = Block(descriptors[0], 64)
    assert bytes(copy.view()[:5]) == b"hello"
    assert not theirs.readable()
    import threading

    sender = threading.Thread(target=ours.send, args=(big,))
    sender.start()
    assert np.array_equal(theirs.receive()[0], big)
    sender.join()
    ours.close()
    with pytest.raises(Closed):
        theirs.receive()
    with pytest.raises(Closed):
        theirs.send("anyone?")
        theirs.send("anyone?")
    theirs.close()
    for item in (block, copy):
        item.close()


def test_lines_of_a_shader_are_in_force_by_its_features():
    from wallum.realtime.gl.programs import in_force

    text = "a\n#ifdef SUN\nb\n#ifndef AIR\nc\n#else\nd\n#endif\n#endif\n#if defined(SKY) || defined(AIR)\ne\n#endif"
    lines = {
        frozenset(): "a",
        frozenset({"SUN"}): "abc",
        frozenset({"SUN", "AIR"}): "abde",
        frozenset({"AIR"}): "ae",
        frozenset({"SKY"}): "ae",
    }
    for features, line in lines.items():
        assert in_force(text, features).replace("\n", "") == line


def test_uniforms_are_handed_on_as_many_as_there_is_room_for():
    from wallum.realtime.gl.programs import carried

    vertex = "#version 430 core\nvoid main() {\n    carry();\n    gl_Position = vec4(0.0);\n}"
    fragment = (
        "#version 430 core\nuniform vec3 a;\nuniform vec4 b[3];\nuniform sampler2D c;\nuniform float d;\n"
    )
    handed, read = carried(vertex, fragment, 7)
    assert "flat_a = a;" in handed
    assert "flat_d = d;" in handed
    assert "flat_b" not in handed  # twelve numbers, and four are left
    assert "uniform vec4 b[3];" in read
    assert "flat in vec3 a;" in read
    assert "uniform sampler2D c;" in read
    none, whole = carried(vertex, fragment, 0)
    assert whole == fragment
    assert "carry" not in none
    assert "flat" not in none


@pytest.mark.parametrize("room", [0, 24])
def test_a_picture_is_the_same_with_and_without_numbers_handed_on(room):
    """As on a graphics card, which keeps its uniforms, and with little room to hand on."""
    from wallum.level.demos.pale_room import pale_room, pale_room_project
    from wallum.moment.camera import Camera
    from wallum.moment.evaluate import evaluate
    from wallum.realtime.level.bundling import bundle_level
    from wallum.realtime.process.request import PictureRequest
    from wallum.realtime.renderer import Renderer

    inside = Camera((-1.5, 1.6, 3.4), (0.35, -0.12, -0.93), 75.0, 16 / 9, far=50.0)
    request = PictureRequest(1, evaluate(pale_room_project()), inside, (96, 54))
    drawn = []
    for carry in (None, room):
        renderer = Renderer()
        if carry is not None:
            renderer.engine.programs._carried = carry
        renderer.set_level(bundle_level(pale_room()))
        for _ in renderer.draw(request):
            pass
        drawn.append(renderer.luminance(request, settled=False))
    assert drawn[0].mean() > 1.0
    assert np.abs(drawn[1] - drawn[0]).max() < 0.01 * drawn[0].mean()


@pytest.mark.parametrize(
    "text", ["#if A > 2\n#endif", "#elif defined(A)", "#else", "#endif", "#ifdef A", "#pragma once", "#if !defined(A)\n#endif"]
)  # fmt: skip
def test_what_a_shader_may_not_say_is_refused(text):
    from wallum.realtime.gl.programs import in_force

    with pytest.raises(RendererProblem, match="a shader has"):
        in_force(text, frozenset())
