"""Light that has come back from surfaces, looked up for each pixel."""

from wallum.frame.described import Described

__all__ = ["PROBE_LIGHT", "PROBE_LIGHT_OF_HAND"]

# Its pixels are counted with what is seen of the sky, in whose place it comes.
PROBE_LIGHT = Described("probe light")
# A delivered frame has no source under a hand.
PROBE_LIGHT_OF_HAND = Described("probe light of the hand")
