"""Rooms of the artist's: light alike from all around in a box, its share, and an image of its own."""

import math
from dataclasses import replace

import numpy as np
import pytest
from level_shapes import field_of, glowing_room, plain_ground

from wallum.document.look import Look
from wallum.document.project import Project, base_light
from wallum.document.sources import AmbientBoxSource
from wallum.frame.pass_work import Boxes, PassWork
from wallum.judge.work import count_work
from wallum.level.model.flatten import flatten
from wallum.level.model.model import Material
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.physics.colour import luminance
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.level.probe_set import MirrorPlaces, ProbeSet
from wallum.realtime.process.offline import relit
from wallum.realtime.process.request import PictureRequest
from wallum.transport.direct.contributions import Layers, fill_layers
from wallum.transport.field.bounce import BounceField
from wallum.transport.field.sky_parts import BINS
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import seen_surfaces

SIZE = (160, 90)
# 4 m across on the ground, from 2 m to the left to 2 m to the right.
ROOM = AmbientBoxSource(
    id="room", name="Room", position=(0.0, 1.0, 0.0), size=(4.0, 3.0, 4.0), ambient=100.0, fade=1.0,
    colour_by="colour", colour=(1.0, 1.0, 1.0),
)  # fmt: skip
ABOVE = Camera((0.0, 9.0, 0.0), (0.0, -1.0, 0.01), 40.0, SIZE[0] / SIZE[1], far=60.0)


def _scene(*sources, **look):
    return evaluate(Project(sources=sources, look=Look(ev100=4.0, **look)), Moment(12.0))


def _drawn(renderer, scene, camera=ABOVE, active=frozenset()):
    request = PictureRequest(1, replace(scene, air=None), camera, SIZE, active=active)
    for _ in renderer.draw(request):
        pass
    return luminance(renderer.luminance(request, False).astype(float))


def _on_ground():
    """(H, W, 2) where pixels see the ground, x and z."""
    x, y = np.meshgrid((np.arange(SIZE[0]) + 0.5) / SIZE[0], (np.arange(SIZE[1]) + 0.5) / SIZE[1])
    d = ABOVE.rays(x.ravel(), y.ravel())
    return (np.array(ABOVE.eye) + d * (-ABOVE.eye[1] / d[:, 1])[:, None])[:, [0, 2]].reshape(*SIZE[::-1], 2)


@pytest.fixture
def ground(renderer):
    renderer.set_level(bundle_level(plain_ground()))
    return renderer


@pytest.mark.parametrize("turn", [0.0, 45.0])
def test_ground_in_it_sends_back_its_albedo_and_beyond_there_is_none(ground, turn):
    """Lambert: albedo over pi of 100 lx; half of it halfway up its fade; nothing past its sides."""
    light = _drawn(ground, _scene(ROOM.revised(turn=turn)))
    at = _on_ground()
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    local = np.abs(np.stack([c * at[..., 0] + s * at[..., 1], c * at[..., 1] - s * at[..., 0]], axis=-1))
    inside = 2.0 - local.max(axis=-1)
    # The ground lies half a metre within its lower side.
    whole = light[inside > 1.05]
    assert whole.mean() == pytest.approx(0.5 * 0.5 / np.pi * 100.0, rel=0.08)
    assert light[inside < -0.02].max() == 0.0
    quarter = light[np.abs(inside - 0.25) < 0.03]
    assert quarter.mean() == pytest.approx(0.5 * whole.mean(), rel=0.05)


def test_it_adds_to_what_is_there_and_under_the_hand_too(ground):
    sources = (*base_light(), ROOM.revised(ambient=30_000.0))
    both = _drawn(ground, _scene(*sources))
    parts = _drawn(ground, _scene(*base_light())) + _drawn(ground, _scene(sources[-1]))
    assert both == pytest.approx(parts, rel=0.01)
    drawn = _drawn(ground, _scene(*sources), active=frozenset({"room"}))
    assert drawn == pytest.approx(both, rel=0.01)
    off = _scene(*base_light(), sources[-1].revised(on=False))
    assert not off.rooms


