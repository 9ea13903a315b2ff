"""Checks of a lit level: what is wrong, where, how bad, and a remedy that can be applied.

A remedy is a list of values by their paths, so that it is one step of undo on the desk and one `set`
on the command line.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from wallum.document.paths import slug_of
from wallum.document.project import Project, Shot
from wallum.document.sources import Lamp, SpotSource
from wallum.judge.cost import frame_cost
from wallum.judge.device import DeviceProfile
from wallum.judge.work import Boxes, count_work
from wallum.level.model import Level
from wallum.moment.base_light import open_ground_lux
from wallum.moment.camera import Camera, far_for
from wallum.moment.evaluate import evaluate
from wallum.moment.hour import at_hour
from wallum.moment.metered import metered_picture
from wallum.moment.scene import LitScene
from wallum.physics.colour import luminance
from wallum.physics.exposure import MID_GREY, exposure_scale
from wallum.transport.contributions import Layers, fill_layers
from wallum.transport.inside import inside_solids
from wallum.transport.rays import RayScene
from wallum.transport.surfaces import SeenSurfaces, seen_surfaces

__all__ = ["Checked", "Finding", "Remedy", "check"]

Grade = Literal["note", "warning", "error"]
SIZE: Final = (96, 54)
HOURS: Final = (9.0, 12.0, 17.5, 21.5)
# A hero is burnt or buried where most of it lies this far from mid grey [stops].
BURNT, BURIED, MOST = 3.2, -4.5, 0.6
DAYLIGHT_LX: Final = 3000.0
# A lamp's glass lies within so many of its radii.
OWN_GLASS: Final = 2.0
# Share of a picture's pixels that a hero must fill to be judged.
SEEN_AT_ALL: Final = 0.002


@dataclass(frozen=True)
class Remedy:
    """What would help: in words, and as values by their paths."""

    text: str
    values: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Finding:
    """kind, where and grade; what was noticed; what would help."""

    kind: str
    where: str
    grade: Grade
    text: str
    remedy: Remedy | None = None

    def as_json(self) -> dict[str, Any]:
        remedy = None if self.remedy is None else {"text": self.remedy.text, "values": self.remedy.values}
        return {
            "kind": self.kind,
            "where": self.where,
            "grade": self.grade,
            "text": self.text,
            "remedy": remedy,
        }


@dataclass(frozen=True)
class Checked:
    """What is checked: a project on its level, with rays, chunks and the target's profile."""

    project: Project
    level: Level
    rays: RayScene
    boxes: Boxes
    profile: DeviceProfile


def _named(project: Project, source_id: str) -> str:
    return f"sources/{slug_of(project, 'sources', source_id)}"


def _lamps(subject: Checked) -> list[Lamp]:
    return [one for one in subject.project.sources if isinstance(one, Lamp) and one.on]


def inside_solid(subject: Checked) -> Iterator[Finding]:
    """Sources inside closed meshes."""
    lamps = _lamps(subject)
    places = np.array([one.position for one in lamps]).reshape(-1, 3)
    own = np.array([OWN_GLASS * one.radius for one in lamps])
    for lamp, inside in zip(lamps, inside_solids(subject.rays, places, own), strict=True):
        if not inside:
            continue
        path = f"sources/@{lamp.id}/position"
        free = _free_place(subject, np.array(lamp.position))
        remedy = None if free is None else Remedy("move it to the nearest free place", {path: free})
        text = f"{lamp.name} stands inside a solid: nothing of its light comes out"
        yield Finding("source in a solid", _named(subject.project, lamp.id), "error", text, remedy)


def _free_place(subject: Checked, place: NDArray[np.float64]) -> tuple[float, float, float] | None:
    """A place nearby that lies in no solid: up first, then around."""
    for reach in (0.15, 0.3, 0.6, 1.2, 2.4):
        ways = np.array([(0, 1, 0), (1, 0, 0), (-1, 0, 0), (0, 0, 1), (0, 0, -1), (0, -1, 0)], float)
        tried = place + ways * reach
        free = np.flatnonzero(~inside_solids(subject.rays, tried))
        if len(free):
            x, y, z = (round(float(v), 3) for v in tried[free[0]])
            return x, y, z
    return None


