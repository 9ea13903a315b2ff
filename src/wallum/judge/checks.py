"""Checks of a lit level: what is wrong, where, how bad, and a remedy that can be applied."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Final

import numpy as np
from numpy.typing import NDArray

from wallum.document.lanes import format_clock
from wallum.document.paths import slug_of
from wallum.document.project import Project, Shot
from wallum.document.sources import Lamp, ZoneSource
from wallum.frame.pass_work import Boxes, PassWork
from wallum.judge.air_checks import (
    hidden_heroes,
    light_behind_walls,
    own_light_outshines,
    reach_cuts,
    under_its_base,
)
from wallum.judge.baked_checks import baked_light
from wallum.judge.banding import BandingPicture, banding
from wallum.judge.bounce_checks import leaks, places_without, within_bodies
from wallum.judge.cost import FrameCost, Trait, frame_cost
from wallum.judge.device import DeviceProfile
from wallum.judge.findings import NOON, Finding, Remedy
from wallum.judge.look_checks import (
    ExposedShot,
    beyond_table,
    clipped,
    crushed_blacks,
    is_plain,
    louder,
    table_unread,
)
from wallum.judge.sheet_checks import left_behind, seen_edge_on
from wallum.judge.sky_checks import ambient_follows, dark_night, exposure_jump, suns_apart
from wallum.judge.work import Work, count_work, with_baked
from wallum.level.model.model import Level
from wallum.moment.at_moment import at_moment
from wallum.moment.base_light import open_ground_lux
from wallum.moment.camera import Camera, far_for
from wallum.moment.evaluate import evaluate
from wallum.moment.metered import CELLS, metered_picture
from wallum.moment.moment import Moment
from wallum.moment.resolved_look import ResolvedLook
from wallum.moment.scene import LitScene
from wallum.physics.colour import luminance
from wallum.physics.exposure import MID_GREY, exposure_scale
from wallum.transport.direct.contributions import Layers, fill_layers
from wallum.transport.field.baked_light import BakedLight
from wallum.transport.field.bounce import BounceField
from wallum.transport.scene.heroes import hero_cells
from wallum.transport.scene.inside import inside_solids
from wallum.transport.scene.rays import RayScene
from wallum.transport.scene.surfaces import SeenSurfaces, seen_surfaces

__all__ = ["CheckSubject", "check"]

SIZE: Final = (96, 54)
MOMENTS: Final = tuple(map(Moment, (9.0, 12.0, 17.5, 21.5)))
# A hero is burnt or buried where most of it lies this far from mid grey [stops].
BURNT, BURIED, MAXIMUM = 3.2, -4.5, 0.6
DAYLIGHT_LX: Final = 3000.0
# A lamp's glass lies within so many of its radii.
OWN_GLASS: Final = 2.0
# Share of a picture's pixels that a hero must fill to be judged.
SEEN_AT_ALL: Final = 0.002


@dataclass(frozen=True)
class ShotSurfaces:
    """What a shot shows, whatever the hour.

    heroes : (36, 64) how much of each cell is a hero
    """

    shot: Shot
    camera: Camera
    surfaces: SeenSurfaces
    heroes: NDArray[np.float32]


@dataclass(frozen=True)
class CheckSubject:
    """What is checked: a project on its level, with rays, chunks and the target's profile.

    keep_going : checking ends early, with what it has, once this is False
    pictures   : developed pictures to look for bands in; none where nobody can draw any
    baked      : light that was baked of the level, and whether it was as it is
    bounce     : the level's probes, with what is known of their light; None where there are none
    """

    project: Project
    level: Level
    rays: RayScene
    boxes: Boxes
    profile: DeviceProfile
    keep_going: Callable[[], bool] = lambda: True
    pictures: Callable[[], list[BandingPicture]] = list
    bounce: Callable[[], BounceField | None] = lambda: None
    baked: Callable[[], tuple[BakedLight | None, bool]] = lambda: (None, False)

    @cached_property
    def scenes(self) -> dict[Moment, LitScene]:
        """The project's light at each hour that is looked at."""
        return {moment: evaluate(self.project, moment) for moment in MOMENTS}

    @cached_property
    def shots(self) -> list[ShotSurfaces]:
        """What each shot shows."""
        return [self._seen(shot) for shot in self.project.shots]

    @cached_property
    def lit_probes(self) -> dict[Moment, BounceField]:
        """Light from surfaces at each hour that is looked at; none where there are no probes."""
        bounce = self.bounce()
        if bounce is None:
            return {}
        out: dict[Moment, BounceField] = {}
        for moment, scene in self.scenes.items():
            # What does not move from hour to hour is worked out once.
            bounce = out[moment] = replace(bounce, units=dict(bounce.units))
            for _ in bounce.relight(scene):
                if not self.keep_going():
                    return {}
        return out

    def _seen(self, shot: Shot) -> ShotSurfaces:
        marked = frozenset(mark.part for mark in self.project.marks if mark.hero)
        camera = Camera.of_shot(shot, self.project.target.aspect, far_for(self.level.bounds))
        surfaces = seen_surfaces(self.rays, self.level, camera, SIZE)
        return ShotSurfaces(shot, camera, surfaces, hero_cells(self.rays, self.level, marked, camera, CELLS))

    def looks(self) -> Iterator[tuple[ShotSurfaces, Moment, LitScene]]:
        """Every shot at every hour that is looked at, as its camera has it by the zones that it stands in."""
        zones = any(isinstance(source, ZoneSource) for source in self.project.sources)
        for seen in self.shots:
            for moment, scene in self.scenes.items():
                if not self.keep_going():
                    return
                yield seen, moment, evaluate(self.project, moment, seen.camera.eye) if zones else scene


