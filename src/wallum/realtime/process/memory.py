"""Shared memory that ends with its last user, however that one dies: anonymous files."""

import ctypes
import mmap
import os
import pickle
import struct
from contextlib import suppress
from typing import Any

__all__ = ["Block", "give_memory_back", "load_value", "share_one_pool", "store_value"]

COUNT = struct.Struct("<Q")
ALIGN = 64
M_ARENA_MAX = -8  # of <malloc.h>


class Block:
    """A mapped piece of shared memory. `descriptor` can be sent to another process."""

    def __init__(self, descriptor: int, size: int) -> None:
        self.descriptor = descriptor
        self.size = size
        self._map = mmap.mmap(descriptor, size)

    @classmethod
    def create(cls, size: int) -> "Block":
        """New, zeroed memory."""
        descriptor = os.memfd_create("wallum", os.MFD_CLOEXEC)
        os.ftruncate(descriptor, size)
        return cls(descriptor, size)

    def view(self) -> memoryview:
        return memoryview(self._map)

    def close(self) -> None:
        """Let go of it; views that are still held keep the memory mapped until they go."""
        os.close(self.descriptor)
        with suppress(BufferError):  # a view is still held; the map goes with it
            self._map.close()


def share_one_pool() -> None:
    """Let all threads of this process take memory from one pool of the C library: otherwise each has
    one of its own, and what one thread gave back no other can have."""
    with suppress(OSError, AttributeError):  # another C library
        ctypes.CDLL("libc.so.6").mallopt(M_ARENA_MAX, 1)


def give_memory_back() -> None:
    """Let the system have what was freed: work with large arrays leaves the C library's pools full of
    holes (hundreds of megabytes after some levels), which it keeps of its own accord."""
    with suppress(OSError, AttributeError):  # another C library
        ctypes.CDLL("libc.so.6").malloc_trim(0)


def _aligned(size: int) -> int:
    return -(-size // ALIGN) * ALIGN


def store_value(value: Any) -> Block:
    """Put a value into shared memory; its arrays are copied once and not pickled."""
    parts: list[pickle.PickleBuffer] = []
    head = pickle.dumps(value, protocol=5, buffer_callback=parts.append)
    raw = [memoryview(head), *(part.raw() for part in parts)]
    table = struct.pack(f"<{len(raw)}Q", *(item.nbytes for item in raw))
    offset = _aligned(COUNT.size + len(table))
    block = Block.create(offset + sum(_aligned(item.nbytes) for item in raw) + 1)
    view = block.view()
    view[: COUNT.size] = COUNT.pack(len(raw))
    view[COUNT.size : COUNT.size + len(table)] = table
    for item in raw:
        size = item.nbytes
        view[offset : offset + size] = item
        offset += _aligned(size)
    return block


def load_value(block: Block) -> Any:
    """The value; its arrays lie in the shared memory itself."""
    view = block.view()
    (count,) = COUNT.unpack(view[: COUNT.size])
    table = view[COUNT.size : COUNT.size + 8 * count]
    sizes = struct.unpack(f"<{count}Q", table)
    offset, parts = _aligned(COUNT.size + 8 * count), []
    for size in sizes:
        parts.append(view[offset : offset + size])
        offset += _aligned(size)
    return pickle.loads(parts[0], buffers=parts[1:])
