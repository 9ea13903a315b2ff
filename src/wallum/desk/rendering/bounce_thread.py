"""Light that comes back from surfaces, kept up with the scene that is shown, behind the hand."""

import threading
import time
from functools import partial
from pathlib import Path
from typing import Final

from PyQt6.QtCore import pyqtSignal

from wallum.desk.project.loading import LoadedLevel
from wallum.desk.project.work_thread import WorkThread
from wallum.faults import fault_of
from wallum.moment.scene import LitScene
from wallum.realtime.level.probe_set import probe_set, units_of
from wallum.transport.field.bounce import BounceField, Field
from wallum.transport.field.kept_field import kept_field

__all__ = ["BounceThread"]

# While the hand moves, the making of a field waits, and looks again after so long [s].
PAUSE_S: Final = 0.1
# What is made waits for this long [s].
LATER_S: Final = 1.0
# Of the time, what light is worked out in while a hand moves: the rest is the picture's.
SHARE: Final = 0.1
LONGEST_REST_S: Final = 0.45
# Sources that are worked out together, so that something newer is never far behind.
TOGETHER: Final = 4


class BounceThread(WorkThread):
    """The field of one level, and its light: the newest scene wins, and what was known stays until it is."""

    probes_found = pyqtSignal(object, object)  # the level, a ProbeSet or None
    lit = pyqtSignal(object)  # Units of what is another now
    progressed = pyqtSignal(float)
    settled = pyqtSignal(bool)  # whether all light is as the scene has it

    doing = "working out light from surfaces"
    behind = True

    def __init__(self, loaded: LoadedLevel, file: Path | None) -> None:
        super().__init__()
        self._loaded, self._file = loaded, file
        self._asked = threading.Event()
        self._lock = threading.Lock()
        self._scene: LitScene | None = None
        self._paused, self._told = False, 0.0
        self._not_before = 0.0
        self.bounce: BounceField | None = None  # once it is there; its light is brought up meanwhile

    def give_up(self) -> None:
        """Its answer is not wanted any more."""
        super().give_up()
        self._asked.set()

    def pause(self, paused: bool) -> None:
        """Whether a hand moves: rays wait for it, light follows it slowly."""
        self._paused = paused

    def follow(self, scene: LitScene) -> None:
        """Work out the light of a scene; never waits."""
        with self._lock:
            self._scene = scene
        self._asked.set()

    def _go_on(self, done: float) -> bool:
        while time.monotonic() < self._not_before and not self.given_up:
            time.sleep(PAUSE_S)
        while self._paused and not self.given_up:
            time.sleep(PAUSE_S)
        if done - self._told >= 0.05:
            self._told = done
            self.progressed.emit(done)
        return not self.given_up

    def work(self) -> None:
        loaded = self._loaded
        # What is kept comes at once; what must be made waits until the first pictures have settled.
        self._not_before = time.monotonic() + LATER_S
        made = self._find(loaded)
        if self.given_up:
            return
        self.probes_found.emit(loaded, None if made is None else probe_set(made))
        if made is None:
            return
        bounce = self.bounce = BounceField.of(loaded.lasting, loaded.level, made, loaded.follows)
        while not self.given_up:
            self._asked.wait()
            self._asked.clear()
            with self._lock:
                scene = self._scene
            if scene is not None and not self.given_up:
                self._relight(bounce, scene)

    def _find(self, loaded: LoadedLevel) -> Field | None:
        """The field of a level, as it is kept, or made; one of few rays is shown on the way."""
        given = loaded.lasting, loaded.level, loaded.bounds, self._file
        try:
            return kept_field(*given, self._go_on, partial(self._show_early, loaded))
        except Exception as error:
            # The picture goes on without: it must not wait for probes that do not come.
            self.failed.emit(str(fault_of(error, self.doing)))
            return None

    def _show_early(self, loaded: LoadedLevel, made: Field) -> None:
        """A picture whose inside is dark, long before all rays are cast."""
        with self._lock:
            scene = self._scene
        if scene is None or self.given_up:
            return
        bounce = BounceField.of(loaded.lasting, loaded.level, made, loaded.follows)
        self.probes_found.emit(loaded, probe_set(made))
        for ids in bounce.relight(scene, TOGETHER):
            if not self._go_on(self._told):
                return
            self.lit.emit(units_of({one: bounce.units[one] for one in ids}))

    def _relight(self, bounce: BounceField, scene: LitScene) -> None:
        if not bounce.stale(scene):
            self.settled.emit(True)
            return
        self.settled.emit(False)
        start = time.perf_counter()
        for ids in bounce.relight(scene, TOGETHER):
            if self.given_up:
                return
            self.lit.emit(units_of({one: bounce.units[one] for one in ids}))
            if self._paused:
                took = time.perf_counter() - start
                time.sleep(min(took * (1.0 / SHARE - 1.0), LONGEST_REST_S))
                start = time.perf_counter()
            if self._asked.is_set():
                return  # there is something newer
        self.settled.emit(True)