def _named(project: Project, source_id: str) -> str:
    return f"sources/{slug_of(project, 'sources', source_id)}"


def _lamps(project: Project) -> list[Lamp]:
    return [source for source in project.resolved_sources if isinstance(source, Lamp) and source.on]


def inside_solid(subject: CheckSubject) -> Iterator[Finding]:
    """Sources inside closed meshes, at some hour."""
    messages: set[str] = set()
    for moment in MOMENTS if subject.project.lanes else MOMENTS[:1]:
        lamps = [lamp for lamp in _lamps(at_moment(subject.project, moment)) if lamp.id not in messages]
        places = np.array([lamp.position for lamp in lamps]).reshape(-1, 3)
        own = np.array([OWN_GLASS * lamp.radius for lamp in lamps])
        for lamp, inside in zip(lamps, inside_solids(subject.rays, places, own), strict=True):
            if inside:
                messages.add(lamp.id)
                yield _in_solid(subject, lamp, moment)


def _in_solid(subject: CheckSubject, lamp: Lamp, moment: Moment) -> Finding:
    free = _free_place(subject, np.array(lamp.position))
    remedy = None
    if free is not None:
        remedy = Remedy("move it to the nearest free place", {f"sources/@{lamp.id}/position": free}, moment)
    text = f"{lamp.name} stands inside a solid: nothing of its light comes out"
    return Finding("source in a solid", _named(subject.project, lamp.id), "error", text, remedy)


def _free_place(subject: CheckSubject, place: NDArray[np.float64]) -> tuple[float, float, float] | None:
    """A place nearby that lies in no solid: up first, then around."""
    for reach in (0.15, 0.3, 0.6, 1.2, 2.4):
        directions = np.array([(0, 1, 0), (1, 0, 0), (-1, 0, 0), (0, 0, 1), (0, 0, -1), (0, -1, 0)], float)
        tried = place + directions * reach
        free = np.flatnonzero(~inside_solids(subject.rays, tried))
        if len(free):
            x, y, z = (round(float(v), 3) for v in tried[free[0]])
            return x, y, z
    return None


def burning_by_day(subject: CheckSubject) -> Iterator[Finding]:
    """Lamps under the open sky that burn at noon."""
    project = subject.project
    scene = subject.scenes[NOON]
    if open_ground_lux(at_moment(project, NOON), NOON) < DAYLIGHT_LX:
        return
    up = np.array([[0.0, 1.0, 0.0]])
    for lamp in _lamps(project):
        if lamp.id not in scene.lamps.ids or lamp.role == "key" or lamp.switched != "by hand":
            continue
        start = np.array([lamp.position]) + up * 0.5
        if subject.rays.blocked(start, up, np.array([np.inf]))[0]:
            continue  # under a roof it may be wanted
        remedy = Remedy("switch it by light", {f"sources/@{lamp.id}/switched": "by light"})
        text = f"{lamp.name} burns at noon under the open sky"
        yield Finding("lamp in daylight", _named(project, lamp.id), "warning", text, remedy)


