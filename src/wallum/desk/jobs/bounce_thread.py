"""Light that comes back from surfaces, kept up with the scene that is shown, behind the hand."""

import threading
import time
from functools import partial
from pathlib import Path
from typing import Final

from PyQt6.QtCore import pyqtSignal

from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.jobs.work_thread import WorkThread
from wallum.faults import fault_of
from wallum.moment.probe_boxes import ProbeBox
from wallum.moment.scene import LitScene
from wallum.realtime.level.probe_set import probe_set, units_of
from wallum.transport.field.bounce import BounceField, Field
from wallum.transport.field.field_cache import kept_field

__all__ = ["BounceThread", "rest_s"]

# While the hand moves, the making of a field waits, and looks again after so long [s].
PAUSE_S: Final = 0.1
# What is made waits for this long [s].
LATER_S: Final = 1.0
# Of the time, what light is worked out in while a hand moves; the rest is the picture's, as far as light
# still follows twice a second [s].
SHARE: Final = 0.1
TWICE_S: Final = 0.48
# Sources that are worked out together, so that something newer is never far behind.
TOGETHER: Final = 4


def rest_s(took: float) -> float:
    """How long light rests under a moving hand after it was worked out in so long [s]."""
    return min(took * (1.0 / SHARE - 1.0), max(TWICE_S - took, 0.0))


class BounceThread(WorkThread):
    """The field of one level, and its light: the newest scene wins, and what was known stays until it is."""

    probes_found = pyqtSignal(object, object)  # a ProbeSet or None, Units of it
    lit = pyqtSignal(object)  # Units of what is another now
    progressed = pyqtSignal(float)
    settled = pyqtSignal(bool)  # whether all light is as the scene has it

    doing = "working out light from surfaces"
    behind = True

    def __init__(self, loaded: LoadedLevel, file: Path | None, boxes: tuple[ProbeBox, ...]) -> None:
        super().__init__()
        self._loaded, self._file, self._boxes = loaded, file, boxes
        self._asked = threading.Event()
        self._lock = threading.Lock()
        self._scene: LitScene | None = None
        self._paused, self._waits, self._told = False, False, 0.0
        self._made_by: tuple[ProbeBox, ...] | None = None  # what probes were made by, or are being made by
        self._not_before = 0.0
        self.bounce: BounceField | None = None  # once it is there; its light is brought up meanwhile

    def give_up(self) -> None:
        """Its answer is not wanted any more."""
        super().give_up()
        self._asked.set()

    def pause(self, paused: bool, waits: bool = False) -> None:
        """Whether a hand moves: rays wait for it, light follows it slowly and hurried, and is whole after.

        waits : light waits too, as what the hand holds needs no rays
        """
        rests = self._paused and not paused
        self._paused, self._waits = paused, waits
        if rests:
            self._asked.set()

    def follow(self, scene: LitScene) -> None:
        """Work out the light of a scene; never waits."""
        with self._lock:
            self._scene = scene
        self._asked.set()

    def place(self, boxes: tuple[ProbeBox, ...]) -> None:
        """Make other probes, and keep light of those that are up until then; never waits."""
        with self._lock:
            self._boxes = boxes
        self._asked.set()

    def _go_on(self, done: float) -> bool:
        while time.monotonic() < self._not_before and not self.given_up:
            time.sleep(PAUSE_S)
        while self._paused and not self.given_up:
            time.sleep(PAUSE_S)
            self._keep_up()
        if done - self._told >= 0.05:
            self._told = done
            self.progressed.emit(done)
        self._keep_up()
        return self._made_by is not None and self._wants(self._made_by)

    def _keep_up(self) -> None:
        """While others are made, light of the probes that are there follows."""
        if self.bounce is not None and self._asked.is_set():
            self._follow_once(self.bounce)

    def _wants(self, boxes: tuple[ProbeBox, ...]) -> bool:
        return not self.given_up and boxes == self._boxes

    def work(self) -> None:
        # What is kept comes at once; what must be made waits until the first pictures have settled.
        self._not_before = time.monotonic() + LATER_S
        while not self.given_up:
            if self._made_by != self._boxes:
                self._make()
            elif self.bounce is None:
                return
            else:
                self._asked.wait()
                self._follow_once(self.bounce)

    def _wait_for_hand(self) -> None:
        while self._waits and not self.given_up:
            time.sleep(PAUSE_S)

    def _follow_once(self, bounce: BounceField) -> None:
        self._wait_for_hand()
        self._asked.clear()
        with self._lock:
            scene = self._scene
        if scene is not None and not self.given_up:
            self._relight(bounce, scene)

    def _make(self) -> None:
        """Find or make the probes; those before stay, with their light, until that of these is whole."""
        loaded, first = self._loaded, self.bounce is None
        with self._lock:
            boxes = self._made_by = self._boxes
        built = self._find(loaded, boxes)
        if built is None or not self._wants(boxes):
            if first and self._wants(boxes):
                self.probes_found.emit(None, {})
            return
        bounce = BounceField.of(loaded.lasting, loaded.level, built, loaded.follows)
        with self._lock:
            scene = self._scene
        if not first and scene is not None:
            for _ in bounce.relight(scene, TOGETHER):
                if self.given_up:
                    return
        self.bounce = bounce
        self.probes_found.emit(probe_set(built), units_of(dict(bounce.units)))
        self._asked.set()

    def _find(self, loaded: LoadedLevel, boxes: tuple[ProbeBox, ...]) -> Field | None:
        """The field of a level, as it is kept, or made; one of few rays is shown on the way."""
        inputs = loaded.lasting, loaded.level, loaded.bounds, self._file, boxes
        try:
            return kept_field(*inputs, self._go_on, partial(self._show_early, loaded))
        except Exception as error:
            # The picture goes on without: it must not wait for probes that do not come.
            self.failed.emit(str(fault_of(error, self.doing)))
            return None

    def _show_early(self, loaded: LoadedLevel, made: Field) -> None:
        """A picture whose inside is dark, long before all rays are cast."""
        with self._lock:
            scene = self._scene
        if scene is None or self.given_up or self.bounce is not None:
            return
        bounce = BounceField.of(loaded.lasting, loaded.level, made, loaded.follows)
        self.probes_found.emit(probe_set(made), {})
        for ids in bounce.relight(scene, TOGETHER):
            if not self._go_on(self._told):
                return
            self.lit.emit(units_of({item: bounce.units[item] for item in ids}))

    def _relight(self, bounce: BounceField, scene: LitScene) -> None:
        whole = self._made_by == self._boxes and bounce is self.bounce
        draft_quality = self._paused
        if bounce.stale(scene, draft_quality):
            self.settled.emit(False)
        start = time.perf_counter()
        for ids in bounce.relight(scene, TOGETHER, draft_quality):
            if self.given_up:
                return
            self._wait_for_hand()  # what comes makes the picture be drawn anew
            self.lit.emit(units_of({item: bounce.units[item] for item in ids}))
            if self._paused:
                took = time.perf_counter() - start
                time.sleep(rest_s(took))
                start = time.perf_counter()
            if self._asked.is_set():
                return  # there is something newer
        self.settled.emit(whole and not (draft_quality and bounce.stale(scene)))
