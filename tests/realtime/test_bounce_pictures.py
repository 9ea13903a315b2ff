"""Light from surfaces in the real-time picture, against paths and closed forms."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import field_of, grey_level, slabs_about

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.lamps import NO_LAMPS
from wallum.moment.moment import Moment
from wallum.moment.probe_boxes import ProbeBox
from wallum.moment.resolved_look import ResolvedLook
from wallum.moment.scene import Dome, LitScene
from wallum.physics.colour import luminance
from wallum.physics.dome import dome_directions
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.passes.interaction.light_sum import LightSum
from wallum.realtime.process.offline import relit
from wallum.realtime.process.request import PictureRequest
from wallum.transport.direct.contributions import Layers, fill_layers
from wallum.transport.field.bounce import BounceField
from wallum.transport.paths.reference import Reference
from wallum.transport.scene.surfaces import seen_surfaces

SIZE = (160, 90)
INSIDE = Camera((0.6, 1.5, 4.4), (0.45, -0.15, -0.88), 60.0, SIZE[0] / SIZE[1], far=60.0)
ROOM = ((0.0, 0.0, 0.0), (4.0, 3.0, 5.0))


def _shown(renderer, level, *boxes):
    rays, built = field_of(level, *boxes)
    renderer.set_level(bundle_level(level))
    return rays, BounceField.of(rays, level, built, {})


def _drawn(renderer, scene, view="final"):
    request = PictureRequest(1, scene, INSIDE, SIZE, view=view)
    for _ in renderer.draw(request):
        pass
    return luminance(renderer.luminance(request, False).astype(float))


@pytest.fixture(scope="module")
def room():
    return grey_level(*slabs_about(*ROOM, 0.1))


def _lamp_scene():
    lamp = PointSource(
        id="lamp", name="Lamp", position=(2.6, 2.0, 2.0), intensity=200.0, range=0.0, radius=0.05, shadow=True
    )
    return evaluate(Project(sources=(lamp,), look=Look(ev100=4.0)))


def test_a_lit_room_is_as_bright_as_paths_say(renderer, room):
    rays, bounce = _shown(renderer, room)
    scene = _lamp_scene()
    relit(renderer, bounce, scene)
    paths = Reference(rays, room, scene, INSIDE, (128, 72), 8)
    for _ in range(4):  # 256 for each of the blocks that are compared
        paths.step()
    true = luminance(paths.luminance).reshape(9, 8, 16, 8).mean(axis=(1, 3))
    own = _drawn(renderer, scene).reshape(9, 10, 16, 10).mean(axis=(1, 3))
    off = np.log2(own / true)
    assert abs(np.median(off)) < 0.07, "5 %"
    assert np.quantile(np.abs(off), 0.9) < 0.3


CLOSER = ProbeBox((2.0, 0.5, 1.0), (1.0, 1.0, 1.0), 0.4, 1)
CLOSEST = ProbeBox((3.4, 1.5, 1.5), (0.6, 0.6, 0.9), 0.0, 2)


def _size_at(probes, places, normals):
    """Of the cells, or parts of those, that surfaces lie in [m]."""
    cell, _ = probes.cell_of(places, normals)
    words = probes.cells[tuple(cell.T)].astype(int)
    return probes.step / np.where((words & 63) == 0, 1 << ((words >> 6) & 63), 1)


@pytest.mark.parametrize("boxes", [(), (CLOSER, CLOSEST)])
def test_each_pixel_reads_the_probe_that_stands_for_it(renderer, room, boxes):
    """The shader finds what NumPy finds: seen alone, a probe's light is on its own part, darker about its place."""
    rays, bounce = _shown(renderer, room, *boxes)
    scene = _lamp_scene()
    relit(renderer, bounce, scene)
    shown = _drawn(renderer, scene, "probes")
    x, y = np.meshgrid((np.arange(SIZE[0]) + 0.5) / SIZE[0], (np.arange(SIZE[1]) + 0.5) / SIZE[1])
    directions = INSIDE.rays(x.ravel(), y.ravel())
    start = np.broadcast_to(np.array(INSIDE.eye), directions.shape)
    hits = rays.first_visible(start, directions)
    places = start + directions * hits.distance[:, None]
    probes = bounce.made.probes
    faces = rays.triangles.face_normals[hits.triangle]
    result = probes.find(places, faces)
    light = luminance(bounce.light(scene).astype(float))[result] / np.pi
    sizes = _size_at(probes, places, faces)
    assert len(np.unique(sizes)) == 1 + len(boxes)
    near = np.linalg.norm(places - probes.places[result], axis=1) < 0.2 * sizes
    wanted = np.where(near, light, 0.35 * light)
    assert (np.abs(shown.ravel() / wanted - 1.0) < 0.02).mean() > 0.97


