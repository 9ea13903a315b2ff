"""What a frame costs, for the command line."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache, partial
from pathlib import Path
from typing import Any

# Height of the pictures that bands are looked for in.
BANDS_HIGH = 540

__all__ = ["CostReport", "cost_lines", "cost_of", "findings_of"]


@dataclass(frozen=True)
class CostReport:
    """The cost of one shot on a target."""

    cost: Any
    target: str
    shot: str
    origin: str

    def as_json(self, project: Any) -> dict[str, Any]:
        """The document of `cost --json`."""
        from wallum.document.paths import slug_of

        names = {source.id: slug_of(project, "sources", source.id) for source in project.resolved_sources}
        by_cost = sorted(self.cost.sources.items(), key=lambda pair: -pair[1])
        return {
            "frame_ms": round(self.cost.frame_ms, 4),
            "budget_ms": round(self.cost.budget_ms, 4),
            "calibrated": self.cost.calibrated,
            "target": self.target,
            "shot": self.shot,
            "origin": self.origin,
            "passes": [{"name": name, "ms": round(ms, 4)} for name, ms in self.cost.passes.items()],
            "sources": [{"source": names.get(key, key), "ms": round(ms, 4)} for key, ms in by_cost],
            "broken": list(self.cost.broken.values()),
        }


def _target(project: Any, name: str | None) -> Any:
    from wallum.document.targets import STAND_INS

    if name is None:
        return project.target
    stand_in = next(
        (item for item in STAND_INS if item.name.replace(" ", "-") == name.replace(" ", "-")), None
    )
    return stand_in or project.target.revised(name=Path(name).stem, profile=name)


def cost_of(
    project: Any, file: Path | None, shot: str | None, target: str | None, tier: str = "high"
) -> CostReport:
    """Work out a shot's cost at the project's clock. Raises PathProblem, ProjectProblem."""
    from wallum.document.indirect import at_most
    from wallum.document.paths import find_slug
    from wallum.errors import PathProblem
    from wallum.frame.pass_work import Boxes, PassWork
    from wallum.frame.quality import TIERS
    from wallum.judge.cost import frame_cost
    from wallum.judge.device import load_profile
    from wallum.judge.work import count_work, with_baked
    from wallum.level.model.flatten import flatten
    from wallum.level.opening import lit_project
    from wallum.moment.camera import Camera, far_for
    from wallum.moment.evaluate import evaluate
    from wallum.realtime.level.bundling import chunk_boxes
    from wallum.transport.direct.contributions import LAYER_SIZE
    from wallum.transport.lightmaps.bake_cache import fitting_bake
    from wallum.transport.scene.rays import RayScene
    from wallum.transport.scene.surfaces import seen_surfaces

    wanted = _target(project, target)
    profile = load_profile(wanted.profile)
    if not project.shots:
        raise PathProblem("the project has no shot to work out", "shots", "keep one in the desk")
    camera_of = find_slug(project, "shots", shot) if shot is not None else project.shots[0]
    project, level = lit_project(project, file)
    flat = flatten(level)
    camera = Camera.of_shot(camera_of, wanted.aspect, far_for(level.bounds))
    rays = RayScene(level, flat)
    seen = seen_surfaces(rays, level, camera, LAYER_SIZE)
    size = (wanted.width, wanted.height)
    boxes, quality = Boxes(*chunk_boxes(level, flat)), TIERS[tier]
    scene = evaluate(at_most(project, quality.indirect))
    asked = PassWork(boxes, scene, seen, camera, size, quality=quality, edges=wanted.edges)
    baked = fitting_bake(project, file, rays, level) if scene.still is not None else None
    work = count_work(with_baked(asked, baked))
    return CostReport(frame_cost(work, wanted, profile), wanted.name, camera_of.name, profile.origin)


def cost_lines(found: CostReport, project: Any) -> Iterator[str]:
    """The same to read."""
    cost = found.cost
    state = "over budget" if cost.over else "within budget"
    note = "" if cost.calibrated else ", uncalibrated"
    yield f"{found.shot} on {found.target}: {cost.frame_ms:.2f} ms of {cost.budget_ms:.2f} ms, {state}{note}"
    for name, ms in cost.passes.items():
        yield f"  {name:24s} {ms:8.3f} ms"
    names = {source.id: source.name for source in project.resolved_sources}
    for key, ms in sorted(cost.sources.items(), key=lambda pair: -pair[1]):
        yield f"    {names.get(key, key):22s} {ms:8.3f} ms"
    for text in cost.broken.values():
        yield f"  broken: {text}"


def findings_of(project: Any, file: Path | None) -> list[Any]:
    """Check a project on its level. Raises LevelProblem, ProjectProblem."""
    from wallum.frame.pass_work import Boxes
    from wallum.judge.checks import CheckSubject, check
    from wallum.judge.device import load_profile
    from wallum.level.model.flatten import flatten
    from wallum.level.opening import lit_project
    from wallum.realtime.level.bundling import chunk_boxes
    from wallum.transport.field.field_cache import kept_bounce
    from wallum.transport.lightmaps.bake_cache import bake_file, baked_key, load_bake
    from wallum.transport.scene.rays import RayScene

    project, level = lit_project(project, file, stand_in=False)
    flat = flatten(level)
    boxes = Boxes(*chunk_boxes(level, flat))
    profile, rays = load_profile(project.target.profile), RayScene(level, flat)
    pictures = partial(_pictures, project, level)
    bounce = partial(kept_bounce, rays, level, file, project)

    def baked() -> tuple[Any, bool]:
        bake = load_bake(bake_file(project, file))
        return bake, bake is not None and bake.level == baked_key(rays, level)

    known = cache(baked)
    return check(
        CheckSubject(project, level, rays, boxes, profile, pictures=pictures, bounce=bounce, baked=known)
    )


def _pictures(project: Any, level: Any) -> list[Any]:
    """Each shot as it is delivered, at the project's clock."""
    from wallum.document.paths import slug_of
    from wallum.judge.banding import BandingPicture
    from wallum.moment.camera import Camera, far_for
    from wallum.moment.evaluate import evaluate
    from wallum.moment.moment import own_moment
    from wallum.realtime.process.offline import render_picture, renderer_for

    out, renderer = [], renderer_for(project, level)
    moment, scene = own_moment(project), evaluate(project)
    for shot in project.shots:
        camera = Camera.of_shot(shot, project.target.aspect, far_for(level.bounds))
        size = (round(BANDS_HIGH * project.target.aspect), BANDS_HIGH)
        rgb = render_picture(project, level, camera, size, settle=False, renderer=renderer).rgb
        where = f"shots/{slug_of(project, 'shots', shot.id)}"
        out.append(BandingPicture(where, rgb, camera, moment, scene))
    return out
