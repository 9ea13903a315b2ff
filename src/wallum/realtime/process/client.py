"""The desk's end of the renderer: starts it, asks for the newest picture, restarts it.

Knows nothing of Qt: whoever owns it watches `fileno()` and calls `receive()`.
"""

import logging
import time
from contextlib import suppress
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wallum.realtime.level.baked_set import BakedSet
from wallum.realtime.level.probe_set import ProbeSet, UnitResponses
from wallum.realtime.process.channel import Channel, Closed
from wallum.realtime.process.launch import RendererProcess, launch
from wallum.realtime.process.memory import Block, store_value
from wallum.realtime.process.request import Frame, PictureRequest

__all__ = ["RendererClient"]

log = logging.getLogger("wallum.renderer")

FRAME_BUFFERS = 3
# A renderer that dies this often within the window is left dead, and said to be.
MAX_RESTARTS, RESTART_WINDOW_S = 5, 30.0


class RendererClient:
    """One renderer process and what it was last told, so that it can be told again."""

    def __init__(self) -> None:
        self._running: RendererProcess | None = None
        self._spare: RendererProcess | None = None  # which knows nothing of a level yet
        self._level: Block | None = None
        self._probes: Block | None = None
        self._units: UnitResponses = {}
        self._baked: Block | None = None
        self._frames: list[Block] = []
        self._latest: PictureRequest | None = None  # what the picture should be
        self._fresh = False  # whether nothing of this level was asked for yet
        self._waiting: PictureRequest | None = None  # not sent yet
        self._in_flight: int | None = None
        self._number = self._thumbs_number = 0
        self._starts: list[float] = []
        self.restarts = 0
        self.light_number = 0  # of what was sent of light from around so far

    def start(self) -> None:
        """Start a process, or take the spare one, and tell it all that is known."""
        self._running, self._spare = self._living_spare() or launch(), None
        self._starts = [t for t in self._starts if time.monotonic() - t < RESTART_WINDOW_S]
        self._starts.append(time.monotonic())
        self._in_flight = None
        if self._frames:
            self._send_frames()
        if self._level is not None:
            self._send(("level", self._level.size), (self._level.descriptor,))
            self._send_probes()
            self._send_baked()
        if self._latest is not None:
            # A quick picture first: the artist should not look at nothing.
            self._waiting = replace(self._latest, detail="sketch", settle=False)
            self._push()
            self._waiting = self._latest

    def keep_spare(self) -> None:
        """Have a second process wait, ready to draw, for the moment in which the first one dies."""
        if self._living_spare() is None and self._running is not None:
            self._spare = launch(spare=True)

    def _living_spare(self) -> RendererProcess | None:
        if self._spare is not None and not self._spare.alive:
            self._spare.end()
            self._spare = None
        return self._spare

    @property
    def running(self) -> bool:
        return self._running is not None

    @property
    def _channel(self) -> Channel | None:
        return None if self._running is None else self._running.channel

    @property
    def pid(self) -> int:
        """Of its process; 0 while it is given up."""
        return 0 if self._running is None else self._running.process.pid

    @property
    def spare_pid(self) -> int:
        """Of the process that waits for its death; 0 while there is none."""
        return 0 if self._spare is None else self._spare.process.pid

    def fileno(self) -> int:
        """Descriptor that becomes readable when something came."""
        assert self._channel is not None
        return self._channel.fileno()

    def _send(self, message: tuple[Any, ...], descriptors: tuple[int, ...] = ()) -> None:
        if self._channel is None:
            return
        with suppress(Closed):  # its end is noticed by receive(), in one place
            self._channel.send(message, descriptors)

    def set_level(self, block: Block) -> None:
        """Show another level, stored by memory.store_value."""
        if self._level is not None:
            self._level.close()
        self._level = block
        self._fresh = True
        self._forget_probes()
        self._forget_baked()
        self._send(("level", block.size), (block.descriptor,))

    def _forget_probes(self) -> None:
        if self._probes is not None:
            self._probes.close()
        self._probes, self._units = None, {}

    def set_probes(self, probes: ProbeSet | None) -> None:
        """Where light that comes back from surfaces is known in the level that is shown."""
        self._forget_probes()
        # Through shared memory: a renderer that is busy must not make the window wait.
        self._probes = None if probes is None else store_value(probes)
        self.light_number += 1
        self._send_probes()

    def _send_probes(self) -> None:
        if self._probes is not None:
            self._send(("probes", self._probes.size), (self._probes.descriptor,))
            if self._units:
                self._send_units(self._units)

    def _forget_baked(self) -> None:
        if self._baked is not None:
            self._baked.close()
        self._baked = None

    def set_baked(self, baked: BakedSet | None) -> None:
        """Light that was baked of the level that is shown."""
        self._forget_baked()
        self._baked = None if baked is None else store_value(baked)
        self.light_number += 1
        self._send_baked()

    def _send_baked(self) -> None:
        if self._baked is None:
            self._send(("baked", 0))
        else:
            self._send(("baked", self._baked.size), (self._baked.descriptor,))

    def take_bounce(self, units: UnitResponses) -> None:
        """That light, of some sources of strength 1, in the place of what they had."""
        self._units = {**self._units, **units}
        self.light_number += 1
        self._send_units(units)

    def _send_units(self, units: UnitResponses) -> None:
        block = store_value(units)
        self._send(("bounce", block.size), (block.descriptor,))
        block.close()

    def _send_frames(self) -> None:
        descriptors = tuple(block.descriptor for block in self._frames)
        self._send(("frames", self._frames[0].size), descriptors)

    def _fit(self, size: tuple[int, int]) -> None:
        needed = size[0] * size[1] * 4
        if self._frames and needed <= self._frames[0].size:
            return
        for block in self._frames:
            block.close()
        # Room to grow, so that pulling at the window's edge does not make new memory each time.
        self._frames = [Block.create(int(needed * 1.25)) for _ in range(FRAME_BUFFERS)]
        self._send_frames()

    def request(self, wanted: PictureRequest) -> int:
        """Ask for a picture; newest wins. Returns its number."""
        self._number += 1
        self._latest = replace(wanted, number=self._number)
        self._waiting = self._latest
        self._fit(wanted.size)
        if self._fresh and self._in_flight is None:
            # Of a level that was just opened a quick picture comes first: all else is compiled after it.
            self._fresh = False
            self._waiting = replace(self._latest, detail="sketch", settle=False, active=frozenset())
            self._push()
            self._waiting = self._latest
        self._push()
        return self._number

    def request_thumbs(self, wanted: dict[str, PictureRequest]) -> None:
        """Ask for small pictures instead of those before: ("thumb", number, name, size, bytes) come at rest.

        One message: a scene that they share is sent once.
        """
        self._thumbs_number += 1
        number = self._thumbs_number
        self._send(("thumbs", {name: replace(item, number=number) for name, item in wanted.items()}))

    def _push(self) -> None:
        """Send the newest request unless the renderer has not answered the one before."""
        if self._waiting is not None and self._in_flight is None:
            self._in_flight = self._waiting.number
            request, self._waiting = self._waiting, None
            self._send(("picture", request))

    def receive(self) -> list[Any]:
        """Everything that came: ("ready", info), ("frame", Frame), ("restarted",), ...

        A renderer that died is started again; the project has nothing to do with it.
        """
        out: list[Any] = []
        try:
            while self._channel is not None and self._channel.readable():
                message, _ = self._channel.receive()
                if message[0] == "thumb" and message[1] != self._thumbs_number:
                    continue  # of a scene or a camera before
                out.append(message)
                self._note(message)
        except Closed:
            out.append(self._died())
        return out

    def _note(self, message: tuple[Any, ...]) -> None:
        match message:
            case ("frame", Frame() as frame):
                if frame.number == self._in_flight:
                    self._in_flight = None
                self._push()
            case ("dropped", number):
                if number == self._in_flight:
                    self._in_flight = None
                self._push()

    def _died(self) -> tuple[str, ...]:
        self._close()
        if len(self._starts) > MAX_RESTARTS:
            return ("gave up",)
        log.warning("the renderer stopped; it is started again")
        self.restarts += 1
        self.start()
        return ("restarted",)

    def forgive(self) -> None:
        """Deaths so far do not count: they were wanted."""
        self._starts = []

    @property
    def busy(self) -> bool:
        """Whether a picture that was asked for has not come yet."""
        return self._in_flight is not None or self._waiting is not None

    @property
    def has_room(self) -> bool:
        """Whether one more request would not take the place of one that waits."""
        return self._waiting is None

    @property
    def latest_number(self) -> int:
        """Number of the newest request."""
        return self._number

    def is_current(self, frame: Frame) -> bool:
        """Whether no newer picture has been asked for since."""
        return self._latest is not None and frame.number == self._latest.number

    def pixels(self, frame: Frame) -> NDArray[np.uint8]:
        """(H, W, 4) bytes of a frame, in place: valid until it is released."""
        width, height = frame.size
        view = self._frames[frame.buffer].view()[: width * height * 4]
        return np.frombuffer(view, np.uint8).reshape(height, width, 4)

    def release(self, frame: Frame) -> None:
        """Give a frame's memory back to the renderer."""
        self._send(("release", frame.buffer))

    def _close(self) -> None:
        if self._running is not None:
            self._running.end()
            self._running = None

    def stop(self) -> None:
        """End the processes and free the memory."""
        self._close()
        if self._spare is not None:
            self._spare.end()
            self._spare = None
        for block in (*self._frames, self._level, self._probes, self._baked):
            if block is not None:
                block.close()
        self._frames, self._level, self._probes, self._baked = [], None, None, None