def dead_glow(subject: CheckSubject) -> Iterator[Finding]:
    """Glowing parts near which no lamp stands, where nothing else carries their light: they light nothing."""
    project, level = subject.project, subject.level
    if not project.level_light.glow or project.look.indirect in ("probes", "lightmaps"):
        return
    remedy = Remedy("show light from surfaces by probes", {"look/indirect": "probes"})
    lamps = np.array([lamp.position for lamp in _lamps(project)]).reshape(-1, 3)
    followed = project.follows
    for part in level.parts:
        glowing = [
            p for p in level.meshes[part.mesh].primitives if max(level.materials[p.material].glow) > 0.0
        ]
        if not glowing or part.id in followed:
            continue
        points = np.concatenate([p.positions for p in glowing]) @ part.matrix[:3, :3].T + part.matrix[:3, 3]
        low, high = points.min(axis=0), points.max(axis=0)
        reach = 0.5 + 0.5 * float(np.linalg.norm(high - low))
        if len(lamps) and np.linalg.norm(lamps - 0.5 * (low + high), axis=1).min() < reach:
            continue
        method = project.look.indirect
        text = (
            f"{part.name} glows and lights nothing: no lamp stands for it, and it is not carried ({method})"
        )
        yield Finding("glow without light", part.id, "warning", text, remedy)


def _sky_light(seen: ShotSurfaces, scene: LitScene) -> NDArray[np.float64]:
    """(W * H, 3) luminance of the sky behind everything, in each pixel."""
    columns, rows = SIZE
    if scene.sky is None:
        return np.zeros((columns * rows, 3))
    x, y = np.meshgrid((np.arange(columns) + 0.5) / columns, (np.arange(rows) + 0.5) / rows)
    return scene.sky.seen(seen.camera.rays(x.ravel(), y.ravel()), seen.camera.eye)


def _exposure(scene: LitScene, seen: ShotSurfaces, light: NDArray[np.float64]) -> float:
    """EV100 that a shot is exposed at, by the light (P, 3) of its surfaces and the sky's."""
    if scene.look.metering is None:
        return scene.look.ev100
    whole = _sky_light(seen, scene)
    whole[seen.surfaces.pixel] = light
    return metered_picture(whole.reshape(SIZE[1], SIZE[0], 3), scene.look.metering, seen.heroes)


def _exposed_values(subject: CheckSubject, moment: Moment, seen: ShotSurfaces) -> NDArray[np.float64]:
    """(P, 3) picture values of each seen surface, as exposed."""
    layers, scene = Layers(seen.surfaces), subject.scenes[moment]
    for _ in fill_layers(layers, subject.rays, scene, subject.lit_probes.get(moment)):
        pass
    return np.asarray(layers.total * exposure_scale(_exposure(scene, seen, layers.total)), np.float64)