def test_it_has_its_share_and_its_cost():
    level = plain_ground()
    rays = RayScene(level, flatten(level))
    scene = _scene(ROOM)
    layers = Layers(seen_surfaces(rays, level, ABOVE, (32, 18)))
    for _ in fill_layers(layers, rays, scene):
        pass
    own = luminance(layers.light["room"])
    assert own.max() == pytest.approx(0.5 * 0.5 / np.pi * 100.0, rel=0.1)
    assert (own > 0.0).mean() == pytest.approx((luminance(layers.total) > 0.0).mean())
    box = np.array([[-20.0, -0.1, -20.0]], np.float32)
    boxes = Boxes(box, -box, np.array([128]))
    work = count_work(PassWork(boxes, scene, layers.seen, ABOVE, (320, 180)))
    counted = work.sources["room"]["light"]["lamp pixels"]
    assert counted == pytest.approx((own > 0.0).sum() * 100.0, rel=0.05)


def test_its_own_image_is_mirrored_in_it(renderer):
    """A second place in the same room: what its images show is what the first one showed, and it is taken anew
    when the box is another."""
    mirror = Material("mirror", (1.0, 1.0, 1.0, 1.0), 1.0, 0.05)
    level = glowing_room(mirror)
    rays, built = field_of(level)
    bounce = BounceField.of(rays, level, built, {})
    renderer.set_level(bundle_level(level))
    camera = Camera((1.2, 1.9, 4.4), (0.25, -0.55, -0.8), 70.0, SIZE[0] / SIZE[1], far=60.0)
    own = ROOM.revised(position=(2.0, 1.5, 2.5), size=(4.0, 3.0, 5.0), ambient=0.0, mirrored=True)
    pictures = []
    for scene in (_scene(), _scene(own)):
        relit(renderer, bounce, scene)
        request = PictureRequest(1, scene, camera, SIZE)
        _drawn(renderer, scene, camera)
        places = renderer.stale_mirrors(request, seen=False)
        for _ in renderer.take_mirrors(request, places):
            pass
        pictures.append(_drawn(renderer, scene, camera))
    result = len(bounce.made.rooms)
    assert renderer.engine.lighting.mirrors.places.eyes[result] == pytest.approx([2.0, 1.5, 2.5])
    assert places == [result], "those that were found keep their images"
    # From another place of the room the same walls are mirrored, but for their edges.
    same = np.abs(pictures[1] / np.maximum(pictures[0], 1e-6) - 1.0) < 0.03
    assert same.mean() > 0.85
    moved = _scene(own.revised(position=(2.0, 1.0, 2.5)))
    _drawn(renderer, moved, camera)
    assert renderer.stale_mirrors(PictureRequest(1, moved, camera, SIZE), seen=False) == [result]
    gone = _scene()
    _drawn(renderer, gone, camera)
    assert renderer.stale_mirrors(PictureRequest(1, gone, camera, SIZE), seen=False) == []


def test_images_beyond_those_that_can_be_numbered_are_left_out(renderer):
    """Fourteen places were found: of three rooms the first alone has an image, and no surface sees another."""
    none, places = np.zeros((1, 4), np.float32), np.zeros((14, 3), np.float32)
    mirrors = MirrorPlaces(places, places, places, np.zeros(14, bool))
    own = (np.zeros((1, 27), np.int32), none, none[:, :3], np.zeros((2, 3), bool), np.ones(1, np.uint8))
    renderer.set_level(bundle_level(plain_ground()))
    words = np.zeros((1, 1, 1), np.uint32)
    renderer.set_probes(
        ProbeSet(
            (0.0, 0.0, 0.0), 1.0, words, words.ravel(), none, *own, mirrors, np.zeros((1, BINS), np.float16)
        )
    )
    rooms = _scene(*(ROOM.revised(id=f"r{n}", name=f"R {n}", mirrored=True) for n in range(3))).rooms
    engine = renderer.engine
    assert engine.lighting.mirrors.set_own(rooms)
    engine.probe_light.show_rooms(rooms)
    assert len(engine.lighting.mirrors.places) == 15
    assert engine.probe_light._all.images[0] == 15
    renderer.set_probes(None)
