"""Sizes of textures that follow a picture, a level or a setting.

A software driver makes a program anew for textures one of whose sides is a power of two, at the first
drawing, which takes up to half a second. So what has now one size and now another never has such a side.
"""

__all__ = ["non_power_of_two"]


def non_power_of_two(size: int) -> int:
    """The size, or the next that is no power of two."""
    while size & (size - 1) == 0:
        size += 1
    return size
