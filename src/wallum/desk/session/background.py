"""What is worked out beside the window for the level that is shown: light that comes back from its surfaces,
and its packing anew when the project wants it otherwise."""

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from wallum.desk.jobs.bounce_thread import BounceThread
from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.jobs.work_thread import ThreadGroup
from wallum.desk.session.part_tools import Rebundler
from wallum.desk.session.session import Session
from wallum.level.model.level_overrides import LevelOverrides, dress_of
from wallum.moment.probe_boxes import ProbeBox, probe_boxes
from wallum.moment.scene import LitScene
from wallum.realtime.level.probe_set import ProbeSet, UnitResponses
from wallum.transport.field.bounce import BounceField

__all__ = ["Background"]

# The hand rests after this long without a word from it.
REST_MS = 250
# Probes wait until the first picture is asked for.
LATER_MS = 300


class Background(QObject):
    """Follows the session; everything it gives fits the level that is on the desk."""

    repacked = pyqtSignal(object)  # a LoadedLevel
    progressed = pyqtSignal(float)
    probes_ready = pyqtSignal(object, object)  # a ProbeSet, or None, and Units of it
    bounce_lit = pyqtSignal(object)  # Units
    bounce_settled = pyqtSignal(bool)
    moves = pyqtSignal()  # the hand
    rested = pyqtSignal()  # the hand, a moment ago

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._crew = ThreadGroup(self)
        self._bounce: BounceThread | None = None
        self._scene: LitScene | None = None
        self._bounce_of: LoadedLevel | None = None  # whose probes are to be found
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(LATER_MS)
        self._later.timeout.connect(self._start_bounce)
        self._light_waits = False  # for a hand that needs no rays
        self._kept: UnitResponses = {}  # light that has come meanwhile
        self._bouncing = False  # whether light from surfaces is not yet as the scene has it
        self._boxes: tuple[ProbeBox, ...] = ()
        self._asked: tuple[dict[str, str], LevelOverrides] = ({}, LevelOverrides())
        self._packing = self._makes_way = False
        self._ended = False  # what threads have said before they ended may still come after
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._rested)
        session.changed.connect(self._look_at_level)

    @property
    def at_rest(self) -> bool:
        """Whether nothing is being worked out."""
        return not self._packing and not self._bouncing and not self._kept

    @property
    def bounce(self) -> BounceField | None:
        """Light from surfaces of the level that is shown, as far as it is known."""
        return None if self._bounce is None else self._bounce.bounce

    @property
    def hand_is_moving(self) -> bool:
        """Whether the picture was asked for again and again until a moment ago."""
        return self._rest.isActive()

    def level_drawn(self) -> None:
        """Another level is on the desk: what is known of the one before is of no use."""
        self._let_go()

    def level_loaded(self, loaded: LoadedLevel) -> None:
        """Find or make the probes of a level."""
        if self._ended:
            return
        self._let_go()
        self._asked = (loaded.follows, loaded.dress)
        self._bouncing, self._bounce_of = True, loaded
        self._later.start()
        self._look_at_level()

    def _start_bounce(self) -> None:
        """Find or make the probes of a level, once its picture is there, and keep their light up."""
        loaded, self._bounce_of = self._bounce_of, None
        if loaded is None or self._ended:
            return
        self._boxes = probe_boxes(self._session.history.present)
        thread = self._bounce = BounceThread(loaded, self._session.keeping.file, self._boxes)
        thread.probes_found.connect(self._take_probes)
        thread.lit.connect(self._take_bounce)
        thread.progressed.connect(self.progressed)
        thread.settled.connect(self._bounce_settled)
        thread.failed.connect(self._session.failed)
        thread.pause(self._makes_way)
        if self._scene is not None:
            thread.follow(self._scene)
        self._crew.start(thread)

    def follow(self, scene: LitScene) -> None:
        """Keep light from surfaces up with what is shown."""
        self._scene = scene
        if self._bounce is not None:
            self._bouncing = True  # it says when it has looked
            self._bounce.follow(scene)

    def _take_probes(self, probes: ProbeSet | None, units: UnitResponses) -> None:
        if self.sender() is self._bounce and not self._ended:
            self._bouncing, self._kept = probes is not None, {}
            self.probes_ready.emit(probes, units)

    def _take_bounce(self, units: UnitResponses) -> None:
        if self.sender() is not self._bounce or self._ended:
            return
        self._kept |= units
        # What was under way when a hand took hold would have all light drawn anew that is kept for it.
        if not (self._light_waits and self.hand_is_moving):
            self._give_bounce()

    def _give_bounce(self) -> None:
        units, self._kept = self._kept, {}
        if units:
            self.bounce_lit.emit(units)

    def _bounce_settled(self, settled: bool) -> None:
        if self.sender() is self._bounce and not self._ended:
            self._bouncing = not settled
            self.bounce_settled.emit(settled)

    def _let_go(self) -> None:
        if self._bounce is not None:
            self._bounce.give_up()
        self._later.stop()
        self._bounce, self._bounce_of, self._bouncing, self._kept = None, None, False, {}

    def hand_moves(self, needs_rays: bool = True) -> None:
        """Rays wait while the picture is asked for again and again; light too, where the hand needs none."""
        if self._bounce is not None:
            self._bounce.pause(True, not needs_rays)
        self._light_waits = not needs_rays
        if needs_rays:
            self._give_bounce()
        self._rest.start()
        self.moves.emit()

    def make_way(self, on: bool) -> None:
        """Whether the processor is needed for a level that is being opened."""
        self._makes_way = on
        if self._bounce is not None:
            self._bounce.pause(on)

    def _rested(self) -> None:
        self._give_bounce()
        self.rested.emit()
        if self._bounce is not None and not self._makes_way:
            self._bounce.pause(False)

    def _look_at_boxes(self) -> None:
        """See whether probes are still where the artist wants them."""
        boxes = probe_boxes(self._session.history.present)
        if self._bounce is not None and boxes != self._boxes:
            self._boxes, self._bouncing = boxes, True
            self._bounce.place(boxes)

    def _look_at_level(self) -> None:
        """See whether the level is still as the project wants it; one packing at a time."""
        self._look_at_boxes()
        loaded = self._session.level
        present = self._session.history.present
        wanted = (present.follows, dress_of(present))
        if loaded is None or not loaded.whole or self._packing or self._ended or wanted == self._asked:
            return
        self._asked, self._packing = wanted, True
        packer = Rebundler(loaded, *wanted)
        packer.ready.connect(self._take_packed)
        packer.failed.connect(self._packing_failed)
        self._crew.start(packer)

    def _packing_failed(self, text: str) -> None:
        self._packing = False
        self._session.failed.emit(text)

    def _take_packed(self, packed: LoadedLevel) -> None:
        self._packing = False
        present = self._session.level
        if self._ended or present is None or present.plain is not packed.plain:
            packed.block.close()
            self._look_at_level()
            return
        self._session.level = packed
        self.repacked.emit(packed)
        self._look_at_level()

    def dispose(self) -> None:
        """Stop what still works."""
        self._ended = True
        self._rest.stop()
        self._let_go()
        self._crew.wait()
