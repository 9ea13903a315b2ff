"""Checks of the air: what it hides, where its light is not true, and where it lies."""

import math
from collections.abc import Iterable, Iterator
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.air import AirValues
from wallum.document.lanes import format_clock
from wallum.document.paths import slug_of
from wallum.document.project import Project
from wallum.document.sources import Lamp
from wallum.judge.findings import Finding, Remedy
from wallum.moment.at_moment import at_moment
from wallum.moment.camera import Camera
from wallum.moment.kinds import parts_of
from wallum.moment.moment import Moment
from wallum.moment.scene import LitScene
from wallum.physics.colour import luminance
from wallum.physics.dome import dome_illuminance
from wallum.transport.paths.air_between import air_kept
from wallum.transport.scene.rays import RayScene

__all__ = ["hidden_heroes", "light_behind_walls", "own_light_outshines", "reach_cuts", "under_its_base"]

LAYERS: Final = {"air": "haze", "mist": "ground mist"}
# A hero of which less contrast is left than this is lost in the fog.
LOST: Final = 0.05
# Air that takes at least this much more beyond its shafts' reach is seen to end there.
SEEN_BEYOND, LEFT_AT_REACH = 0.35, 0.3
FARTHEST_M: Final = 500.0
# Most of the level may lie in air of full thickness before it is said; how deep it counts [m].
MAX_UNDER, DEEP_M = 0.5, 1.0
# Ways that a lamp is looked along; a wall as much nearer than its range is one that light must not pass.
WAYS: Final = 256
SHARE_BEHIND, NEARER = 0.25, 0.6
# A wall is no thicker, and a room behind it no shallower [m].
WALL_M, ROOM_M = 0.6, 1.5
# Names that a finding says.
NAMED: Final = 3
LAMP_AT_M: Final = 3.0


def hidden_heroes(
    project: Project, shots: Iterable[tuple[str, Camera, NDArray[np.float64]]], scenes: dict[Moment, LitScene]
) -> Iterator[Finding]:
    """Heroes that the air hides from a shot.

    shots : of each that shows any, its slug, its camera, and places (N, 3) on heroes that it sees
    """
    for slug, camera, places in shots:
        for moment, scene in scenes.items():
            if scene.air is None or not len(places):
                continue
            offsets = places - np.array(camera.eye)
            far = np.linalg.norm(offsets, axis=1)
            selected = luminance(air_kept(scene, np.array(camera.eye), offsets / far[:, None], far))
            if np.median(selected) >= LOST:
                continue
            text = (
                f"the air leaves {float(np.median(selected)):.1%} of contrast of a hero "
                f"{float(np.median(far)):.0f} m away at {format_clock(moment.clock)}"
            )
            yield Finding("hero in fog", f"shots/{slug}", "warning", text, _thinner(project, moment))


def _thinner(project: Project, moment: Moment) -> Remedy:
    """Air through which one sees four times as far."""
    now = at_moment(project, moment)
    values = {
        f"{name}/visibility": round(min(4.0 * getattr(now, name).visibility, 500_000.0), 1)
        for name in LAYERS
        if getattr(now, name).on
    }
    values |= {
        f"sources/@{source.id}/visibility": round(min(4.0 * source.visibility, 10_000.0), 1)
        for source in now.resolved_sources
        if source.kind == "pocket" and source.on
    }
    return Remedy("let one see four times as far", values, moment)


def reach_cuts(
    shots: Iterable[tuple[str, Camera, float]], scenes: dict[Moment, LitScene]
) -> Iterator[Finding]:
    """Shafts that end while the air goes on: beyond their reach it is lit alike, without shadows.

    shots : of each its slug, its camera, and how far its farthest surface is [m]
    """
    for slug, camera, farthest in shots:
        for moment, scene in scenes.items():
            air = scene.air
            if air is None or not air.shafts or farthest <= air.reach:
                continue
            direction = np.array([camera.direction], dtype=np.float64)
            ends = (np.array([length]) for length in (air.reach, min(farthest, FARTHEST_M)))
            at_reach, at_end = (
                float(luminance(air_kept(scene, np.array(camera.eye), direction, e))[0]) for e in ends
            )
            if at_reach < LEFT_AT_REACH or at_reach - at_end < SEEN_BEYOND:
                continue
            wanted = float(min(math.ceil(farthest), FARTHEST_M))
            text = (
                f"true shafts end {air.reach:.0f} m away, where {at_reach:.0%} is still seen through the air "
                f"at {format_clock(moment.clock)}"
            )
            remedy = Remedy(f"let them reach {wanted:.0f} m", {"air/reach": wanted}, moment)
            yield Finding("shafts cut short", f"shots/{slug}", "note", text, remedy)
            break


