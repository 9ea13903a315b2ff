"""`wallum develop`: a scene-linear picture, from here or from elsewhere, through a look."""

from pathlib import Path
from typing import Any

import click

from wallum.cli.values import open_reference, parameter_path, print_json, with_changes

__all__ = ["develop_command"]


@click.command("develop")
@click.argument("picture", type=click.Path(path_type=Path))
@click.option(
    "--look", default=None, metavar="PROJECT|LOOK.json", help="Whose look; else the one that is neutral."
)
@click.option("--ev100", type=float, default=None, help="Exposure by hand, instead of the look's.")
@click.option(
    "--set", "changes", multiple=True, metavar="look/PATH=VALUE", help="Of the look; may be repeated."
)
@click.option(
    "--out", type=click.Path(path_type=Path), required=True, help=".png, or .exr before the transfer."
)
@click.option("--json", "as_json", is_flag=True)
def develop_command(
    picture: Path, look: str | None, ev100: float | None, changes: tuple[str, ...], out: Path, as_json: bool
) -> None:
    """Develop light [cd/m2] in an .exr picture as the desk shows it."""
    import numpy as np

    from wallum.errors import ExportProblem
    from wallum.exchange.pictures import read_light, write_exr, write_png
    from wallum.files import refuse_inputs
    from wallum.image.develop import develop, shown

    if out.suffix.lower() not in (".png", ".exr"):
        raise ExportProblem(f"cannot write {out.suffix or 'it'}", str(out), ".png or .exr")
    chosen, inputs = _look(look, ev100, changes)
    refuse_inputs(out, [picture, *inputs], ExportProblem)
    light, broken = read_light(picture)
    chosen = _exposed(chosen, light)
    display = shown(light, chosen)
    if out.suffix.lower() == ".png":
        write_png(out, develop(light, chosen))
    else:
        write_exr(out, display.astype(np.float32))
    clipped = float((display >= 1.0).any(axis=-1).mean())
    if as_json:
        messages = {"ev100": chosen.ev100, "clipped": clipped, "not_finite": broken}
        print_json({"file": str(out), **messages})
        return
    if broken:
        click.echo(f"warning: {broken} pixels are no finite numbers; they are black", err=True)
    click.echo(f"{out}: {light.shape[1]}x{light.shape[0]}, EV {chosen.ev100:.2f}, {clipped:.1%} at white")


def _look(reference: str | None, ev100: float | None, changes: tuple[str, ...]) -> tuple[Any, list[Path]]:
    """The look resolved, and the files it comes from. Raises ValueProblem, ProjectProblem."""
    from wallum.document.look_file import read_look
    from wallum.document.project import Project
    from wallum.errors import ValueProblem
    from wallum.exchange.cdl_file import SUFFIXES, read_grade
    from wallum.level.importers.images.cube_file import read_cube
    from wallum.moment.looks import shown_look

    project, inputs = Project(), []
    if reference is not None and reference.lower().endswith(".json"):
        project, inputs = project.revised(look=read_look(Path(reference))), [Path(reference)]
    elif reference is not None and reference.lower().endswith(SUFFIXES):
        grade = read_grade(Path(reference))
        named = {"slope": grade.slope, "offset": grade.offset, "power": grade.power}
        graded = project.look.revised(**named, saturation=grade.saturation)
        project, inputs = project.revised(look=graded), [Path(reference)]
    elif reference is not None:
        project, file = open_reference(reference)
        inputs = [] if file is None else [file]
    for change in changes:
        if not parameter_path(change).startswith("look/"):
            raise ValueProblem(f"cannot set {parameter_path(change)!r} here", "--set", "look/PATH=VALUE")
    if ev100 is not None:
        changes = ("look/exposed=by hand", f"look/ev100={ev100}", *changes)
    now = _at_its_hour(with_changes(project, changes))
    if now.table:
        read_cube(Path(now.table))  # what is wrong with it is said here
        inputs.append(Path(now.table))
    return shown_look(now), inputs


def _at_its_hour(project: Any) -> Any:
    from wallum.moment.at_moment import at_moment
    from wallum.moment.moment import own_moment

    return at_moment(project, own_moment(project)).look


def _exposed(look: Any, light: Any) -> Any:
    """The look, with the exposure that it meters in a picture."""
    from dataclasses import replace

    from wallum.moment.metered import metered_picture

    if look.metering is None:
        return look
    return replace(look, ev100=float(metered_picture(light, look.metering)), metering=None)
