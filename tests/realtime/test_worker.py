"""The renderer's process: newest wins, it settles, it dies and comes back."""

import os
import select
import signal
import subprocess
import sys
import time
from dataclasses import replace

import numpy as np
import pytest
from level_shapes import field_of, glowing_room

from wallum.document.look import Look
from wallum.document.paths import put
from wallum.document.project import Project
from wallum.frame.order import FINISHED
from wallum.frame.quality import HIGH
from wallum.level.demos.pale_room import pale_room_project
from wallum.level.model.model import Material
from wallum.moment.camera import Camera
from wallum.moment.evaluate import evaluate
from wallum.realtime.level.bundling import bundle_level
from wallum.realtime.level.probe_set import probe_set, units_of
from wallum.realtime.process.client import RendererClient
from wallum.realtime.process.memory import store_value
from wallum.realtime.process.request import PictureRequest
from wallum.transport.field.bounce import BounceField

SIZE = (160, 90)
CAMERA = Camera((-2.4, 1.6, 3.6), (0.4178, -0.1592, -0.8945), 60.0, 16 / 9, far=50.0)


@pytest.fixture
def client(room):
    renderer_client = RendererClient()
    renderer_client.start()
    renderer_client.set_level(store_value(bundle_level(room)))
    yield renderer_client
    renderer_client.stop()


def asked(project=None, **more):
    return PictureRequest(0, evaluate(project or pale_room_project()), CAMERA, SIZE, **more)


def until(client, wanted, seconds=60.0):
    """Messages up to the first that is wanted; frames are given back at once."""
    end, seen = time.monotonic() + seconds, []
    while time.monotonic() < end:
        if not client.running:
            raise AssertionError("the renderer gave up")
        select.select([client.fileno()], [], [], 0.5)
        for message in client.receive():
            seen.append(message)
            if message[0] == "frame":
                client.release(message[1])
            if wanted(message):
                return message, seen
    raise AssertionError(f"waited in vain; came: {[m[0] for m in seen]}")


def frame(message):
    return message[1] if message[0] == "frame" else None


def settled_pixels(client, request):
    number = client.request(request)
    (_, last), _ = until(client, lambda m: frame(m) and frame(m).number == number and frame(m).settled)
    return client.pixels(last).copy(), last


def is_thumb(message):
    return message[0] == "thumb"


def test_a_small_picture_that_is_asked_for_again_is_never_the_one_before(client):
    """One that was drawn already when it was asked for from elsewhere is not given out any more."""
    settled_pixels(client, asked(settle=True, most=2))
    here, there = asked(detail="thumb"), replace(asked(detail="thumb"), camera=replace(CAMERA, fov=30.0))
    client.request_thumbs({"first": here, "one": here})
    until(client, is_thumb)
    assert select.select([client.fileno()], [], [], 60.0)[0]  # the other is there, and nobody has looked
    client.request_thumbs({"one": there})
    item, seen = until(client, is_thumb)
    assert [m[0] for m in seen].count("thumb") == 1
    client.request_thumbs({"there": there, "here": here})
    wanted, _ = until(client, is_thumb)
    other, _ = until(client, is_thumb)
    assert (wanted[2], other[2]) == ("there", "here")
    assert item[4] == wanted[4] != other[4]


def test_a_picture_comes_settles_and_stays_so_under_another_look(client):
    number = client.request(asked(settle=True))
    (_, first), _ = until(client, lambda m: frame(m) is not None)
    # Of a level just opened a sketch comes first, as small as it was drawn.
    half = tuple(round(0.5 * length) for length in SIZE)
    assert (first.number, first.settled, first.size, first.detail) == (number, 0, half, "sketch")
    pixels = client.pixels(first).copy()
    assert pixels[..., 3].min() == 255
    assert pixels[..., :3].std() > 5
    (_, last), seen = until(client, lambda m: frame(m) and frame(m).settled == HIGH.settled)
    counts = [frame(m).settled for m in seen if frame(m)]
    assert counts == sorted(counts)
    assert last.passes
    # Its light is not drawn anew for another look, under the hand or let go.
    other, neutral = put(pale_room_project(), "look/contrast", 1.4), client.pixels(last).copy()
    under_hand, messages = settled_pixels(client, asked(other))
    assert messages.settled == HIGH.settled
    assert {pass_.name for pass_ in messages.passes} <= {item.name for item in FINISHED}
    assert (under_hand != neutral).any()
    # Let go, nothing is settled anew: the first picture is the last.
    at_rest, messages = settled_pixels(client, asked(other, settle=True))
    assert messages.settled == HIGH.settled
    assert (at_rest == under_hand).all()
    # Other light is drawn.
    number = client.request(asked(put(pale_room_project(), "sources/ceiling-lamp/on", False)))
    (_, drawn), _ = until(client, lambda m: frame(m) and frame(m).number == number)
    assert drawn.settled == 0


def test_of_many_requests_the_newest_is_answered_and_few_others(client):
    until(client, lambda m: m[0] == "level shown")
    numbers = [client.request(asked(put(pale_room_project(), "look/ev100", float(ev)))) for ev in range(12)]
    _, seen = until(client, lambda m: frame(m) and frame(m).number == numbers[-1])
    assert len([m for m in seen if m[0] in ("frame", "dropped")]) <= 4


def test_a_moving_picture_is_as_small_as_it_was_drawn(client):
    until(client, lambda m: m[0] == "level shown")
    client.request(asked())
    until(client, lambda m: frame(m) and frame(m).detail == "full")
    client.request(asked(detail="reduced"))
    (_, result), _ = until(client, lambda m: frame(m) and frame(m).detail == "reduced")
    assert result.size[0] <= SIZE[0] // 2
    assert client.pixels(result).shape == (result.size[1], result.size[0], 4)
    assert client.pixels(result)[..., :3].std() > 5