def burning_by_day(subject: Checked) -> Iterator[Finding]:
    """Lamps under the open sky that burn at noon."""
    project = subject.project
    scene = evaluate(project, 12.0)
    if open_ground_lux(at_hour(project, 12.0), 12.0) < DAYLIGHT_LX:
        return
    up = np.array([[0.0, 1.0, 0.0]])
    for lamp in _lamps(subject):
        if lamp.id not in scene.lamps.ids or lamp.role == "key" or lamp.switched != "by hand":
            continue
        start = np.array([lamp.position]) + up * 0.5
        if subject.rays.blocked(start, up, np.array([np.inf]))[0]:
            continue  # under a roof it may be wanted
        remedy = Remedy("switch it by light", {f"sources/@{lamp.id}/switched": "by light"})
        text = f"{lamp.name} burns at noon under the open sky"
        yield Finding("lamp in daylight", _named(project, lamp.id), "warning", text, remedy)


def dead_glow(subject: Checked) -> Iterator[Finding]:
    """Glowing parts near which no lamp stands: they shine and light nothing."""
    project, level = subject.project, subject.level
    if not project.level_light.glow:
        return
    lamps = np.array([one.position for one in _lamps(subject)]).reshape(-1, 3)
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
        text = f"{part.name} glows and lights nothing: no lamp stands for it"
        yield Finding("glow without light", part.id, "note", text)


def _look(subject: Checked, shot: Shot, hour: float) -> tuple[LitScene, SeenSurfaces, Camera]:
    aspect = subject.project.target.aspect
    camera = Camera.of_shot(shot, aspect, far_for(subject.level.bounds))
    return evaluate(subject.project, hour), seen_surfaces(subject.rays, subject.level, camera, SIZE), camera


def _developed_stops(scene: LitScene, seen: SeenSurfaces, rays: RayScene) -> NDArray[np.float64]:
    """(P,) stops over mid grey of each seen surface, as exposed."""
    layers = Layers(seen)
    for _ in fill_layers(layers, rays, scene):
        pass
    light = layers.total
    whole = np.full((SIZE[0] * SIZE[1], 3), float(luminance(light).mean()) if len(light) else 0.0)
    whole[seen.pixel] = light
    ev100 = scene.ev100
    if scene.metering is not None:
        ev100 = metered_picture(whole.reshape(SIZE[1], SIZE[0], 3), scene.metering)
    shown = np.maximum(luminance(light), 1e-9) * exposure_scale(ev100)
    return np.log2(shown / MID_GREY)


def heroes(subject: Checked) -> Iterator[Finding]:
    """Heroes that are burnt or buried in a shot, at some hour."""
    project, level = subject.project, subject.level
    marked = {one.part for one in project.marks if one.hero}
    names = {index: part for index, part in enumerate(level.parts) if part.id in marked}
    if not names:
        return
    worst: dict[tuple[str, str], tuple[float, str, str]] = {}
    for shot in project.shots:
        for hour in HOURS:
            scene, seen, _ = _look(subject, shot, hour)
            owner = _owners(subject, shot)
            stops = _developed_stops(scene, seen, subject.rays)
            for index, part in names.items():
                mine = stops[owner == index]
                if len(mine) < SEEN_AT_ALL * SIZE[0] * SIZE[1]:
                    continue
                for kind, share in (("burnt", (mine > BURNT).mean()), ("buried", (mine < BURIED).mean())):
                    key = (part.id, kind)
                    if share > max(MOST, worst.get(key, (0.0, "", ""))[0]):
                        worst[key] = (float(share), shot.name, f"{int(hour)}:{round(hour % 1 * 60):02d}")
    for (part_id, kind), (share, shot_name, clock) in worst.items():
        step = -0.7 if kind == "burnt" else 0.7
        path = "look/compensation" if project.look.exposed == "metered" else "look/ev100"
        now = project.look.compensation + step if path.endswith("compensation") else project.look.ev100 - step
        remedy = Remedy(
            f"expose {abs(step):g} stops {'darker' if step < 0 else 'brighter'}", {path: round(now, 2)}
        )
        text = f"{part_id} is {kind} in {share:.0%} of its pixels: {shot_name} at {clock}"
        yield Finding(f"{kind} hero", part_id, "warning", text, remedy)