def test_each_sources_layer_has_what_comes_back_of_its_light(renderer, room):
    """Two lamps: their layers, straight light and bounce, are together the picture of both; and each layer's
    bounce is its own lamp's."""
    rays, bounce = _shown(renderer, room)
    point_source = PointSource(
        id="one", name="One", position=(2.6, 2.0, 2.0), intensity=200.0, radius=0.05, shadow=True
    )
    two = point_source.revised(id="two", name="Two", position=(1.0, 0.6, 3.0), intensity=60.0, kelvin=2400.0)
    scene = evaluate(Project(sources=(point_source, two), look=Look(ev100=4.0)))
    relit(renderer, bounce, scene)
    layers = Layers(seen_surfaces(rays, room, INSIDE, SIZE))
    for _ in fill_layers(layers, rays, scene, bounce):
        pass
    drawn = _drawn(renderer, scene)[: SIZE[1]].reshape(-1)[layers.seen.pixel]
    assert np.median(np.abs(drawn / luminance(layers.total) - 1.0)) < 0.03
    for source in (point_source, two):
        alone = evaluate(Project(sources=(source,), look=Look(ev100=4.0)))
        only = Layers(layers.seen)
        for _ in fill_layers(only, rays, alone, bounce):
            pass
        assert only.light[source.id] == pytest.approx(layers.light[source.id], rel=1e-6)
    straight = Layers(layers.seen)
    for _ in fill_layers(straight, rays, scene):
        pass
    for source in (point_source, two):
        assert luminance(layers.light[source.id] - straight.light[source.id]).min() > 0.0


def _of_two(strength, kelvin=5000.0, x=2.6):
    point_source = PointSource(
        id="one",
        name="One",
        position=(x, 2.0, 2.0),
        intensity=strength,
        radius=0.05,
        shadow=True,
        kelvin=kelvin,
    )
    two = point_source.revised(id="two", name="Two", position=(1.0, 0.6, 3.0), intensity=60.0, kelvin=5000.0)
    return evaluate(Project(sources=(point_source, two), look=Look(ev100=4.0)))


def _passes(renderer, scene, active):
    request = PictureRequest(1, scene, INSIDE, SIZE, active=active)
    for _ in renderer.draw(request):
        pass
    picture = luminance(renderer.luminance(request, False).astype(float))
    return picture, {record.name for record in renderer.engine.log.records}


@pytest.mark.parametrize("off", [False, True])
def test_strength_and_colour_under_the_hand_take_its_bounce_with_them(renderer, room, off):
    """And cost no look-up of probes after the first picture."""
    _, bounce = _shown(renderer, room)
    relit(renderer, bounce, _of_two(200.0))
    hand = frozenset({"one"})
    if off:  # it begins without any light
        _passes(renderer, _of_two(0.0), hand)
    _passes(renderer, _of_two(200.0), hand)
    for scene in (_of_two(900.0), _of_two(20.0), _of_two(400.0, 2000.0), _of_two(200.0)):
        current, passes = _passes(renderer, scene, hand)
        assert not passes & {"probe light", "probe light of the hand", "light of the others"}
        plain, _ = _passes(renderer, scene, frozenset())
        assert current == pytest.approx(plain, rel=0.02, abs=1e-3 * plain.max())
        _passes(renderer, scene, hand)


def test_several_under_the_hand_are_looked_up_as_they_are(renderer, room):
    _, bounce = _shown(renderer, room)
    relit(renderer, bounce, _of_two(200.0))
    hand = frozenset({"one", "two"})
    _passes(renderer, _of_two(200.0), hand)
    current, _ = _passes(renderer, _of_two(900.0), hand)
    plain, _ = _passes(renderer, _of_two(900.0), frozenset())
    assert current == pytest.approx(plain, rel=0.02, abs=1e-3 * plain.max())


def test_light_that_is_worked_out_while_a_lamp_is_moved_is_in_the_next_picture(renderer, room):
    """The others stay as they are: only its own light is looked up anew."""
    _, bounce = _shown(renderer, room)
    relit(renderer, bounce, _of_two(200.0))
    hand = frozenset({"one"})
    _passes(renderer, _of_two(200.0), hand)
    moved = _of_two(200.0, x=0.5)
    before, _ = _passes(renderer, moved, hand)
    relit(renderer, bounce, moved)
    current, passes = _passes(renderer, moved, hand)
    assert "probe light of the hand" in passes
    assert not passes & {"probe light", "light of the others"}
    plain, _ = _passes(renderer, moved, frozenset())
    assert current == pytest.approx(plain, rel=0.02, abs=1e-3 * plain.max())
    assert np.abs(before / plain - 1.0).max() > 0.05


