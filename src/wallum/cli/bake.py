"""`wallum bake`: the light of a project's still sources, on texels of its level."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from wallum.cli.values import open_reference, setting_changes, with_changes

__all__ = ["bake_command"]


@click.command("bake")
@click.argument("project")
@click.option("--clock", default=None, metavar="HH:MM")
@click.option("--clear", is_flag=True, help="Throw away what was baked.")
def bake_command(project: str, clock: str | None, clear: bool) -> None:
    """Bake the light of the still sources on the level's surfaces, and keep it beside the project."""
    document, file = open_reference(project)
    document = with_changes(document, setting_changes(date=None, clock=clock))
    for line in _clear(document, file) if clear else _bake(document, file):
        click.echo(line)


def _bake(project: Any, file: Path | None) -> Iterator[str]:
    """Bake; a line for each tenth that is done, then what was made. Raises LevelProblem."""
    from queue import SimpleQueue
    from threading import Thread

    from wallum.document.lanes import format_clock
    from wallum.level.model.flatten import flatten
    from wallum.level.opening import lit_project
    from wallum.moment.baked import still_alone
    from wallum.moment.evaluate import evaluate
    from wallum.moment.moment import own_moment
    from wallum.moment.probe_boxes import probe_boxes
    from wallum.moment.static_sources import still_ids
    from wallum.transport.field.field_cache import kept_field
    from wallum.transport.lightmaps.bake import BakeRequest, bake
    from wallum.transport.lightmaps.bake_cache import bake_file, baked_key, part_file, save_bake
    from wallum.transport.scene.rays import RayScene

    project, level = lit_project(project, file, stand_in=False)
    rays, moment = RayScene(level, flatten(level)), own_moment(project)
    built = kept_field(rays, level, level.bounds, file, probe_boxes(project))
    if built is None:
        from wallum.errors import LevelProblem

        raise LevelProblem("it has no surface that could be baked", project.level or "the level")
    scene = still_alone(evaluate(project, moment), still_ids(project))
    order = BakeRequest(
        rays, level, built, scene, project.baking, baked_key(rays, level), format_clock(moment.clock),
        project.follows,
    )  # fmt: skip
    part, text = part_file(project, file), SimpleQueue[Any]()
    messages = [-1]

    def keep_going(done: float) -> bool:
        if int(done * 10) > messages[0]:
            messages[0] = int(done * 10)
            text.put(f"{done:.0%}")
        return True

    def work() -> None:
        try:
            text.put(bake(order, part, keep_going))
        except Exception as error:  # told where the lines are read
            text.put(error)

    Thread(target=work, daemon=True).start()
    while isinstance(line := text.get(), str):
        yield line
    if isinstance(line, Exception):
        raise line
    path = bake_file(project, file)
    save_bake(line, path)
    part.unlink(missing_ok=True)
    pages = line.pages
    yield (
        f"{path}: {len(pages)} pages of {pages.shape[2]} x {pages.shape[1]}, noise {line.noise:.1%} before "
        f"{'it was denoised' if order.settings.denoised else 'all'}"
    )


def _clear(project: Any, file: Path | None) -> Iterator[str]:
    """Throw away what was baked."""
    from wallum.transport.lightmaps.bake_cache import clear_bake

    yield "baked light is cleared" if clear_bake(project, file) else "there is no baked light"
