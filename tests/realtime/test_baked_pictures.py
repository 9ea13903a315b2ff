"""Baked light in the real-time picture: as the pages have it where they are, as probes say where they are not."""

from dataclasses import replace

import numpy as np
import pytest
from level_shapes import field_of, grey_level
from set_lights import plain_sky

from wallum.document.baking import Baking
from wallum.document.look import Look
from wallum.document.project import Project
from wallum.document.sources import PointSource
from wallum.level.model.flatten import flatten
from wallum.level.model.solids import box
from wallum.moment.baked import still_alone
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.static_sources import still_ids
from wallum.physics.colour import luminance
from wallum.realtime.level.baked_set import baked_set
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.process.offline import relit
from wallum.realtime.process.request import PictureRequest
from wallum.transport.direct.contributions import Layers, fill_layers
from wallum.transport.field.bounce import BounceField
from wallum.transport.lightmaps.bake import BakeRequest, bake
from wallum.transport.scene.surfaces import seen_surfaces

SIZE = (160, 90)
INSIDE = Camera((0.6, 1.5, 4.4), (0.45, -0.25, -0.85), 60.0, SIZE[0] / SIZE[1], far=60.0)


def lamp(**more):
    inputs = {"position": (2.6, 2.0, 2.0), "intensity": 200.0, "radius": 0.05, "shadow": True, "range": 0.0}
    return PointSource(**{"id": "lamp", "name": "Lamp", **inputs, **more})


class Room:
    """A closed room with a little block in it that is too small for texels."""

    def __init__(self, roof=True):
        w, (x, y, z) = 0.1, (4.0, 3.0, 5.0)
        over = [box((-w, y, -w), (x + w, y + w, z + w), 0)] if roof else []
        walls = grey_level(
            box((-w, -w, -w), (x + w, 0, z + w), 0), *over,
            box((-w, 0, -w), (0, y, z + w), 0), box((x, 0, -w), (x + w, y, z + w), 0),
            box((0, 0, -w), (x, y, 0), 0), box((0, 0, z), (x, y, z + w), 0),
        )  # fmt: skip
        block = grey_level(box((1.6, 0.0, 2.4), (1.9, 0.3, 2.7), 0))
        part = replace(block.parts[0], id="block", name="block", mesh=1)
        self.level = replace(walls, meshes=(*walls.meshes, *block.meshes), parts=(*walls.parts, part))
        self.flat = flatten(self.level)
        self.rays, self.made = field_of(self.level)
        self.bounce = BounceField.of(self.rays, self.level, self.made, {})

    def baked(self, project, **settings):
        scene = still_alone(evaluate(project), still_ids(project))
        chosen = Baking(**{"texels": 4.0, "paths": 24, "smallest": 2.0, **settings})
        return bake(BakeRequest(self.rays, self.level, self.made, scene, chosen, "room", "12:00", {}), None)


@pytest.fixture(scope="module")
def room():
    return Room()


@pytest.fixture(scope="module", autouse=True)
def placed(renderer, room):
    """The room is the renderer's level, whatever other tests have shown."""
    renderer.set_level(bundle_level(room.level))


@pytest.fixture(scope="module")
def around(room):
    return room.baked(Project(sources=(lamp(),)))


def project_of(*sources, way="lightmaps", **look):
    return Project(sources=sources, look=Look(ev100=4.0, indirect=way, **look))


def drawn(renderer, room, project, baked, view="final", **more):
    scene = evaluate(project)
    relit(renderer, room.bounce, scene)
    renderer.set_baked(None if baked is None else baked_set(baked, room.flat))
    request = PictureRequest(1, scene, INSIDE, SIZE, view=view, **more)
    for _ in renderer.draw(request):
        pass
    return renderer.luminance(request, False).astype(float)


def of_pages(room, baked, value):
    """The same pages of one illuminance [lx]."""
    return replace(baked, pages=np.broadcast_to(np.float32(value), baked.pages.shape).copy())


def parts_seen(room):
    seen = seen_surfaces(room.rays, room.level, INSIDE, SIZE)
    out = np.full(SIZE[0] * SIZE[1], -1)
    out[seen.pixel] = seen.part
    return out.reshape(SIZE[1], SIZE[0])


def test_walls_show_what_the_pages_hold_and_small_parts_what_probes_say(renderer, room, around):
    """The view of bounce: what comes from around, on rough grey; a page of 100 lx is 100 / pi times its colour."""
    even = of_pages(room, around, (100.0, 50.0, 25.0))
    shown = drawn(renderer, room, project_of(lamp()), even, "bounce")
    plain = drawn(renderer, room, project_of(lamp(), way="probes"), None, "bounce")
    part = parts_seen(room)
    inner = part[1:-1, 1:-1]
    walls = (part == 0) & np.pad((inner == part[:-2, 1:-1]) & (inner == part[2:, 1:-1]), 1)
    ratio = shown[walls] / np.array([100.0, 50.0, 25.0])
    assert ratio.max() / ratio.min() < 1.25, "but for the gloss all walls answer alike"
    assert np.median(ratio) == pytest.approx(0.5 / np.pi, rel=0.06)
    block = np.pad((inner == 1) & (part[:-2, 1:-1] == 1) & (part[2:, 1:-1] == 1), 1)
    assert block.sum() > 20
    assert shown[block] == pytest.approx(plain[block], rel=0.02)