def _owners(subject: Checked, shot: Shot) -> NDArray[np.int64]:
    """(P,) numbers of the parts seen, in the order of SeenSurfaces."""
    camera = Camera.of_shot(shot, subject.project.target.aspect, far_for(subject.level.bounds))
    x, y = np.meshgrid((np.arange(SIZE[0]) + 0.5) / SIZE[0], (np.arange(SIZE[1]) + 0.5) / SIZE[1])
    ways = camera.rays(x.ravel(), y.ravel())
    hits = subject.rays.first_visible(np.broadcast_to(np.array(camera.eye), ways.shape), ways)
    return np.asarray(subject.rays.triangles.part[hits.triangle[hits.triangle >= 0]], dtype=np.int64)


def budget(subject: Checked) -> Iterator[Finding]:
    """The worst shot and hour against the target: time and traits."""
    project = subject.project
    target = project.target
    worst_ms, worst_at, dearest = 0.0, "", ""
    broken: dict[str, tuple[str, str]] = {}
    for shot in project.shots:
        for hour in HOURS:
            scene, seen, camera = _look(subject, shot, hour)
            work = count_work(subject.boxes, scene, seen, camera, (target.width, target.height))
            cost = frame_cost(work, target, subject.profile)
            at = f"{shot.name} at {int(hour)}:{round(hour % 1 * 60):02d}"
            for text in cost.broken:
                broken.setdefault(text.split(",")[0].lstrip("0123456789 "), (text, at))
            if cost.frame_ms > worst_ms:
                worst_ms, worst_at = cost.frame_ms, at
                casting = [s for s in _lamps(subject) if s.shadow and s.id in cost.sources]
                dearest = max(casting, key=lambda s: cost.sources[s.id]).id if casting else ""
    if worst_ms > target.budget_ms:
        remedy = None
        if dearest:
            name = next(one.name for one in _lamps(subject) if one.id == dearest)
            remedy = Remedy(f"let {name} cast no shadow", {f"sources/@{dearest}/shadow": False})
        note = "" if subject.profile.calibrated else " (uncalibrated)"
        text = f"{worst_at} takes {worst_ms:.2f} ms of {target.budget_ms:.2f} ms on {target.name}{note}"
        yield Finding("over budget", worst_at, "error", text, remedy)
    for text, at in broken.values():
        yield Finding("trait broken", at, "warning", f"{text}: {at}", _fewer(subject, text))


def _fewer(subject: Checked, text: str) -> Remedy | None:
    """For too many lamps at a pixel: bring the range of the widest one in by a third."""
    lamps = [one for one in _lamps(subject) if "shadow" not in text or one.shadow]
    if "lamps" not in text or not lamps:
        return None
    widest = max(lamps, key=lambda one: one.range if one.range > 0.0 else 1e9)
    if widest.range <= 0.0:
        reach = 12.0 if isinstance(widest, SpotSource) else 8.0
    else:
        reach = round(widest.range * 2.0 / 3.0, 2)
    return Remedy(
        f"bring the range of {widest.name} in to {reach:g} m", {f"sources/@{widest.id}/range": reach}
    )


CHECKS: Final[tuple[Callable[[Checked], Iterator[Finding]], ...]] = (
    inside_solid, burning_by_day, dead_glow, budget, heroes,
)  # fmt: skip
ORDER: Final = {"error": 0, "warning": 1, "note": 2}


def check(subject: Checked) -> list[Finding]:
    """All findings, the gravest first."""
    found = [one for each in CHECKS for one in each(subject)]
    return sorted(found, key=lambda one: ORDER[one.grade])
