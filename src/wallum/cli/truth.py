"""`wallum check --truth`: the picture of every shot beside light followed along paths."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

__all__ = ["HOURS", "truth_lines"]

HOURS = ("06:30", "09:00", "17:10", "21:30")
# Of a block of the picture, see judge/truth.py; up to so many times as many where noise is more [stops].
PATHS, BOUNCES = 1024, 6
MAX_TIMES, NOISE = 16, 0.04


def truth_lines(
    document: Any, file: Path | None, paths: int = PATHS, slugs: list[str] | None = None
) -> Iterator[Any]:
    """How far each shot is off at each of HOURS, one after the other. slugs : of the shots; all where None.
    Raises PathProblem."""
    import numpy as np

    from wallum.cli.day import prepare
    from wallum.document.lanes import parse_clock
    from wallum.document.paths import find_slug
    from wallum.judge.truth import BLOCKS, INSIDE_SKY, PICTURE, TRACED, TRACED_EACH, compare, solid_blocks
    from wallum.level.opening import lit_project
    from wallum.moment.camera import Camera, far_for
    from wallum.moment.moment import own_moment
    from wallum.moment.picture_scene import picture_scene
    from wallum.transport.paths.reference import Reference
    from wallum.transport.scene.surfaces import seen_surfaces

    chosen = [find_slug(document, "shots", slug.strip()) for slug in slugs or ()] or document.shots
    document, level = lit_project(document, file)
    drawn = prepare(document, level, file)
    for shot in chosen:
        camera = Camera.of_shot(shot, PICTURE[0] / PICTURE[1], far_for(level.bounds))
        solid = solid_blocks(drawn.rays, level, camera)
        inside = False
        if drawn.bounce is not None:
            seen = seen_surfaces(drawn.rays, level, camera, BLOCKS)
            result = drawn.bounce.made.probes.find(seen.points, seen.normals)
            sky = drawn.bounce.made.seen.sky.sum(axis=1)
            inside = bool(np.median(np.where(result >= 0, sky[result], 1.0)) < INSIDE_SKY)
        for clock in HOURS:
            now = document.revised(setting=document.setting.revised(clock=parse_clock(clock)))
            picture = drawn.picture(now, camera, PICTURE).luminance
            scene = picture_scene(now, own_moment(now), camera, PICTURE)
            reference = Reference(drawn.rays, level, scene, camera, TRACED, BOUNCES, document.follows)
            reference.aim_by(None if drawn.bounce is None else drawn.bounce.made)
            where = shot.name, clock, inside
            # Of a single path it is not known how much noise it has.
            steps, largest = (max(-(-item // TRACED_EACH**2), 2) for item in (paths, paths * MAX_TIMES))
            while True:
                while reference.samples < steps:
                    reference.step()
                off = compare(picture, reference.luminance, reference.errors, solid, where)
                if off.noise <= NOISE or steps >= largest:
                    break
                steps *= 2
            yield off
