"""A sun and a sky of stated strengths, for tests with closed forms."""

from wallum.document.sources import SkySource, SunSource


def set_sun(**values):
    return SunSource(**{"id": "sun", "name": "Sun", "stands": "where set", "light": "own", **values})


def plain_sky(**values):
    return SkySource(**{"id": "sky", "name": "Sky", "model": "plain", **values})


def set_base():
    return set_sun(), plain_sky()
