"""How coarse a moving picture must be to keep up with the hand on this machine."""

from dataclasses import replace
from typing import Final

import numpy as np

from wallum.frame.passes.baked import BAKED_LIGHT
from wallum.frame.passes.bounce import PROBE_LIGHT
from wallum.frame.passes.light import LIGHT_OF_OTHERS
from wallum.frame.passes.sky import CLOUDS, SKY
from wallum.frame.passes.surfaces import SEE_THROUGH, SURFACES
from wallum.frame.record import PassRecord
from wallum.realtime.gl.sizes import non_power_of_two
from wallum.realtime.gl.targets import Size
from wallum.realtime.passes.interaction.hand_light import HandRequest, hand_request
from wallum.realtime.process.request import PictureRequest

__all__ = ["HandPace", "Pace"]

# Shares of the full width and height, best first.
SHARES = (0.5, 0.42, 0.35, 0.3, 0.25)
TOO_SLOW_MS, EASY_MS = 28.0, 16.0
# Of a picture's time, what it takes however few its pixels are.
FIXED = 0.25
# So many easy pictures in a row before a finer one is tried again.
PATIENCE = 30


class Pace:
    """Picks the size of moving pictures from how long the last ones took."""

    def __init__(self) -> None:
        self._step = 0
        self._easy = 0
        self._new = False  # whether the size is another than the last picture's
        self._known = False  # whether any moving picture's time is

    def size(self, full: Size) -> Size:
        """Size to draw at for a picture of a full size."""
        share = SHARES[self._step]
        return min(non_power_of_two(round(full[0] * share)), full[0]), min(
            non_power_of_two(round(full[1] * share)), full[1]
        )

    def foresee(self, ms: float) -> None:
        """Take notice of a whole picture's time before anything has moved: the first that does is as coarse
        as that lets expect. Else it is made in one size after another, each with its surfaces drawn anew."""
        if not self._known:
            parts = [FIXED + (1.0 - FIXED) * share**2 for share in SHARES]
            self._step = next(
                (n for n, part in enumerate(parts) if ms * part <= TOO_SLOW_MS), len(SHARES) - 1
            )

    def note(self, ms: float) -> None:
        """Take notice of a moving picture's time. The first of a size does more: surfaces are drawn anew."""
        self._known = True
        new, self._new = self._new, False
        if new:
            return
        before = self._step
        self._easy = self._easy + 1 if ms < EASY_MS else 0
        if ms > TOO_SLOW_MS:
            # At once as coarse as it takes: at each other size surfaces are drawn anew.
            coarser = (
                n for n, share in enumerate(SHARES) if ms * (share / SHARES[self._step]) ** 2 <= TOO_SLOW_MS
            )
            self._step = next(coarser, len(SHARES) - 1)
        elif self._easy >= PATIENCE and self._step > 0:
            self._step, self._easy = self._step - 1, 0
        self._new = self._step != before


# Passes that the first picture under a hand does for all that come after it.
ONCE: Final = frozenset(
    item.name for item in (SURFACES, SEE_THROUGH, SKY, CLOUDS, BAKED_LIGHT, PROBE_LIGHT, LIGHT_OF_OTHERS)
)
# A hand does not feel what it holds when it waits for longer.
HAND_SLOW_MS = 60.0


class HandPace:
    """Tells whether the hand's pictures are made as small as moving ones: where a source is moved, so that
    its light is drawn for each, and a whole one took too long for that."""

    def __init__(self) -> None:
        self._before: PictureRequest | None = None
        self._asked: HandRequest | None = None
        self._small = self._slow = False

    def small(self, request: PictureRequest, asked: HandRequest | None) -> bool:
        """Whether the next picture is made small.

        asked : what it asks for of the sources that the hand holds, see hand_light.py: their strength needs
                no light drawn; None where it holds none
        """
        before = self._asked
        if self._before is not None and self._before.active != request.active:
            before = hand_request(replace(self._before, active=request.active, detail="full"))
        small = asked is not None and before is not None and self._slow and self._drawn_anew(before, asked)
        self._before, self._asked, self._small = request, asked, small
        return small

    def _drawn_anew(self, before: HandRequest, asked: HandRequest) -> bool:
        """Whether light is drawn for a picture: a source has moved, or other light has come meanwhile."""
        if before.rest != asked.rest:
            return True
        return self._small and np.array_equal(before.emission, asked.emission)

    def note(self, records: list[PassRecord]) -> None:
        """Take notice of what a whole picture under a hand did."""
        self._slow = sum(record.ms for record in records if record.name not in ONCE) > HAND_SLOW_MS
