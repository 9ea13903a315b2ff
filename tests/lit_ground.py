"""A block on grey ground under a sun, a spot and a point, for tests of pictures under a hand."""

from level_shapes import grey_level

from wallum.document.sources import PointSource, SpotSource, SunSource
from wallum.level.model.solids import box
from wallum.moment.camera import Camera
from wallum.realtime.level.bundling import bundle_level

SIZE = (192, 108)
CAMERA = Camera((0.0, 1.8, 9.0), (0.0, -0.05, -0.9987), 60.0, 16 / 9, far=200.0)
SUN = SunSource(id="sun", name="Sun", azimuth=150.0, elevation=40.0, stands="where set", light="own",
                illuminance=200.0)  # fmt: skip
SPOT = SpotSource(id="spot", name="Spot", position=(1.0, 4.0, 1.0), intensity=3000.0, shadow=True)
POINT = PointSource(id="point", name="Point", position=(-1.5, 1.5, 1.0), intensity=400.0, shadow=True)


def bundle():
    return bundle_level(grey_level(box((-20, -0.2, -40), (20, 0, 12), 0), box((-2, 0, -3), (2, 2, -2), 0)))
