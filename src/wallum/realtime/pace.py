"""How coarse a moving picture must be to keep up with the hand on this machine."""

from wallum.realtime.gl.targets import Size

__all__ = ["Pace"]

# Shares of the full width and height, best first.
SHARES = (0.5, 0.42, 0.35, 0.3, 0.25)
TOO_SLOW_MS, EASY_MS = 28.0, 16.0
# So many easy pictures in a row before a finer one is tried again.
PATIENCE = 30


class Pace:
    """Picks the size of moving pictures from how long the last ones took."""

    def __init__(self) -> None:
        self._step = 0
        self._easy = 0

    def size(self, full: Size) -> Size:
        """Size to draw at for a picture of a full size."""
        share = SHARES[self._step]
        return max(round(full[0] * share), 1), max(round(full[1] * share), 1)

    def note(self, ms: float) -> None:
        """Take notice of a moving picture's time."""
        self._easy = self._easy + 1 if ms < EASY_MS else 0
        if ms > TOO_SLOW_MS:
            # At once as coarse as it takes: at each other size surfaces are drawn anew.
            coarser = (
                n for n, one in enumerate(SHARES) if ms * (one / SHARES[self._step]) ** 2 <= TOO_SLOW_MS
            )
            self._step = next(coarser, len(SHARES) - 1)
        elif self._easy >= PATIENCE and self._step > 0:
            self._step, self._easy = self._step - 1, 0
