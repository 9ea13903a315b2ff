"""Which exposure the picture is shown with: metered, held under the hand, adapting in play."""

import time

from wallum.document.project import Look
from wallum.physics.exposure import adapted_ev
from wallum.realtime.request import Frame

__all__ = ["Exposing"]


class Exposing:
    """Remembers what was shown last."""

    def __init__(self) -> None:
        self.shown_ev: float | None = None
        self._target: float | None = None
        self._at = 0.0

    def forget(self) -> None:
        """Another level, another light."""
        self.shown_ev = self._target = None

    def held(self, look: Look, dragging: bool, playing: bool) -> float | None:
        """Exposure to ask for; None: as metered."""
        if look.exposed != "metered" or self.shown_ev is None:
            return None
        if dragging:
            return self.shown_ev
        if not playing or self._target is None:
            return None
        now = time.perf_counter()
        passed, self._at = min(now - self._at, 0.5), now
        return adapted_ev(self.shown_ev, self._target, passed, look.speed_up, look.speed_down)

    def note(self, frame: Frame) -> None:
        """A frame was shown."""
        self.shown_ev, self._target = frame.ev100, frame.metered

    @staticmethod
    def text(frame: Frame) -> str:
        """What to say about a frame's exposure."""
        if frame.metered is None:
            return f"EV {frame.ev100:.1f}"
        drift = frame.metered - frame.ev100
        if abs(drift) < 0.05:
            return f"metered EV {frame.ev100:.1f}"
        return f"EV {frame.ev100:.1f} held, drift {drift:+.1f} stops"
