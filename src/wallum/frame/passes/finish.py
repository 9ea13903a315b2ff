"""From light to the picture that is shown."""

from wallum.frame.asked import Asked, Counted
from wallum.frame.described import Described

__all__ = ["DEVELOP", "INSPECT", "METER", "READ_BACK"]


def _count(asked: Asked) -> Counted:
    return Counted({"pixels": asked.pixels})


INSPECT = Described("inspect")  # surfaces without any light, in the place of it
METER = Described("meter")
DEVELOP = Described("develop", ("pixels",), _count)
READ_BACK = Described("read back")
