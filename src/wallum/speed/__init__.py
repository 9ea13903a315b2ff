"""`./wallum speed`: how quick each part is, beside what was asked of it."""

from wallum.speed.run import measure_all

__all__ = ["measure_all"]
