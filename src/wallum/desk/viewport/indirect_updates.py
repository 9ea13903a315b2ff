"""Light that does not come straight from its source, taken to the renderer as it is worked out: what is seen
of the sky, and what comes back from surfaces."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from wallum.desk.jobs.render_link import RenderLink
from wallum.desk.session.background import Background
from wallum.desk.viewport.frame_scheduler import FrameScheduler
from wallum.realtime.level.probe_set import ProbeSet, UnitResponses

__all__ = ["Indirect"]


class Indirect(QObject):
    """Stands between what works it out and the renderer; `text` says how far it is."""

    told = pyqtSignal(str)

    def __init__(
        self, background: Background, link: RenderLink, asking: FrameScheduler, ask: Callable[[], None]
    ) -> None:
        super().__init__(background)
        self._background, self._link, self._ask = background, link, ask
        self.text, self._owed = "", False
        background.rested.connect(self._rested)
        background.progressed.connect(self._progress)
        background.probes_ready.connect(self._take_probes)
        background.bounce_lit.connect(self._take_light)
        background.bounce_settled.connect(self._settled)
        asking.lit.connect(background.follow)

    def _progress(self, done: float) -> None:
        """How far the probes are."""
        self.text = f", probes {done:.0%}" if 0.0 < done < 1.0 else ""
        self.told.emit(f"placing the probes, {done:.0%}")

    def _take_probes(self, probes: ProbeSet | None, units: UnitResponses) -> None:
        self.text = ""
        self._link.set_probes(probes)
        if units:
            self._link.take_bounce(units)
        self._link.let_settle(True)
        self._ask()

    def _take_light(self, units: UnitResponses) -> None:
        self._link.take_bounce(units)
        # A hand that moves asks by itself, for as small a picture as it needs; once it rests, what settles
        # must have all light that came.
        if self._background.hand_is_moving:
            self._owed = True
        else:
            self._ask()

    def _rested(self) -> None:
        if self._owed:
            self._owed = False
            self._ask()

    def _settled(self, settled: bool) -> None:
        self.text = "" if settled else ", bounce following"