def own_light_outshines(project: Project, scenes: dict[Moment, LitScene]) -> Iterator[Finding]:
    """Air whose own light is more than the lamps can show against."""
    for moment, scene in scenes.items():
        if scene.sky is None or scene.sky.air_light is None or not scene.lamps.ids:
            continue
        own = float(luminance(dome_illuminance(scene.sky.air_light)))
        lamps = max(float(kind.facing_lx(rows, LAMP_AT_M).max()) for kind, rows in parts_of(scene.lamps))
        if own <= lamps:
            continue
        text = (
            f"the air's own light gives open ground {own:.3g} lx at {format_clock(moment.clock)}, "
            f"more than the strongest lamp does {LAMP_AT_M:g} m away ({lamps:.3g} lx)"
        )
        now, share = at_moment(project, moment), 0.5 * lamps / own
        values = {f"{name}/own_light": round(getattr(now, name).own_light * share, 4) for name in LAYERS}
        values = {path: value for path, value in values.items() if value > 0.0}
        yield Finding(
            "lit air", "air/own_light", "warning", text, Remedy("bring it to half of that", values, moment)
        )


def under_its_base(
    project: Project, heights: NDArray[np.float64], areas: NDArray[np.float64], moments: Iterable[Moment]
) -> Iterator[Finding]:
    """A level that lies lower than the base of its fog, and so drowns in it.

    heights, areas : (T,) of the level's surfaces [m], [m2]
    """
    messages: set[str] = set()
    for moment in moments:
        now = at_moment(project, moment)
        for name, word in LAYERS.items():
            layer: AirValues = getattr(now, name)
            if not layer.on or name in messages or not len(heights):
                continue
            under = float(areas[heights < layer.base_height - DEEP_M].sum() / areas.sum())
            if under <= MAX_UNDER:
                continue
            messages.add(name)
            low = round(float(heights.min()), 2)
            text = f"{under:.0%} of the level lies below the base of its {word} ({layer.base_height:g} m)"
            remedy = Remedy("bring it down to the lowest ground", {f"{name}/base_height": low}, moment)
            yield Finding("level under its fog", f"{name}/base_height", "warning", text, remedy)


def light_behind_walls(project: Project, rays: RayScene, scenes: dict[Moment, LitScene]) -> Iterator[Finding]:
    """Lamps that light the air behind walls, as no shadow of theirs counts there."""
    result: dict[str, tuple[Lamp, Moment]] = {}
    for moment, scene in scenes.items():
        if scene.air is None:
            continue
        lamps = {
            source.id: source
            for source in at_moment(project, moment).resolved_sources
            if isinstance(source, Lamp)
        }
        for lamp_id, row in zip(scene.lamps.ids, scene.lamps.rows, strict=True):
            if lamp_id in lamps and lamp_id not in result and _shines_through(rays, row):
                result[lamp_id] = lamps[lamp_id], moment
    if not result:
        return
    names = [lamp.name for lamp, _ in result.values()]
    more = f" and {len(names) - NAMED} more" if len(names) > NAMED else ""
    text = f"{len(names)} lamps light the air behind walls: {', '.join(names[:NAMED])}{more}"
    first, moment = next(iter(result.values()))
    values: dict[str, object] = {}
    for lamp_id in result:
        values |= {f"sources/@{lamp_id}/shadow": True, f"sources/@{lamp_id}/air_shadow": True}
    where = f"sources/{slug_of(project, 'sources', first.id)}"
    remedy = Remedy("let their shadows count", values, moment)
    yield Finding("light behind a wall", where, "note", text, remedy)


def _shines_through(rays: RayScene, row: np.void) -> bool:
    """Whether a lamp without shadows comes through walls to air behind them, within its range."""
    casts = row["shadow"] > 0.5 and row["air_shadow"] > 0.5
    reach = float(row["range"])
    if casts or row["in_air"] <= 0.0 or reach <= 0.0:
        return False
    directions = _all_around()
    directions = directions[directions @ row["direction"].astype(np.float64) >= row["cos_outer"]]
    # About level ones: what lies in the ground is no one's to see.
    directions = directions[(directions[:, 1] > -0.15) & (directions[:, 1] < 0.5)]
    places = np.broadcast_to(row["position"].astype(np.float64), directions.shape)
    met = rays.first_hit(places, directions).distance
    near = np.flatnonzero(met < NEARER * reach)
    behind = places[near] + directions[near] * (met[near] + WALL_M)[:, None]
    free = rays.first_hit(behind, directions[near]).distance > ROOM_M
    return len(directions) > 0 and float(free.sum()) / len(directions) >= SHARE_BEHIND


def _all_around() -> NDArray[np.float64]:
    """(WAYS, 3) directions spread evenly."""
    up = 1.0 - 2.0 * (np.arange(WAYS) + 0.5) / WAYS
    around = 2.0 * np.pi * np.arange(WAYS) * 0.6180339887
    flat = np.sqrt(1.0 - up * up)
    return np.stack([flat * np.cos(around), up, flat * np.sin(around)], axis=1)
