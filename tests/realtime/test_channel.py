"""Messages between two processes: whole, in order, and never waited for."""

import os
import socket
import threading

import numpy as np
import pytest

from wallum.realtime.process.channel import LONGEST, Channel, Closed
from wallum.realtime.process.memory import Block


@pytest.fixture
def ends():
    here, there = (Channel(item) for item in socket.socketpair(socket.AF_UNIX, socket.SOCK_STREAM))
    yield here, there
    here.close()
    there.close()


def open_descriptors():
    return len(os.listdir("/proc/self/fd"))


@pytest.mark.parametrize("count", [0, 1, LONGEST // 2, LONGEST, LONGEST + 1, 3_000_000])
def test_a_value_comes_as_it_was_sent_whatever_its_length(ends, count):
    here, there = ends
    sent = ("picture", bytes(range(256)) * (count // 256 + 1), {"count": count})
    here.send(sent)
    value, descriptors = there.receive()
    assert value == sent
    assert descriptors == []


def test_arrays_come_whole_and_are_the_receivers_own(ends):
    here, there = ends
    sent = np.arange(60_000, dtype=np.float32).reshape(100, 600)
    here.send(sent)
    value, _ = there.receive()
    assert (value == sent).all()
    value[0, 0] = 7.0
    assert sent[0, 0] == 0.0


def test_messages_keep_their_order_long_and_short(ends):
    here, there = ends
    lengths = [10, 50_000, 3, 20_000, 9000, 1]
    for length in lengths:
        here.send(b"x" * length)
    assert [len(there.receive()[0]) for _ in lengths] == lengths


@pytest.mark.parametrize("length", [10, 500_000])
def test_descriptors_come_along_and_only_those_that_were_sent(ends, length):
    here, there = ends
    block = Block.create(4096)
    block.view()[:5] = b"hello"
    here.send(("level", b"x" * length), (block.descriptor,))
    (word, data), descriptors = there.receive()
    assert (word, len(data), len(descriptors)) == ("level", length, 1)
    received = Block(descriptors[0], 4096)
    assert bytes(received.view()[:5]) == b"hello"
    for item in (block, received):
        item.close()


def test_long_messages_leave_no_descriptor_behind(ends):
    here, there = ends
    before = open_descriptors()
    for _ in range(40):
        here.send(b"x" * 100_000)
        there.receive()
    assert open_descriptors() == before


def test_both_ends_may_send_much_before_either_reads(ends):
    """More than the sockets hold, both ways: neither end waits for the other."""
    here, there = ends
    done = threading.Event()

    def send_all():
        for _ in range(10):
            here.send(b"a" * 400_000)
            there.send(b"b" * 400_000)
        done.set()

    sender = threading.Thread(target=send_all, daemon=True)
    sender.start()
    assert done.wait(20.0), "an end waited to be read"
    for _ in range(10):
        assert there.receive()[0][:1] == b"a"
        assert here.receive()[0][:1] == b"b"
    sender.join()


def test_an_end_that_is_gone_is_noticed_by_both_ways_of_asking(ends):
    here, there = ends
    there.close()
    with pytest.raises(Closed):
        here.receive()
    with pytest.raises(Closed):
        for _ in range(3):
            here.send(b"x" * 100_000)
