"""Which exposure the picture is shown with: metered, held under the hand, adapting in play."""

import time

import numpy as np
from numpy.typing import NDArray

from wallum.desk.session.session import Session
from wallum.document.look import Look
from wallum.frame.quality import HIGH
from wallum.moment.camera import Camera
from wallum.moment.metered import CELLS
from wallum.physics.exposure import adapted_ev
from wallum.realtime.process.request import Frame
from wallum.transport.scene.heroes import hero_cells

__all__ = ["ExposureFollower", "heroes_for"]


class ExposureFollower:
    """Remembers what was shown last."""

    def __init__(self) -> None:
        self.shown_ev: float | None = None
        self._target: float | None = None
        self._at = 0.0
        # How far the eye is from where it goes, by what has changed: the hour, or where it looks from
        # [stops].
        self._by_hour = self._by_way = 0.0
        self._hourly = 0.0  # what the hour has changed since the picture before
        self._asked_from: Camera | None = None
        self._walked = False

    def forget(self) -> None:
        """Another level, another light."""
        self.shown_ev = self._target = None

    def held(
        self, look: Look, dragging: bool, pace: float | None, camera: Camera | None = None
    ) -> float | None:
        """Exposure to ask for; None: as metered.

        pace : of the level's time over life's while the hour runs; None: it stands. The eye comes after the
               hour in the level's time, and after a walk in life's
        camera : that the picture is asked from
        """
        # Several pictures may be asked for before one is shown.
        self._walked |= self._asked_from is not None and camera != self._asked_from
        self._asked_from = camera
        if look.exposed != "metered" or self.shown_ev is None:
            return None
        if dragging:
            return self.shown_ev
        if pace is None or self._target is None:
            self._by_hour = self._by_way = self._hourly = 0.0
            return None
        now = time.perf_counter()
        passed, self._at = min(now - self._at, 0.5), now
        up, down = look.speed_up, look.speed_down
        self._by_way = adapted_ev(self._by_way, 0.0, passed, up, down)
        self._by_hour = adapted_ev(self._by_hour, 0.0, passed * max(pace, 1.0), up, down)
        # The picture asked for is one further on: in a fast day that is much.
        ahead = self._hourly if pace > 1.0 else 0.0
        return self._target + self._by_way + self._by_hour + ahead

    def note(self, frame: Frame) -> None:
        """A frame was shown."""
        if frame.metered is not None:
            change = 0.0 if self._target is None else frame.metered - self._target
            if self._walked:
                self._by_way -= change
            self._hourly = 0.0 if self._walked else change
            self._by_hour = frame.ev100 - frame.metered - self._by_way
            self._walked = False
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

    def state_text(self, shown: Frame, more: str) -> str:
        """What the picture is: its exposure, how far it has come, how long it took.

        more : what else is still being made
        """
        if not shown.delivered:
            text = (
                "settled" if shown.settled >= HIGH.settled else f"settling {shown.settled} of {HIGH.settled}"
            )
        else:
            text = "moving" if shown.detail == "reduced" else "as delivered"
        lost = f", {len(shown.unshadowed)} lamps without their shadow" if shown.unshadowed else ""
        known = f", all of the sky seen from everywhere{more}" if shown.all_sky else more
        return f"{self.text(shown)}, {text}{known}, {shown.total_ms:.0f} ms{lost}"


def heroes_for(session: Session, look: Look, camera: Camera) -> NDArray[np.float32] | None:
    """Where in the picture the heroes are, where the exposure asks for it."""
    loaded = session.level
    parts = frozenset(mark.part for mark in session.project.marks if mark.hero)
    if look.exposed != "metered" or look.weighted != "heroes" or not parts:
        return None
    if loaded is None or not loaded.whole:
        return None
    return hero_cells(loaded.rays, loaded.level, parts, camera, CELLS)