def test_there_is_room_until_a_request_waits(client):
    until(client, lambda m: m[0] == "level shown")
    client.request(asked())
    until(client, lambda m: frame(m) and frame(m).detail == "full")
    assert client.has_room
    client.request(asked())
    assert client.has_room  # it is being drawn
    client.request(asked())
    assert not client.has_room  # one is drawn and one waits
    until(client, lambda m: frame(m) and client.is_current(frame(m)))
    assert client.has_room


def test_a_picture_of_another_size_gets_memory_of_that_size(client):
    from dataclasses import replace

    for size in ((160, 90), (400, 300), (64, 64)):
        number = client.request(replace(asked(), size=size))
        (_, result), _ = until(
            client, lambda m, n=number: frame(m) and (frame(m).number, frame(m).detail) == (n, "full")
        )
        assert client.pixels(result).shape == (size[1], size[0], 4)


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGSEGV])
def test_a_killed_renderer_comes_back_with_the_same_picture(client, how):
    client.request(asked())
    (_, before), _ = until(client, lambda m: frame(m) and frame(m).detail == "full")
    shown = client.pixels(before).copy()
    pid = client.pid
    os.kill(pid, how)
    until(client, lambda m: m[0] == "restarted")
    assert client.pid != pid
    (_, after), _ = until(client, lambda m: frame(m) and frame(m).detail == "full")
    assert after.number == before.number
    assert np.array_equal(client.pixels(after), shown)


@pytest.mark.parametrize("lives", [True, False])
def test_a_spare_process_takes_over_where_it_is_alive(client, lives):
    client.request(asked())
    (_, before), _ = until(client, lambda m: frame(m) and frame(m).detail == "full")
    shown = client.pixels(before).copy()
    client.keep_spare()
    spare = client.spare_pid
    client.keep_spare()
    assert client.spare_pid == spare  # one is enough
    if not lives:
        os.kill(spare, signal.SIGKILL)
        os.waitid(os.P_PID, spare, os.WEXITED | os.WNOWAIT)
    os.kill(client.pid, signal.SIGKILL)
    until(client, lambda m: m[0] == "restarted")
    assert (client.pid == spare) == lives
    assert client.spare_pid == 0
    (_, after), _ = until(client, lambda m: frame(m) and frame(m).detail == "full")
    assert np.array_equal(client.pixels(after), shown)


def test_a_level_just_opened_is_shown_by_a_quick_picture_first(client):
    number = client.request(asked())
    (_, first), _ = until(client, lambda m: frame(m) is not None)
    assert first.detail == "sketch"
    client.release(first)
    (_, second), _ = until(client, lambda m: frame(m) is not None)
    assert (second.detail, second.number) == ("full", number)
    client.release(second)
    client.request(asked())
    (_, third), _ = until(client, lambda m: frame(m) is not None)
    assert third.detail == "full"


def test_a_renderer_that_keeps_dying_is_left_dead(client):
    for _ in range(20):
        if not client.running:
            break
        os.kill(client.pid, signal.SIGKILL)
        select.select([client.fileno()], [], [], 5.0)
        messages = client.receive()
    assert ("gave up",) in messages
    assert not client.running
    client.request(asked())  # asking then does no harm


def test_stopping_leaves_no_process(room):
    client = RendererClient()
    client.start()
    client.keep_spare()
    pids = client.pid, client.spare_pid
    assert all(pids)
    client.stop()
    for pid in pids:
        with pytest.raises(ProcessLookupError):
            os.kill(pid, 0)
    client.keep_spare()  # asking then does no harm
    assert client.spare_pid == 0


def test_the_renderers_process_needs_nothing_of_the_document_and_no_scipy():
    """It is started again when it dies, and every import is waited for."""
    heavy = "[one for one in sys.modules if one.startswith(('wallum.document', 'pydantic', 'scipy'))]"
    done = subprocess.run(
        [sys.executable, "-c", f"import sys, wallum.realtime.process.worker; print({heavy})"],
        capture_output=True, text=True, check=True, env={**os.environ, "PYTHONPATH": os.pathsep.join(sys.path)},
    )  # fmt: skip
    assert done.stdout.strip() == "[]"


def test_smooth_surfaces_show_the_level_once_the_picture_rests(client):
    """Images are taken before a picture settles: the settled one has them, the first not yet."""
    level = glowing_room(Material("floor", (1.0, 1.0, 1.0, 1.0), 1.0, 0.05))
    rays, built = field_of(level)
    bounce = BounceField.of(rays, level, built, {})
    scene = evaluate(Project(sources=(), look=Look(ev100=7.0)))
    for _ in bounce.relight(scene):
        pass
    client.set_level(store_value(bundle_level(level)))
    until(client, lambda m: m[0] == "compiled")
    client.set_probes(probe_set(bounce.made))
    client.take_bounce(units_of(bounce.units))
    camera = Camera((1.2, 1.9, 4.4), (0.2, -0.6, -0.77), 70.0, 16 / 9, far=50.0)
    number = client.request(PictureRequest(0, scene, camera, SIZE, settle=True, most=8))
    pictures = []
    for wanted in ((number, "full", 0), (number, "full", 8)):
        (_, result), _ = until(
            client,
            lambda m, w=wanted: frame(m) and (frame(m).number, frame(m).detail, frame(m).settled) == w,
        )
        pictures.append(client.pixels(result).astype(int).copy())
    other = np.abs(pictures[1] - pictures[0]).max(axis=2) > 40
    assert other.mean() > 0.15
