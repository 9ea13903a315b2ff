"""From light to the picture that is shown."""

from wallum.frame.asked import Asked, Counted
from wallum.frame.described import Described

__all__ = ["DEVELOP", "INSPECT", "METER", "READ_BACK", "SAMPLE"]


def _count(asked: Asked) -> Counted:
    lens = asked.pixels if asked.scene.look.lens.shaded else 0.0
    return Counted({"pixels": asked.pixels, "vignette pixels": lens})


INSPECT = Described("inspect")  # surfaces without any light, in the place of it
METER = Described("meter")
SAMPLE = Described("sample")  # for scopes
DEVELOP = Described("develop", ("pixels", "vignette pixels"), _count)
READ_BACK = Described("read back")