def _dawn(strength=1.0):
    """A sky that is red and bright about east alone, and blue and dim elsewhere."""
    directions, _ = dome_directions()
    east = np.clip((directions[..., :1] - 0.6) * 4.0, 0.0, 1.0) * np.clip(
        1.0 - directions[..., 1:2] * 2.0, 0.0, 1.0
    )
    light = east * np.array([4000.0, 1500.0, 500.0]) + np.array([40.0, 60.0, 120.0])
    return Dome("sky", (strength * light).astype(np.float32), np.full(3, 20.0 * strength), (strength,))


@pytest.fixture(scope="module")
def open_east():
    """The room without its side toward east."""
    return grey_level(*(slab for n, slab in enumerate(slabs_about(*ROOM, 0.1)) if n != 3))


def test_a_sky_that_is_brighter_on_one_side_lights_a_room_that_opens_there(renderer, open_east):
    rays, bounce = _shown(renderer, open_east)
    scene = LitScene(NO_LAMPS, None, _dawn(), ResolvedLook(4.0))
    relit(renderer, bounce, scene)
    paths = Reference(rays, open_east, scene, INSIDE, (128, 72), 8)
    for _ in range(6):
        paths.step()
    true = paths.luminance.reshape(9, 8, 16, 8, 3).mean(axis=(1, 3))
    request = PictureRequest(1, scene, INSIDE, SIZE)
    for _ in renderer.draw(request):
        pass
    own = renderer.luminance(request, False).astype(float).reshape(9, 10, 16, 10, 3).mean(axis=(1, 3))
    solid = np.zeros(SIZE[0] * SIZE[1])
    solid[seen_surfaces(rays, open_east, INSIDE, SIZE).pixel] = 1.0
    walls = solid.reshape(9, 10, 16, 10).mean(axis=(1, 3)) > 0.99
    assert walls.sum() > 60
    off = np.log2(own / true)[walls]
    assert np.abs(np.median(off, axis=0)).max() < 0.1, "in each channel"


@pytest.mark.parametrize("more", [{"active": frozenset({"sky"})}, {"detail": "reduced"}])
def test_a_sky_that_is_moved_is_as_strong_as_it_is(renderer, open_east, more):
    """What is straight from it was found for the sky before: its strength and colour follow at once."""
    _, bounce = _shown(renderer, open_east)
    scene = LitScene(NO_LAMPS, None, _dawn(), ResolvedLook(4.0))
    relit(renderer, bounce, scene)
    before, after = (
        PictureRequest(number, replace(scene, sky=sky), INSIDE, SIZE, **more)
        for number, sky in enumerate((_dawn(), _dawn(3.0)))
    )
    shown = []
    for request in (before, after):
        for _ in renderer.draw(request):
            pass
        shown.append(renderer.luminance(request, False).astype(float))
    assert np.median(shown[1] / shown[0]) == pytest.approx(3.0, rel=0.02)


def test_what_the_air_sees_is_the_same_however_the_light_came_to_be_so(renderer, room):
    """Strengths, colours and switches one after the other, and light worked out anew between them."""
    _, bounce = _shown(renderer, room)
    lights = renderer.engine.probe_light
    for strength, kelvin, x in (
        (1.0, 5000.0, 2.6),
        (7.0, 5000.0, 2.6),
        (0.0, 3000.0, 2.6),
        (2.0, 3000.0, 1.2),
    ):
        scene = _of_two(strength, kelvin, x)
        relit(renderer, bounce, scene)
        step_by_step = lights.air_light(scene)
        assert step_by_step[0].max() > 0.0
        assert step_by_step[1].min() < 0.0 < step_by_step[1].max()
        lights._in_air, lights._ways = (
            LightSum(lights._in_air._places),
            LightSum(lights._ways._places, signed=True),
        )
        for followed, anew in zip(step_by_step, lights.air_light(scene), strict=True):
            assert followed == pytest.approx(anew, rel=1e-5, abs=1e-4)


