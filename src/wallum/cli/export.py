"""`wallum export`: the lit level for others, with its baked light where that is asked for."""

from pathlib import Path
from typing import Any

import click

from wallum.cli.values import open_reference, print_json, refuse_as_output

__all__ = ["export_command"]

# What a look is written as.
LOOKS = (".json", ".cube", ".cc", ".ccc", ".cdl")


@click.command("export")
@click.argument("project")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--lights-only", is_flag=True, help="Lights by their names, without the level.")
@click.option("--lightmaps", type=click.Choice(["exr", "png"]), default=None, help="With its baked light.")
@click.option("--size", type=click.Choice(["17", "33", "65"]), default="33", help="Of a .cube, a side.")
@click.option("--json", "as_json", is_flag=True)
def export_command(
    project: str, file: Path, lights_only: bool, lightmaps: str | None, size: str, as_json: bool
) -> None:
    """Write for others, by the file's extension: the lit level (.glb, .gltf), or the look
    (.json; .cube as a table of colours; .cc, .ccc, .cdl its grade)."""
    from wallum.errors import ExportProblem
    from wallum.exchange.gltf_export import data_file, export_gltf
    from wallum.level.opening import lit_level

    if file.suffix.lower() in LOOKS:
        _export_look(project, file, int(size), as_json)
        return
    if file.suffix.lower() not in (".glb", ".gltf"):
        raise ExportProblem(
            f"cannot write {file.suffix or 'it'}", str(file), f".glb, .gltf, {', '.join(LOOKS)}"
        )
    document, beside = open_reference(project)
    level = lit_level(document, beside, stand_in=False)
    for out in filter(None, (file, data_file(file))):
        refuse_as_output(out, document, beside, level)
    if lightmaps is not None:
        warnings = _export_baked(document, beside, level, file, lightmaps, lights_only)
    else:
        warnings = export_gltf(document, level, file, lights_only)
    if as_json:
        print_json({"file": str(file), "warnings": warnings})
        return
    for warning in warnings:
        click.echo(f"warning: {warning}")
    click.echo(str(file))


def _export_look(reference: str, file: Path, size: int, as_json: bool) -> None:
    """Write the look of a project's hour. Raises ExportProblem, ValueProblem."""
    from wallum.document.look_file import write_look_file
    from wallum.errors import ExportProblem
    from wallum.exchange.cdl_file import left_out, write_grade
    from wallum.exchange.look_table import write_look
    from wallum.files import refuse_inputs
    from wallum.moment.at_moment import at_moment
    from wallum.moment.looks import shown_look
    from wallum.moment.moment import own_moment

    project, beside = open_reference(reference)
    look = at_moment(project, own_moment(project)).look
    inputs = [item for item in (beside, Path(look.table) if look.table else None) if item is not None]
    refuse_inputs(file, inputs, ExportProblem)
    if file.suffix.lower() == ".json":
        write_look_file(file, look)
        print_json({"file": str(file)}) if as_json else click.echo(str(file))
        return
    if file.suffix.lower() != ".cube":
        grade = shown_look(look).grade
        write_grade(file, grade, project.name or "look")
        warnings = [f"{item} no part of a decision list" for item in left_out(grade)]
        if as_json:
            print_json({"file": str(file), "warnings": warnings})
        else:
            click.echo("\n".join([*(f"warning: {warning}" for warning in warnings), str(file)]))
        return
    largest, mean = write_look(file, shown_look(look), size, project.name or "look")
    if as_json:
        print_json(
            {"file": str(file), "size": size, "largest_error_of_255": largest, "mean_error_of_255": mean}
        )
    else:
        click.echo(
            f"{file}: {size} a side, {mean:.2f} of 255 off the look in the mean, at most {largest:.1f}"
        )


def _export_baked(
    project: Any, file: Path | None, level: Any, out: Path, kind: Any, lights_only: bool
) -> list[str]:
    """Write the lit level with its baked light beside it. Returns what is lost; raises ExportProblem."""
    from wallum.errors import ExportProblem
    from wallum.exchange.gltf_export import export_gltf
    from wallum.exchange.lightmap_export import level_with_texels, page_files, write_lightmaps
    from wallum.level.model.flatten import flatten
    from wallum.transport.lightmaps.bake_cache import fitting_bake
    from wallum.transport.scene.rays import RayScene

    if lights_only:
        raise ExportProblem("lights alone have no baked light", str(out), "the level with it")
    baked = fitting_bake(project, file, RayScene(level, flatten(level)), level)
    if baked is None:
        raise ExportProblem("no light was baked of the level as it is", str(out), "`wallum bake` before")
    for item in page_files(out, baked, kind):
        refuse_as_output(item, project, file, level)
    written, messages = level_with_texels(level, baked)
    warnings = export_gltf(project, written, out)
    return warnings + write_lightmaps(out, baked, messages, kind)
