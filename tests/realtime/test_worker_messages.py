"""The worker under messages in any order, at any moment: it never fails and ends with the newest picture."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wallum.document.paths import put
from wallum.document.project import base_light
from wallum.level.demos.pale_room import pale_room_project
from wallum.level.model.flatten import flatten
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.baked_set import TEXEL_CORNER, BakedSet
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.level.probe_set import probe_set
from wallum.realtime.process.channel import Closed
from wallum.realtime.process.memory import Block, store_value
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.process.worker import Worker
from wallum.transport.field.bounce import Field
from wallum.transport.field.make_field import make_field
from wallum.transport.scene.rays import RayScene

CAMERA = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 16 / 9, far=50.0)
SIZES = ((72, 40), (96, 54))


class Script:
    """A channel that brings what a test has written: (looks, message), where a message comes once the
    worker has looked for it so often, between passes or pictures, or when it waits for one."""

    def __init__(self, messages):
        self.messages = list(messages)
        self.looks = 0
        self.sent = []

    def readable(self):
        self.looks += 1
        return bool(self.messages) and self.looks > self.messages[0][0]

    def receive(self):
        if not self.messages:
            raise Closed
        self.looks = 0
        built = self.messages.pop(0)[1]
        return built() if callable(built) else (built, [])

    def send(self, message, descriptors=()):
        self.sent.append(message)


@pytest.fixture(scope="module")
def levels(room):
    without = replace(room, parts=room.parts[:-1])
    return [bundle_level(room), bundle_level(without), bundle_level(replace(room, parts=()))]


@pytest.fixture(scope="module")
def field(room):
    rays = RayScene(room, flatten(room))
    return next(item for item in make_field(rays, room, room.bounds) if isinstance(item, Field))


def level_message(bundle):
    def make():
        block = store_value(bundle)
        return ("level", block.size), [block.descriptor]

    return make


def probes_message(made):
    def make():
        block = store_value(probe_set(made))
        return ("probes", block.size), [block.descriptor]

    return make


def baked_message():
    nothing = np.zeros((0, 3), np.uint32)
    block = store_value(
        BakedSet(
            np.zeros(0, TEXEL_CORNER), nothing, np.ones((1, 4, 4, 4), np.float16), 1.0, frozenset(), False
        )
    )
    return ("baked", block.size), [block.descriptor]


def frames_message():
    blocks = [Block.create(96 * 54 * 4) for _ in range(3)]
    return ("frames", blocks[0].size), [block.descriptor for block in blocks]


LAMPS = tuple(source for source in pale_room_project().sources if source.kind not in ("sun", "moon", "sky"))
PROJECT = pale_room_project().revised(sources=(*base_light(), *LAMPS))


def picture(number, detail, size, settle, active):
    scene = evaluate(put(PROJECT, "look/ev100", float(number % 5)))
    ids = frozenset(scene.lamps.ids[:1]) if active else frozenset()
    return PictureRequest(number, scene, CAMERA, size, detail=detail, settle=settle, active=ids)


MESSAGE = st.one_of(
    st.tuples(st.just("level"), st.integers(0, 2)),
    st.just(("probes",)),
    st.just(("baked",)),
    st.just(("not baked",)),
    st.just(("frames",)),
    st.tuples(st.just("release"), st.integers(0, 2)),
    st.tuples(
        st.just("picture"),
        st.sampled_from(["full", "reduced", "sketch"]),
        st.sampled_from(SIZES),
        st.booleans(),
        st.booleans(),
    ),
    st.just(("thumbs",)),
)


def run(script, renderer):
    """What a worker sends until its messages are over."""
    channel = Script(script)
    with pytest.raises(Closed):
        Worker(channel, renderer).run()
    return channel.sent


def last_frame(sent):
    return [item[1].number for item in sent if item[0] == "frame"][-1]


@pytest.mark.slow
@settings(max_examples=12, derandomize=True)
@given(script=st.lists(st.tuples(st.integers(0, 12), MESSAGE), max_size=14))
def test_no_order_of_messages_stops_the_worker(renderer, levels, field, script):
    out, number = [(0, level_message(levels[0])), (0, frames_message)], 0
    for looks, item in script:
        match item:
            case ("level", index):
                built = level_message(levels[index])
            case ("probes",):
                built = probes_message(field)
            case ("baked",):
                built = baked_message
            case ("not baked",):
                built = ("baked", 0)
            case ("frames",):
                built = frames_message
            case ("release", index):
                built = ("release", index)
            case ("picture", *how):
                number += 1
                built = ("picture", picture(number, *how))
            case ("thumbs",):
                built = ("thumbs", {"a": picture(0, "thumb", (72, 40), False, False)})
        out.append((looks, built))
    last = picture(number + 1, "full", (72, 40), False, False)
    out += [(0, frames_message), (0, ("release", 0)), (0, ("picture", last))]
    assert last_frame(run(out, renderer)) == last.number


@pytest.mark.parametrize("looks", range(1, 8))
def test_a_level_that_comes_in_mid_picture_is_taken_up_after_it(renderer, levels, looks):
    """Leaving a part out, and undoing it, while the picture is drawn: at each of its passes."""
    first = ("picture", picture(1, "full", SIZES[0], True, False))
    script = [(0, level_message(levels[0])), (0, frames_message), (9, first)]
    for number in range(2, 5):
        script.append((looks, level_message(levels[number % 3])))
        script.append((looks, ("picture", picture(number, "full", SIZES[number % 2], True, False))))
        script.append((0, ("release", number % 3)))
    assert last_frame(run([*script, (30, ("release", 0))], renderer)) == 4


def test_what_is_wanted_of_a_level_is_drawn_before_anything_is_made_ahead(renderer, levels, monkeypatch):
    """Its picture is asked for right behind it, while it is taken up."""
    done = []

    def ahead(*_):
        done.append("ahead")
        yield

    monkeypatch.setattr("wallum.realtime.process.worker.precompile", ahead)
    channel = Script(
        [
            (0, frames_message),
            (0, level_message(levels[0])),
            (1, ("picture", picture(1, "full", SIZES[0], True, False))),
        ]
    )
    send = channel.send

    def sent(message, descriptors=()):
        done.append(message[0])
        send(message, descriptors)

    channel.send = sent
    with pytest.raises(Closed):
        Worker(channel, renderer).run()
    assert done.index("frame") < done.index("ahead")