def test_a_closed_room_beside_noon_is_black(renderer, room):
    level = grey_level(*slabs_about(*ROOM, 0.1), box((-20.0, -1.0, -20.0), (20.0, -0.3, 20.0), 0))
    _, bounce = _shown(renderer, level)
    scene = evaluate(Project(sources=base_light(), look=Look(ev100=0.0)), Moment(12.0))
    relit(renderer, bounce, scene)
    outside = float(luminance(scene.sun.illuminance)) * 0.5 / np.pi
    inside = _drawn(renderer, replace(scene, air=None))
    assert np.quantile(inside, 0.5) < outside * 2.0**-14
    assert np.quantile(inside, 0.99) < outside * 2.0**-10


GROUND = box((-20.0, -1.0, -20.0), (20.0, -0.1, 20.0), 0)


def test_a_room_under_a_terrace_at_noon_is_black(renderer):
    """What falls on a slab of 10 cm that is the room's ceiling and goes on beyond its walls."""
    terrace = box((-4.0, 3.0, -4.0), (8.0, 3.1, 9.0), 0)
    level = grey_level(*slabs_about(*ROOM, 0.1), terrace, GROUND)
    _, bounce = _shown(renderer, level)
    scene = evaluate(Project(sources=base_light(), look=Look(ev100=0.0)), Moment(12.0))
    relit(renderer, bounce, scene)
    on_it = float(luminance(scene.sun.illuminance)) * 0.5 / np.pi
    inside = _drawn(renderer, scene)
    assert np.quantile(inside, 0.5) < on_it * 2.0**-14
    assert np.quantile(inside, 0.99) < on_it * 2.0**-10


def _with_a_door(low, high):
    """The room with a door from one place along its wall at +x to another, 2.1 m high."""
    (_, y0, z0), (x1, y1, z1) = ROOM
    shell = slabs_about(*ROOM, 0.1)
    shell[3:4] = [
        box((x1, y0 - 0.1, z0 - 0.1), (x1 + 0.1, y1 + 0.1, low), 0),
        box((x1, y0 - 0.1, high), (x1 + 0.1, y1 + 0.1, z1 + 0.1), 0),
        box((x1, y0 + 2.1, low), (x1 + 0.1, y1 + 0.1, high), 0),
    ]
    return grey_level(*shell, GROUND)


def test_light_of_noon_comes_in_by_a_door_and_not_beside_it(renderer):
    """As paths say, and the wall about the door, by which most would leak, no brighter."""
    level = _with_a_door(1.0, 2.0)
    rays, bounce = _shown(renderer, level)
    scene = evaluate(Project(sources=base_light(), look=Look(ev100=8.0)), Moment(12.0))
    relit(renderer, bounce, scene)
    paths = Reference(rays, level, scene, INSIDE, (128, 72), 8).aim_by(bounce.made)  # far less noise
    for _ in range(16):
        paths.step()
    true = luminance(paths.luminance).reshape(9, 8, 16, 8).mean(axis=(1, 3))
    own = _drawn(renderer, scene).reshape(9, 10, 16, 10).mean(axis=(1, 3))
    x, y = np.meshgrid((np.arange(16) + 0.5) / 16, (np.arange(9) + 0.5) / 9)
    directions = INSIDE.rays(x.ravel(), y.ravel())
    met = (
        np.array(INSIDE.eye)
        + directions * rays.first_visible(np.tile(INSIDE.eye, (144, 1)), directions).distance[:, None]
    )
    within = (met[:, 0] < 4.01).reshape(true.shape)
    beside = within & (np.abs(met[:, 0] - 4.0) < 0.01).reshape(true.shape)
    off = np.log2(own / true)
    assert beside.sum() > 8
    assert abs(np.median(off[within])) < 0.25
    assert np.quantile(np.abs(off[within]), 0.9) < 0.75
    assert np.quantile(off[beside], 0.9) < 0.4


def test_strength_and_switch_follow_without_rays(renderer, room):
    _, bounce = _shown(renderer, room)
    scene = _lamp_scene()
    relit(renderer, bounce, scene)
    whole = _drawn(renderer, scene, "bounce")
    rows = scene.lamps.rows.copy()
    rows["emission"] *= 0.25
    dim = replace(scene, lamps=replace(scene.lamps, rows=rows))
    assert _drawn(renderer, dim, "bounce") == pytest.approx(0.25 * whole, rel=0.01, abs=1e-3)
    assert _drawn(renderer, scene.without(frozenset({"lamp"})), "bounce").max() == 0.0
    assert _drawn(renderer, scene, "direct").mean() < 0.8 * _drawn(renderer, scene).mean()
