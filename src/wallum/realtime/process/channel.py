"""Messages between two processes: pickled values, and file descriptors for shared memory.

Both ends are ours and joined by a socket pair that no one else holds, so pickle is safe. Through
the socket itself go small messages only: two ends that send more than it holds would both wait
for the other to read, and the window may not wait at all.
"""

import array
import pickle
import select
import socket
import struct
from typing import Any

from wallum.errors import RendererProblem
from wallum.realtime.process.memory import Block

__all__ = ["Channel", "Closed"]

# Length of the value, number of descriptors, whether the last of those holds the value.
HEADER = struct.Struct("<QI?")
MAX_DESCRIPTORS = 16
# Longer values lie in shared memory [bytes].
LONGEST = 8192


class Closed(RendererProblem):
    """The other end is gone."""

    def __init__(self) -> None:
        super().__init__("the other process is gone", "renderer")


class Channel:
    """One end of a socket pair."""

    def __init__(self, end: socket.socket) -> None:
        self._socket = end
        end.setblocking(True)

    def fileno(self) -> int:
        return self._socket.fileno()

    def close(self) -> None:
        self._socket.close()

    def send(self, value: Any, descriptors: tuple[int, ...] = ()) -> None:
        """Send a value; the descriptors are duplicated for the other side. Raises Closed."""
        payload = pickle.dumps(value, protocol=5)
        block = None
        if len(payload) > LONGEST:
            block = Block.create(len(payload))
            block.view()[:] = payload
            descriptors = (*descriptors, block.descriptor)
        header = HEADER.pack(len(payload), len(descriptors), block is not None)
        try:
            if descriptors:
                socket.send_fds(self._socket, [header], list(descriptors))
            else:
                self._socket.sendall(header)
            if block is None:
                self._socket.sendall(payload)
        except OSError:
            raise Closed from None
        finally:
            if block is not None:
                block.close()

    def readable(self, timeout_s: float | None = 0.0) -> bool:
        """Whether a message (or the end) is waiting; None: waits until one is."""
        return bool(select.select([self._socket], [], [], timeout_s)[0])

    def receive(self) -> tuple[Any, list[int]]:
        """The next value and its descriptors; waits. Raises Closed at the end."""
        space = socket.CMSG_SPACE(MAX_DESCRIPTORS * array.array("i").itemsize)
        try:
            head, control, _, _ = self._socket.recvmsg(HEADER.size, space)
            head += self._exactly(HEADER.size - len(head)) if head else b""
            if not head:
                raise Closed
            length, _, beside = HEADER.unpack(head)
            payload = b"" if beside else self._exactly(length)
        except OSError:
            raise Closed from None
        descriptors = array.array("i")
        for level, kind, data in control:
            if level == socket.SOL_SOCKET and kind == socket.SCM_RIGHTS:
                descriptors.frombytes(data[: len(data) - len(data) % descriptors.itemsize])
        if not beside:
            return pickle.loads(payload), list(descriptors)
        block = Block(descriptors.pop(), length)
        try:
            with block.view() as view:
                return pickle.loads(view), list(descriptors)
        finally:
            block.close()

    def _exactly(self, length: int) -> bytes:
        out = bytearray(length)
        view, got = memoryview(out), 0
        while got < length:
            count = self._socket.recv_into(view[got:])
            if count == 0:
                raise Closed
            got += count
        return bytes(out)
