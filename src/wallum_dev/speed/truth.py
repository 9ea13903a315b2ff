"""How soon the reference picture can be believed."""

import time
from collections.abc import Iterator

from wallum.document.project import Project
from wallum.figures import Row
from wallum.image.denoise import denoised, denoiser
from wallum.image.widened import widened
from wallum.level.model.model import Level
from wallum.moment.camera import Camera, far_for
from wallum.moment.evaluate import evaluate
from wallum.moment.moment import Moment
from wallum.transport.field.bounce import Field
from wallum.transport.paths.reference import HalfColumns, Reference
from wallum.transport.scene.rays import RayScene

__all__ = ["truth_rows"]

SIZE, BOUNCES = (640, 400), 6
# Shots, hours, and how soon [s].
INSIDE = (("shot-shed", 10.0, "the shed at ten", 5.0), ("shot-vault", 9.0, "the vault at nine", 10.0))


def truth_rows(project: Project, level: Level, rays: RayScene, made: Field) -> Iterator[Row]:
    """Paths through the demo's two rooms, their noise taken out: its first picture, and of a path a pixel."""
    denoiser(SIZE)
    for shot_id, hour, words, limit in INSIDE:
        shot = next(item for item in project.shots if item.id == shot_id)
        camera = Camera.of_shot(shot, SIZE[0] / SIZE[1], far_for(level.bounds))
        early: list[float] = []
        start = time.perf_counter()

        def halfway(half: HalfColumns, start: float = start, early: list[float] = early) -> None:
            widened(denoised(*half), SIZE[0])
            early.append(time.perf_counter() - start)

        scene = evaluate(project, Moment(hour))
        reference = Reference(rays, level, scene, camera, SIZE, BOUNCES, project.follows).aim_by(made)
        reference.step(halfway=halfway)
        denoised(reference.luminance, *reference.guides)
        whole = {"a path for every pixel": f"{time.perf_counter() - start:.1f} s"}
        name = f"{words} from paths of {BOUNCES} bounces without their noise, {SIZE[0]}x{SIZE[1]}"
        yield Row(name, early[0], "s", limit, details=whole)