def _stops(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """(P,) over mid grey, of picture values (P, 3)."""
    return np.log2(np.maximum(luminance(values), 1e-9) / MID_GREY)


def _developed_stops(subject: CheckSubject, moment: Moment, seen: ShotSurfaces) -> NDArray[np.float64]:
    """(P,) stops over mid grey of each seen surface, as exposed."""
    return _stops(_exposed_values(subject, moment, seen))


def _shares(values: NDArray[np.float64], look: ResolvedLook) -> Iterator[tuple[str, float]]:
    """How much of a hero is burnt, how much buried, and how much has a channel at its end by the look."""
    stops = _stops(values)
    yield "burnt", float((stops > BURNT).mean())
    yield "buried", float((stops < BURIED).mean())
    if not is_plain(look):
        yield "clipped", float((clipped(values, look) & (stops <= BURNT)).mean())


def heroes(subject: CheckSubject) -> Iterator[Finding]:
    """Heroes that are burnt, buried or clipped in a shot, at some hour."""
    marked = {mark.part for mark in subject.project.marks if mark.hero}
    numbers = {index: part.id for index, part in enumerate(subject.level.parts) if part.id in marked}
    worst: dict[tuple[str, str], tuple[float, str, Moment]] = {}
    for seen, moment, scene in subject.looks() if numbers else ():
        large = {
            part: mine
            for index, part in numbers.items()
            if (mine := seen.surfaces.part == index).sum() >= SEEN_AT_ALL * SIZE[0] * SIZE[1]
        }
        values = _exposed_values(subject, moment, seen) if large else np.zeros((0, 3))
        for part, mine in large.items():
            for kind, share in _shares(values[mine], scene.look):
                if share > max(MAXIMUM, worst.get((part, kind), (0.0, "", 0.0))[0]):
                    worst[part, kind] = (share, seen.shot.name, moment)
    for (part, kind), (share, shot_name, moment) in worst.items():
        text = f"{part} is {kind} in {share:.0%} of its pixels: {shot_name} at {format_clock(moment.clock)}"
        yield Finding(f"{kind} hero", part, "warning", text, _exposed(subject.project, kind, moment))


def _exposed(project: Project, kind: str, moment: Moment) -> Remedy:
    """Another exposure, at the hour where it was seen."""
    look, brighter = at_moment(project, moment).look, 0.7 if kind == "buried" else -0.7
    if look.exposed == "metered":
        values = {"look/compensation": round(look.compensation + brighter, 2)}
    else:
        values = {"look/ev100": round(look.ev100 - brighter, 2)}
    word = "brighter" if brighter > 0.0 else "darker"
    return Remedy(f"expose {abs(brighter):g} stops {word} at {format_clock(moment.clock)}", values, moment)


def _work(subject: CheckSubject, seen: ShotSurfaces, scene: LitScene) -> Work:
    size = (subject.project.target.width, subject.project.target.height)
    baked, fits = subject.baked()
    edges = subject.project.target.edges
    asked = PassWork(subject.boxes, scene, seen.surfaces, seen.camera, size, edges=edges)
    return count_work(with_baked(asked, baked if fits else None))


def budget(subject: CheckSubject) -> Iterator[Finding]:
    """The worst shot and hour against the target: time and traits."""
    target = subject.project.target
    worst: tuple[FrameCost, str, Moment] | None = None
    broken: dict[Trait, tuple[str, str, Moment]] = {}
    for seen, moment, scene in subject.looks():
        cost = frame_cost(_work(subject, seen, scene), target, subject.profile)
        at = f"{seen.shot.name} at {format_clock(moment.clock)}"
        for trait, text in cost.broken.items():
            broken.setdefault(trait, (text, at, moment))
        if worst is None or cost.frame_ms > worst[0].frame_ms:
            worst = (cost, at, moment)
    if worst is not None and worst[0].over:
        yield _over(subject, *worst)
    for trait, (text, at, moment) in broken.items():
        yield Finding("trait broken", at, "warning", f"{text}: {at}", _fewer(subject, trait, moment))


def _over(subject: CheckSubject, cost: FrameCost, at: str, moment: Moment) -> Finding:
    """The dearest frame; what would save most is the dearest shadow of a lamp."""
    casting = [lamp for lamp in _lamps(subject.project) if lamp.shadow and lamp.id in cost.sources]
    dearest = max(casting, key=lambda item: cost.sources[item.id], default=None)
    remedy = None
    if dearest is not None:
        remedy = Remedy(
            f"let {dearest.name} cast no shadow", {f"sources/@{dearest.id}/shadow": False}, moment
        )
    note = "" if subject.profile.calibrated else " (uncalibrated)"
    name = subject.project.target.name
    text = f"{at} takes {cost.frame_ms:.2f} ms of {cost.budget_ms:.2f} ms on {name}{note}"
    return Finding("over budget", at, "error", text, remedy)


def _fewer(subject: CheckSubject, trait: Trait, moment: Moment) -> Remedy | None:
    """For too many lamps at a pixel: bring the range of the widest one in by a third."""
    every = trait == "lamps at a pixel"
    lamps = [lamp for lamp in _lamps(at_moment(subject.project, moment)) if every or lamp.shadow]
    if trait == "memory" or not lamps:
        return None
    widest = max(lamps, key=lambda lamp: lamp.range if lamp.range > 0.0 else 1e9)
    if widest.range <= 0.0:
        reach = 12.0 if widest.axis is not None else 8.0
    else:
        reach = round(widest.range * 2.0 / 3.0, 2)
    text = f"bring the range of {widest.name} in to {reach:g} m"
    return Remedy(text, {f"sources/@{widest.id}/range": reach}, moment)


def outside(subject: CheckSubject) -> Iterator[Finding]:
    """The light from outside: see judge.sky_checks."""
    project = subject.project
    looks = (
        (seen.shot.name, moment, partial(_developed_stops, subject, moment, seen))
        for seen, moment, _ in subject.looks()
    )
    yield from dark_night(project, looks)
    yield from ambient_follows(project)
    yield from suns_apart(project)
    yield from exposure_jump(project, subject.keep_going)


def from_import(subject: CheckSubject) -> Iterator[Finding]:
    """What was noticed when the level came in: it is listed again for as long as it holds."""
    for finding in subject.level.findings:
        yield Finding(finding.kind, finding.where, finding.grade, finding.text.rstrip("."))


def _hero_places(subject: CheckSubject, seen: ShotSurfaces) -> NDArray[np.float64]:
    """(N, 3) places on heroes that a shot sees."""
    y, x = np.nonzero(seen.heroes)
    rows, columns = seen.heroes.shape
    directions = seen.camera.rays((x + 0.5) / columns, (y + 0.5) / rows).astype(np.float64)
    eye = np.broadcast_to(np.array(seen.camera.eye), directions.shape)
    distance = subject.rays.first_visible(eye, directions).distance
    return np.asarray((eye + directions * distance[:, None])[np.isfinite(distance)])


def air(subject: CheckSubject) -> Iterator[Finding]:
    """What is wrong with the air."""
    if all(scene.air is None for scene in subject.scenes.values()) or not subject.keep_going():
        return
    project, scenes, rays = subject.project, subject.scenes, subject.rays
    slugs = [slug_of(project, "shots", seen.shot.id) for seen in subject.shots]
    pairs = list(zip(slugs, subject.shots, strict=True))
    yield from hidden_heroes(
        project, ((slug, s.camera, _hero_places(subject, s)) for slug, s in pairs), scenes
    )
    ends = ((slug, s.camera, float(np.max(s.surfaces.distance, initial=0.0))) for slug, s in pairs)
    yield from reach_cuts(ends, scenes)
    yield from own_light_outshines(project, scenes)
    corners = rays.triangles.positions[rays.triangles.faces].astype(np.float64)
    areas = 0.5 * np.linalg.norm(
        np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
    )
    yield from under_its_base(project, corners[:, :, 1].mean(axis=1), areas, MOMENTS)
    yield from light_behind_walls(project, rays, scenes)


def sheets(subject: CheckSubject) -> Iterator[Finding]:
    """What is wrong with cards and veils."""
    yield from left_behind(subject.project)
    pairs = ((slug_of(subject.project, "shots", seen.shot.id), seen.camera) for seen in subject.shots)
    yield from seen_edge_on(subject.project, pairs, subject.scenes)


def bands(subject: CheckSubject) -> Iterator[Finding]:
    """Contour steps in smooth areas."""
    yield from banding(subject.project, subject.level, subject.rays, subject.pictures())


def light_from_surfaces(subject: CheckSubject) -> Iterator[Finding]:
    """What is wrong with probes, and with light that they know of."""
    if not subject.keep_going() or not subject.lit_probes:
        return
    bounce = next(iter(subject.lit_probes.values()))
    slugs = [(slug_of(subject.project, "shots", seen.shot.id), seen.surfaces) for seen in subject.shots]
    yield from places_without(slugs, bounce.made)
    yield from within_bodies(bounce, slugs)
    yield from leaks((subject.lit_probes[moment], scene) for moment, scene in subject.scenes.items())


def of_baked(subject: CheckSubject) -> Iterator[Finding]:
    """What is wrong with baked light."""
    yield from baked_light(subject.project, *subject.baked())


def of_look(subject: CheckSubject) -> Iterator[Finding]:
    """What is wrong with the look."""
    yield from table_unread(subject.project)
    looks = (look for look in subject.looks() if not is_plain(look[2].look))
    exposed = [
        ExposedShot(seen.shot.name, moment, _exposed_values(subject, moment, seen), scene.look)
        for seen, moment, scene in looks
    ]
    for look_check in (crushed_blacks, louder, beyond_table):
        yield from look_check(subject.project, iter(exposed))


CHECKS: Final[tuple[Callable[[CheckSubject], Iterator[Finding]], ...]] = (
    inside_solid, burning_by_day, dead_glow, budget, heroes, outside, air, sheets, bands,
    light_from_surfaces, of_baked, of_look,
    from_import,
)  # fmt: skip
ORDER: Final = {"error": 0, "warning": 1, "note": 2}


def check(subject: CheckSubject) -> list[Finding]:
    """All findings, the gravest first."""
    result = [item for each in CHECKS for item in each(subject)]
    return sorted(result, key=lambda item: ORDER[item.grade])