def test_a_baked_room_is_as_bright_as_probes_have_it(renderer, room, around):
    by_pages = luminance(drawn(renderer, room, project_of(lamp()), around))
    by_probes = luminance(drawn(renderer, room, project_of(lamp(), way="probes"), None))
    off = np.log2(by_pages / by_probes)
    assert abs(np.median(off)) < 0.08
    assert np.quantile(np.abs(off), 0.9) < 0.3


def test_live_light_is_added_to_what_is_baked(renderer, room, around):
    """A second lamp, put after the bake or live: its light and its bounce are there, the first one's as baked."""
    second = lamp(id="second", name="Second", position=(1.0, 2.2, 3.6), intensity=80.0, baked="live")
    both = drawn(renderer, room, project_of(lamp(), second), around)
    first = drawn(renderer, room, project_of(lamp()), around)
    alone = drawn(renderer, room, project_of(second, way="probes"), None)
    assert both == pytest.approx(first + alone, rel=0.02, abs=0.02)
    put_later = drawn(renderer, room, project_of(lamp(), second.revised(baked="still")), around)
    assert put_later == pytest.approx(both, rel=1e-6)


def test_with_all_its_light_a_lamp_draws_nothing_on_surfaces(renderer, room):
    whole = room.baked(project_of(lamp()), holds="all light", texels=8.0, paths=8)
    assert whole.straight
    picture = drawn(renderer, room, project_of(lamp()), whole)
    names = {record.name for record in renderer.engine.log.records}
    live = drawn(renderer, room, project_of(lamp(), way="probes"), None)
    off = np.log2(luminance(picture) / luminance(live))
    assert abs(np.median(off)) < 0.1
    assert "baked light" in names
    dark = drawn(renderer, room, project_of(lamp()), of_pages(room, whole, 0.0))
    walls = parts_seen(room) == 0
    assert np.quantile(luminance(dark)[walls], 0.9) < 0.02 * np.median(luminance(live)[walls])


def test_the_sky_that_is_baked_is_not_added_once_more(renderer, room):
    sky = plain_sky(ground=0.0)
    pages = room.baked(project_of(sky), paths=4)
    assert sky.id in pages.ids
    even = of_pages(room, pages, 40.0)
    shown = drawn(renderer, room, project_of(sky), even)
    bounce = drawn(renderer, room, project_of(sky), even, "bounce")
    walls = parts_seen(room) == 0
    assert np.median(shown[walls] / np.maximum(bounce[walls], 1e-9)) == pytest.approx(1.0, rel=0.02)


def test_under_the_hand_a_baked_lamps_own_light_follows_and_its_bounce_stays(renderer, room, around):
    before = drawn(renderer, room, project_of(lamp()), around)
    moved = project_of(lamp(intensity=400.0))
    by_hand = drawn(renderer, room, moved, around, active=frozenset({"lamp"}))
    rest = drawn(renderer, room, moved, around)
    assert by_hand == pytest.approx(rest, rel=0.02, abs=0.02)
    straight = drawn(renderer, room, project_of(lamp(), way="none"), None)
    # What has no texels has its bounce from probes, which follow.
    walls = parts_seen(room) == 0
    walls[1:, :] &= walls[:-1, :]
    walls[:-1, :] &= walls[1:, :]
    walls[:, 1:] &= walls[:, :-1]
    walls[:, :-1] &= walls[:, 1:]
    assert (rest - before)[walls] == pytest.approx(straight[walls], rel=0.1, abs=0.1)


def test_a_live_lamp_under_the_hand_leaves_the_baked_sky_as_it_is(renderer):
    """In a room without a roof: its sky is in the pages, and is not added while another source moves."""
    open_room = Room(roof=False)
    sky, live = plain_sky(ground=0.0), lamp(baked="live", intensity=2000.0)
    pages = open_room.baked(project_of(sky), paths=4)
    renderer.set_level(bundle_level(open_room.level))
    still = luminance(drawn(renderer, open_room, project_of(sky, live), pages))
    by_hand = luminance(drawn(renderer, open_room, project_of(sky, live), pages, active=frozenset({"lamp"})))
    shown = still < 1e4
    assert np.quantile(np.abs(np.log2(by_hand / still))[shown], 0.99) < 0.07


def test_where_nothing_is_baked_pictures_are_bit_for_bit_those_of_probes(renderer, room, around):
    by_probes = drawn(renderer, room, project_of(lamp(), way="probes"), None)
    assert np.array_equal(drawn(renderer, room, project_of(lamp(), way="probes"), around), by_probes)
    assert np.array_equal(drawn(renderer, room, project_of(lamp()), None), by_probes)


def test_the_ledger_adds_up_to_what_is_baked(renderer, room, around):
    """Layers of all sources together are the picture that shows the pages, whose light is three times as much."""
    more = replace(around, pages=3.0 * around.pages)
    room.bounce.baked = more
    try:
        project = project_of(lamp())
        picture = drawn(renderer, room, project, more)
        layers = Layers(seen_surfaces(room.rays, room.level, INSIDE, SIZE))
        for _ in fill_layers(layers, room.rays, evaluate(project), room.bounce):
            pass
    finally:
        room.bounce.baked = None
    walls = layers.seen.part == 0
    shown = luminance(picture.reshape(-1, 3)[layers.seen.pixel])[walls]
    result = luminance(layers.total)[walls]
    assert np.median(result / shown) == pytest.approx(1.0, abs=0.06)
