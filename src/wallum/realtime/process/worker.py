"""The renderer's process: takes the newest request, gives frames back, settles in between.

Run as `python -m wallum.realtime.process.worker DESCRIPTOR [spare]` by realtime.client.
"""

import logging
import os
import socket
import sys
import traceback
from collections.abc import Iterator
from contextlib import suppress
from typing import Any

import numpy as np

from wallum.faults import keep_log
from wallum.realtime.engine import open_context
from wallum.realtime.passes.interaction.light_key import light_key
from wallum.realtime.process.channel import Channel, Closed
from wallum.realtime.process.launch import SPARE
from wallum.realtime.process.memory import Block, give_memory_back, load_value
from wallum.realtime.process.precompile import precompile
from wallum.realtime.process.request import PictureRequest
from wallum.realtime.renderer import Renderer

__all__ = ["Worker", "main"]

log = logging.getLogger("wallum.worker")

BEHIND_THE_WINDOW = 3
# Pictures that have settled when there is time to think of what a hand may drag next.
FORESEEN_AT = 2


class Worker:
    """Answers one desk until that closes the channel."""

    def __init__(self, channel: Channel, renderer: Renderer | None = None) -> None:
        self._channel = channel
        self._renderer = renderer or Renderer()
        self._frames: list[Block] = []
        self._free: list[int] = []
        self._level: Block | None = None
        # What came while a picture was being drawn, taken up between pictures.
        self._next_level: Block | None = None
        self._next_probes: Block | None = None
        self._next_baked: tuple[Block | None] | None = None
        self._next_units: list[Block] = []
        self._pending: PictureRequest | None = None
        self._settling: PictureRequest | None = None
        self._mirrors_left: list[int] = []  # images to be taken once the picture has settled
        self._compiling: Iterator[None] | None = None
        self._thumbs: dict[str, PictureRequest] = {}

    def run(self) -> None:
        """Serve until the channel closes."""
        info = self._renderer.engine.context.info
        self._channel.send(("ready", {"driver": info["GL_RENDERER"], "pid": os.getpid()}))
        while True:
            idle = self._pending is None and self._compiling is None
            idle = idle and not self._can_settle() and not self._may_thumb() and not self._may_mirror()
            self._take_messages(wait=idle)
            self._take_up()
            # A level takes long to take up: the picture that is wanted of it has come meanwhile.
            self._take_messages(wait=False)
            if self._pending is not None and self._free:
                request, self._pending = self._pending, None
                self._picture(request)
            elif self._pending is not None:
                self._take_messages(wait=True)
            elif self._may_thumb():
                self._thumb()
            elif self._compiling is not None:
                self._compile_step()
            elif self._can_settle():
                self._settle_once()
            elif self._may_mirror():
                self._mirrored(self._mirrors_left[:1])
                self._mirrors_left = self._mirrors_left[1:]

    def _can_settle(self) -> bool:
        resting = self._settling is not None and self._compiling is None
        return resting and not self._renderer.settler.done and bool(self._free)

    def _may_mirror(self) -> bool:
        """When all else is done: images that the picture does not show, for when the camera moves."""
        return bool(self._mirrors_left) and self._settling is not None

    def _may_thumb(self) -> bool:
        """Only at rest: between the moves of a hand there is no time for other cameras."""
        return bool(self._thumbs) and self._settling is not None

    def _take_messages(self, wait: bool) -> None:
        while wait or self._channel.readable():
            message, descriptors = self._channel.receive()
            self._handle(message, descriptors)
            wait = False

    def _handle(self, message: tuple[Any, ...], descriptors: list[int]) -> None:
        match message:
            case ("level", size):
                self._keep_level(Block(descriptors[0], size))
            case ("probes", size):
                self._settling = None
                self._keep_probes(Block(descriptors[0], size))
            case ("baked", size):
                self._settling = None
                self._keep_baked(Block(descriptors[0], size) if size else None)
            case ("bounce", size):
                self._next_units.append(Block(descriptors[0], size))
            case ("frames", size):
                for block in self._frames:
                    block.close()
                self._frames = [Block(descriptor, size) for descriptor in descriptors]
                self._free = list(range(len(self._frames)))
            case ("release", index) if index not in self._free:
                self._free.append(index)
            case ("picture", request):
                self._pending, self._settling = request, None
            case ("thumbs", requests):
                self._thumbs = dict(requests)
            case ("crash",):
                os.abort()

    def _keep_level(self, block: Block) -> None:
        """A level has come; the one that is being drawn stays whole until its picture is over."""
        self._settling = None
        self._thumbs.clear()
        if self._next_level is not None:
            self._next_level.close()
        self._next_level = block
        self._keep_probes(None)
        self._keep_baked(None)
        self._next_baked = None  # one that came before was for another level

    def _keep_probes(self, block: Block | None) -> None:
        """Other probes: light of those before is of no use."""
        for old in (*self._next_units, *([] if self._next_probes is None else [self._next_probes])):
            old.close()
        self._next_probes, self._next_units = block, []

    def _keep_baked(self, block: Block | None) -> None:
        if self._next_baked is not None and self._next_baked[0] is not None:
            self._next_baked[0].close()
        self._next_baked = (block,)

    @property
    def _overtaken(self) -> bool:
        """Whether what is being drawn is not wanted any more."""
        return self._pending is not None or self._next_level is not None

    def _take_up(self) -> None:
        """Between pictures: the level that came meanwhile, and what is known of it."""
        if self._next_level is not None:
            block, self._next_level = self._next_level, None
            self._set_level(block)
        self._take_probes()
        if self._next_baked is not None:
            (baked,), self._next_baked = self._next_baked, None
            self._renderer.set_baked(None if baked is None else load_value(baked))
            if baked is not None:
                baked.close()

    def _take_probes(self) -> None:
        """Probes that came, and light of theirs."""
        if self._next_probes is not None:
            block, self._next_probes = self._next_probes, None
            self._renderer.set_probes(load_value(block))
            block.close()
        while self._next_units:
            block = self._next_units.pop(0)
            self._renderer.take_bounce(load_value(block))
            block.close()

    def _thumb(self) -> None:
        """Draw one small picture, unless something newer comes between."""
        name = next(iter(self._thumbs))
        request = self._thumbs.pop(name)
        if self._renderer.engine.level is None:
            return
        for _ in self._renderer.draw(request):
            if self._channel.readable():
                self._take_messages(wait=False)
                if self._overtaken:
                    if self._next_level is None:
                        self._thumbs.setdefault(name, request)
                    return
        width, height = request.size
        out = np.empty((height, width, 4), np.uint8)
        self._renderer.read_into(request, 0, out)
        self._channel.send(("thumb", request.number, name, request.size, out.tobytes()))

    def _set_level(self, block: Block) -> None:
        if self._level is not None:
            self._level.close()
        self._level = block
        self._renderer.set_level(load_value(block))
        give_memory_back()  # of the level before
        self._compiling = precompile(self._renderer, lambda: self._settling)
        self._channel.send(("level shown",))

    def _compile_step(self) -> None:
        """Compile a little more; pictures that are asked for come first."""
        assert self._compiling is not None
        if next(self._compiling, self) is self:
            self._compiling = None
            self._renderer.forget_unused()
            give_memory_back()
            self._channel.send(("compiled",))
            if self._settling is not None:
                self._renderer.settler.begin(self._settling)

    def _picture(self, request: PictureRequest) -> None:
        if self._renderer.engine.level is None:
            self._channel.send(("dropped", request.number))
            return
        # Under a look that changes what has settled stays: no light is drawn.
        settled = self._renderer.settled_for(request)
        if not settled and not self._drawn(request):
            return
        if self._give(request, settled) and request.settle:
            self._settling = request
            if self._compiling is None:
                self._renderer.settler.begin(request)

    def _drawn(self, request: PictureRequest) -> bool:
        """Make the light of a picture; False: something newer came, which asks for other light."""
        at_rest = request.detail == "full" and not request.active
        for _ in self._renderer.draw(request):
            if at_rest and self._channel.readable():
                self._take_messages(wait=False)
                if self._next_level is not None and self._pending is None:
                    self._pending = request  # it is still what is wanted, of the level that has come
                    return False
                if self._overtaken and not self._same_light(request):
                    break
        if at_rest and self._pending is not None:
            self._channel.send(("dropped", request.number))
            return False
        return True

    def _same_light(self, request: PictureRequest) -> bool:
        """Whether what has come instead of a request asks for the light that is being made for it."""
        newer = self._pending if self._next_level is None else None
        return newer is not None and light_key(newer) == light_key(request)

    def _settle_once(self) -> None:
        request = self._settling
        assert request is not None
        if self._renderer.settler.count == 0 and not self._mirrored(self._renderer.stale_mirrors(request)):
            return
        if not self._at_rest(request, self._renderer.refine()):
            return
        if self._renderer.settler.worth_showing:
            self._give(request, self._renderer.settler.count)
        if self._renderer.settler.count == FORESEEN_AT:
            self._renderer.foresee(request)
        if self._renderer.settler.done:
            self._mirrors_left = self._renderer.stale_mirrors(request, seen=False)
            give_memory_back()

    def _mirrored(self, places: list[int]) -> bool:
        """Take mirror images in the light of the picture that settles; False: something newer came."""
        request = self._settling
        assert request is not None
        return self._at_rest(request, self._renderer.take_mirrors(request, places))

    def _at_rest(self, request: PictureRequest, steps: Iterator[None]) -> bool:
        """Do what is done while a picture rests, step by step; False: something newer came between."""
        for _ in steps:
            if self._channel.readable():
                self._take_messages(wait=False)
                if self._settling is not request:
                    self._renderer.settler.stop()
                    self._mirrors_left = []
                    return False
        return True

    def _give(self, request: PictureRequest, settled: int) -> bool:
        """Send the last picture; False where the memory is of another size by now."""
        bytes_needed = request.size[0] * request.size[1] * 4
        if not self._free or bytes_needed > self._frames[self._free[0]].size:
            self._channel.send(("dropped", request.number))
            return False
        index = self._free.pop(0)
        frame = self._renderer.read_into(request, settled, self._frames[index].view())
        frame.buffer = index
        self._channel.send(("frame", frame))
        return True


def main() -> int:
    """Serve the channel whose descriptor is the first argument; a spare process once it is told something."""
    logging.basicConfig(level=logging.WARNING, format="wallum renderer: %(message)s")
    keep_log()
    channel = Channel(socket.socket(fileno=int(sys.argv[1])))
    # The window, which does little, goes first: its hand must not wait for a picture.
    os.nice(BEHIND_THE_WINDOW)
    try:
        if SPARE in sys.argv:
            # Imports and OpenGL are there; memory is taken once there is something to draw.
            open_context()
            channel.readable(timeout_s=None)
        Worker(channel).run()
    except Closed:
        return 0
    except KeyboardInterrupt:
        return 0
    except Exception as error:
        log.error("%s", traceback.format_exc())
        with suppress(Closed):
            channel.send(("problem", str(error)))
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
