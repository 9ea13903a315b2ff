"""Shadow maps: each tile and each cascade is drawn again when what it shows has changed."""

import numpy as np

from wallum.frame.passes.shadows import LAMP_SHADOWS, SUN_SHADOWS
from wallum.frame.quality import Quality
from wallum.moment.view import in_view
from wallum.realtime.gl.pass_log import PassLog
from wallum.realtime.passes.frame.base import FrameContext, LightSubset, Pass, Steps, VisibleLamps
from wallum.realtime.passes.shadows.sun_shadows import SunShadows

__all__ = ["LampShadowPass", "SunShadowPass"]


class LampShadowPass(Pass):
    """Which lamps reach the picture, and the tiles of those that cast."""

    described = LAMP_SHADOWS

    def wanted(self, draft: FrameContext) -> bool:
        return not draft.inspected or draft.view.show == "shadow grain"

    def begin(self, draft: FrameContext) -> None:
        lamps = draft.scene.lamps.only(in_view(draft.scene.lamps, draft.view.camera))
        tiles, draft.dirty_lamps = draft.targets.lamp_shadows.assign(lamps, draft.view.camera.far)
        pairs = zip(lamps.ids, lamps.casting, strict=True)
        draft.seen = VisibleLamps(
            lamps, tiles, tuple(item for item, casts in pairs if casts and item not in tiles)
        )

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        tiles = draft.seen.tiles
        current = tuple((item, tiles[item].key) for item in lit.lamps.ids if item in tiles)
        return draft.targets.lamp_shadows.tile_size, current

    def is_kept(self, draft: FrameContext) -> bool:
        return not draft.dirty_lamps

    def draw(self, draft: FrameContext) -> Steps:
        for lamp_id in draft.dirty_lamps:
            with self.log.measure(self.name) as work:
                work |= draft.targets.lamp_shadows.draw(lamp_id, draft.level)
            yield


class SunShadowPass(Pass):
    """The sun's cascades: in parts while the camera moves, small and coarse ones while the sun does."""

    described = SUN_SHADOWS

    def __init__(self, log: PassLog, passing: SunShadows, quality: Quality) -> None:
        super().__init__(log)
        self._passing, self._quality = passing, quality
        self._dirty: list[int] = []

    def wanted(self, draft: FrameContext) -> bool:
        if draft.scene.sun is None or not draft.scene.sun.shadow:
            return False
        return not draft.inspected or draft.view.show == "shadow grain"

    def begin(self, draft: FrameContext) -> None:
        """Place the cascades of the picture, and find those to draw."""
        sun, camera, level, turn = draft.scene.sun, draft.view.camera, draft.level, draft.turn
        assert sun is not None
        shadows = draft.targets.sun_shadows
        if draft.moving and not shadows.shows(sun.direction):
            shadows = self._passing
        draft.sun_shadows = shadows
        shadows.dither = 0.0 if turn is None else turn.dither
        reach, texels, count = sun.maps
        maps = reach, texels, min(count, self._quality.sun_maps)
        if shadows is self._passing:
            maps = reach, texels, min(count, self._quality.passing_maps)
            self._dirty = shadows.follow(sun.direction, camera, level.bounds, maps)
            return
        toward = None if turn is None else turn.direction
        self._dirty = shadows.assign(sun.direction, camera, level.bounds, toward, maps)
        if turn is not None and shadows.complete:
            self._dirty = [index for index in self._dirty if index in turn.cascades]

    def key(self, draft: FrameContext, lit: LightSubset) -> object:
        """What the cascades show; nothing of a sun that is under the hand."""
        shadows = draft.sun_shadows
        if lit.scene.sun is None or shadows is None:
            return ()
        return shadows is self._passing, shadows.dither, shadows.shown_keys

    def is_kept(self, draft: FrameContext) -> bool:
        return not self._dirty

    def draw(self, draft: FrameContext) -> Steps:
        shadows, level = draft.sun_shadows, draft.level
        assert shadows is not None
        if draft.moving and shadows is not self._passing and shadows.complete:
            with self.log.measure(self.name) as work:
                work |= shadows.advance(self._dirty, level)
            yield
            return
        for index in self._dirty:
            with self.log.measure(self.name) as work:
                work |= shadows.draw(index, level, coarse=shadows is self._passing)
            if shadows is not self._passing:
                yield
        yield


def grain_of(draft: FrameContext) -> tuple[tuple[float, float, float], float] | None:
    """Place of the lamp that a view of shadows is about, and width of its texels at 1 m; None for the sun."""
    view, tiles = draft.view, draft.seen.tiles
    if view.show != "shadow grain" or view.show_of not in tiles:
        return None
    row = draft.scene.lamps.rows[draft.scene.lamps.ids.index(view.show_of)]
    x, y, z = np.asarray(row["position"], dtype=np.float64).tolist()
    return (x, y, z), tiles[view.show_of].texel
