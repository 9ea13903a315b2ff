"""The command line: the contract for automatic checks. Commands only ask, show and edit."""

import os
import signal
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from wallum import __version__
from wallum.cli.bake import bake_command
from wallum.cli.day import sheet_command, sun_command
from wallum.cli.develop import develop_command
from wallum.cli.export import export_command
from wallum.cli.film import film_command
from wallum.cli.look import look_command
from wallum.cli.meter import meter_command
from wallum.cli.truth import PATHS
from wallum.cli.values import (
    FiniteRange,
    Size,
    Triple,
    chosen_view,
    moved_to,
    note_level_choice,
    open_reference,
    parameter_path,
    print_json,
    refuse_as_output,
    setting_changes,
    with_changes,
)
from wallum.errors import WallumError
from wallum.faults import fault_of, keep_log, said
from wallum.frame.quality import TIERS

__all__ = ["cli", "main"]

Json = dict[str, Any]


@click.group(help=f"Wallum {__version__}: compose the light of a real-time level.")
def cli() -> None:
    pass


@cli.command("new")
@click.argument("level")
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--place", default=None, metavar="LAT,LON", help="Where on Earth.")
@click.option("--date", default=None, metavar="YYYY-MM-DD", help="Which day.")
@click.option("--utc-offset", type=float, default=None, help="Local clock minus UTC, in hours.")
@click.option("--scale", type=float, default=1.0, metavar="M", help="Metres in a unit of the level's file.")
@click.option("--up", type=click.Choice(["y", "z", "x"]), default="y", help="The axis of it that is up.")
@click.option("--json", "as_json", is_flag=True)
def new_command(
    level: str, project: Path, place: str | None, date: str | None, utc_offset: float | None, scale: float,
    up: str, as_json: bool,
) -> None:  # fmt: skip
    """Make a project on a level file."""
    from wallum.document.storage import as_project_file, save
    from wallum.errors import ProjectProblem
    from wallum.level.model.level_fit import fitted
    from wallum.level.opening import choose_level, on_floors, open_level, project_of_level, reference_to

    if as_project_file(project).exists():
        raise ProjectProblem("there is a file of that name already", str(project), "a new name")
    opened = open_level(reference_to(Path(level), None), None)
    built = project_of_level(opened, reference_to(Path(level), project))
    lies = (f"level_fit/scale={scale!r}", f"level_fit/up={up}")
    built = with_changes(built, (*lies, *setting_changes(place, date, utc_offset)))
    opened = fitted(opened, built.level_fit)
    built = on_floors(built, opened)
    save(built, project)
    choose_level(built, project)
    findings = [vars(finding) for finding in opened.findings]
    if as_json:
        print_json({"project": str(project), "parts": len(opened.parts), "findings": findings})
        return
    click.echo(
        f"{project}: {len(opened.parts)} parts, {opened.triangle_count} triangles, "
        f"{len(built.sources)} sources, {len(built.shots)} shots"
    )
    for finding in opened.findings:
        click.echo(f"{finding.grade}: {finding.text}")


@cli.command("show")
@click.argument("project")
@click.argument("path", default="")
@click.option("--json", "as_json", is_flag=True)
def show_command(project: str, path: str, as_json: bool) -> None:
    """Show values with their units."""
    from wallum.document.fields import Item
    from wallum.document.paths import look_up, walk
    from wallum.document.quantities import format_quantity

    document, _ = open_reference(project)
    result = look_up(document, path)
    prefix = path.strip("/")
    rows = [
        (where, info, value)
        for where, info, value in walk(document)
        if not prefix or where == prefix or where.startswith(prefix + "/")
    ]
    if as_json:
        values = {where: {"value": value, "unit": info.unit} for where, info, value in rows}
        plain = not isinstance(result, Item | tuple) or not rows
        print_json({"path": prefix, "value": result} if plain else {"values": values})
        return
    for where, info, value in rows:
        shown = format_quantity(value, info.unit) if isinstance(value, float) else value
        click.echo(f"{where} = {shown}")
    if not rows:
        click.echo(str(result))


@cli.command("set")
@click.argument("project")
@click.argument("changes", nargs=-1, required=True, metavar="PATH=VALUE...")
@click.option("--out", type=click.Path(path_type=Path), default=None, help="Write here instead.")
@click.option("--json", "as_json", is_flag=True)
def set_command(project: str, changes: tuple[str, ...], out: Path | None, as_json: bool) -> None:
    """Change values; all of them or, where one is refused, none."""
    from wallum.document.paths import look_up
    from wallum.document.storage import as_project_file, editing, load, save
    from wallum.errors import ProjectProblem

    document, file = open_reference(project)
    changed = with_changes(document, changes)
    target = out or file
    if target is None:
        raise ProjectProblem("has no file to write to", project, "--out FILE")
    as_project_file(target)
    if file is not None and target == file:
        with editing(file) as write:  # what others set at the same time is not lost
            changed = with_changes(load(file), changes)
            write(changed)
    else:
        changed = moved_to(changed, file, target)
        save(changed, target)
    note_level_choice(changed, target, changes)
    paths = [parameter_path(change) for change in changes]
    if as_json:
        print_json({"file": str(target), "values": {path: look_up(changed, path) for path in paths}})
        return
    for path in paths:
        click.echo(f"{path} = {look_up(changed, path)}")


@cli.command("render")
@click.argument("project")
@click.option("--shot", default=None, help="A saved camera, by its slug.")
@click.option("--eye", type=Triple(), default=None)
@click.option("--toward", type=Triple(), default=None)
@click.option("--fov", type=FiniteRange(1.0, 150.0), default=50.0, help="Vertical, in degrees.")
@click.option("--size", type=Size(), default=(1280, 720))
@click.option("--clock", default=None, metavar="HH:MM", help="Time of day; the project's where not given.")
@click.option("--date", default=None, metavar="YYYY-MM-DD")
@click.option("--set", "changes", multiple=True, metavar="PATH=VALUE")
@click.option("--engine", type=click.Choice(["realtime", "reference"]), default="realtime")
@click.option("--samples", type=click.IntRange(1, 65536), default=64, help="Paths a pixel, by reference.")
@click.option("--bounces", type=click.IntRange(0, 16), default=6, help="Of light, by reference.")
@click.option("--scatterings", type=click.IntRange(1, 64), default=1, help="From air to air, by reference.")
@click.option("--raw", is_flag=True, help="By reference: with its noise.")
@click.option(
    "--view", default="final", help="What to show: final, surface, grey, zebra, ..., or one:SOURCE."
)
@click.option("--variant", default=None, help="Lit as a kept variant, by its slug.")
@click.option("--as-delivered", is_flag=True, help="One frame, not settled.")
@click.option("--out", type=click.Path(path_type=Path), required=True)
@click.option("--json", "as_json", is_flag=True)
def render_command(project: str, out: Path, as_json: bool, **options: Any) -> None:
    """Draw a picture: .png as seen, .exr as light in cd/m2."""
    from wallum.cli.render import render_realtime, render_reference
    from wallum.document.paths import find_slug
    from wallum.document.variants import applied
    from wallum.errors import ExportProblem
    from wallum.exchange.pictures import write_exr, write_png
    from wallum.level.opening import lit_project

    if out.suffix.lower() not in (".png", ".exr"):
        raise ExportProblem(f"cannot write {out.suffix or 'it'}", str(out), ".png or .exr")
    document, file = open_reference(project)
    document = with_changes(document, setting_changes(date=options["date"], clock=options["clock"]))
    document = with_changes(document, options["changes"])
    note_level_choice(document, file, options["changes"])
    document, level = lit_project(document, file)
    refuse_as_output(out, document, file, level)
    camera = _camera(document, level, options)
    if options["variant"] is not None:
        document = applied(document, find_slug(document, "variants", options["variant"]).id)
    view, document = chosen_view(document, options["view"])
    if options["engine"] == "reference":
        built = render_reference(document, level, file, camera, view, options)
    else:
        built = render_realtime(document, level, file, camera, view, options)
    if out.suffix.lower() == ".png":
        write_png(out, built.rgb)
    else:
        write_exr(out, built.luminance)
    if as_json:
        print_json({"file": str(out), **built.told})
    else:
        click.echo(f"{out}: {built.text}")


def _camera(document: Any, level: Any, options: Json) -> Any:
    from wallum.document.paths import find_slug
    from wallum.errors import ValueProblem
    from wallum.moment.camera import Camera, far_for

    far = far_for(level.bounds)
    aspect = options["size"][0] / options["size"][1]
    if options["shot"] is not None:
        return Camera.of_shot(find_slug(document, "shots", options["shot"]), aspect, far)
    if options["eye"] is None or options["toward"] is None:
        raise ValueProblem("no camera is named", "render", "--shot NAME, or --eye and --toward")
    direction = tuple(b - a for a, b in zip(options["eye"], options["toward"], strict=True))
    length = sum(part * part for part in direction) ** 0.5
    if length < 1e-9:
        raise ValueProblem("eye and target are the same point", "--toward")
    unit = tuple(part / length for part in direction)
    return Camera(options["eye"], unit, options["fov"], aspect, far=far)


cli.add_command(meter_command)
cli.add_command(bake_command)
cli.add_command(export_command)
cli.add_command(develop_command)
cli.add_command(look_command)
cli.add_command(sun_command)
cli.add_command(sheet_command)
cli.add_command(film_command)


@cli.command("desk")
@click.argument("project", default="")
def desk_command(project: str) -> None:
    """Open the desk on a project, or on a level file."""
    from wallum.desk.shell.app import run_desk

    sys.exit(run_desk(project))


@cli.command("demo")
def demo_command() -> None:
    """Open the desk on the demo project."""
    from wallum.desk.shell.app import run_desk

    sys.exit(run_desk("demo:kilnworks"))


@cli.command("parameters")
@click.option("--out", type=click.Path(path_type=Path), default=None, help="Write here, not to the screen.")
def parameters_command(out: Path | None) -> None:
    """The reference of all parameters, from their declarations."""
    from wallum.document.reference import parameter_document
    from wallum.errors import ExportProblem
    from wallum.files import write_whole

    if out is None:
        click.echo(parameter_document(), nl=False)
        return
    try:
        write_whole(out, parameter_document().encode())
    except OSError as error:
        raise ExportProblem(f"cannot be written: {error.strerror}", str(out)) from None
    click.echo(out)


@cli.command("check")
@click.argument("project")
@click.option("--truth", is_flag=True, help="Instead: each shot beside light followed along paths; minutes.")
@click.option("--paths", type=click.IntRange(1, 100_000), default=PATHS, help="Paths a block, with --truth.")
@click.option("--shots", default=None, metavar="A,B", help="Slugs of shots, with --truth; all by default.")
@click.option("--json", "as_json", is_flag=True)
def check_command(project: str, truth: bool, paths: int, shots: str | None, as_json: bool) -> None:
    """What is wrong with the light, where, how bad, and what would help."""
    from wallum.cli.cost import findings_of
    from wallum.cli.truth import truth_lines

    document, file = open_reference(project)
    if truth:
        lines = []
        for line in truth_lines(document, file, paths, shots.split(",") if shots else None):
            lines.append(line.as_json())
            if not as_json:
                click.echo(line.as_text())
        if as_json:
            print_json({"truth": lines})
        return
    if shots:
        raise click.UsageError("--shots goes with --truth")
    findings = findings_of(document, file)
    if as_json:
        print_json({"findings": [item.as_json() for item in findings]})
    else:
        for item in findings:
            remedy = f" ({item.remedy.text})" if item.remedy is not None else ""
            click.echo(f"{item.grade}: {item.text}{remedy}")
        if not findings:
            click.echo("nothing was found")
    sys.exit(1 if any(item.grade != "note" for item in findings) else 0)


@cli.command("ways")
@click.argument("project")
@click.option("--shot", default=None, help="A saved camera, by its slug; the first where not given.")
@click.option("--clock", default=None, metavar="HH:MM")
@click.option("--json", "as_json", is_flag=True)
def ways_command(project: str, shot: str | None, clock: str | None, as_json: bool) -> None:
    """How light from all around can be shown: each way's price, memory and distance from the reference."""
    from wallum.cli.ways import way_rows

    document, file = open_reference(project)
    document = with_changes(document, setting_changes(date=None, clock=clock))
    rows = list(way_rows(document, file, shot))
    if as_json:
        print_json({"ways": rows})
        return
    for row in rows:
        click.echo(
            f"{row['way']:10s} {row['frame_ms']:7.3f} ms on {document.target.name},"
            f" {row['megabytes']:6.1f} MB, {row['stops_off']:.2f} stops off the reference"
        )


@cli.command("cost")
@click.argument("project")
@click.option("--shot", default=None, help="A saved camera, by its slug; the first where not given.")
@click.option("--clock", default=None, metavar="HH:MM")
@click.option("--target", default=None, help="A stand-in's name, or a device profile (.json).")
@click.option("--tier", type=click.Choice(list(TIERS)), default="high", help="How finely it is drawn.")
@click.option("--tiers", is_flag=True, help="A table of every tier, with what the air takes of it.")
@click.option(
    "--sheet", type=click.Path(path_type=Path), default=None, help="The picture at every tier, as a PNG."
)
@click.option("--json", "as_json", is_flag=True)
def cost_command(
    project: str,
    shot: str | None,
    clock: str | None,
    target: str | None,
    tier: str,
    tiers: bool,
    sheet: Path | None,
    as_json: bool,
) -> None:
    """What a frame costs on a target: by pass, and by source with it less without it."""
    from wallum.cli.cost import cost_lines, cost_of
    from wallum.cli.tiers import tier_table

    document, file = open_reference(project)
    document = with_changes(document, setting_changes(date=None, clock=clock))
    if tiers or sheet is not None:
        rows = tier_table(document, file, shot, target, sheet)
        if as_json:
            print_json({"tiers": [row.as_json() for row in rows]})
        else:
            for row in rows:
                click.echo(row)
        return
    cost = cost_of(document, file, shot, target, tier)
    if as_json:
        print_json(cost.as_json(document))
    else:
        for line in cost_lines(cost, document):
            click.echo(line)
    sys.exit(1 if cost.cost.over or cost.cost.broken else 0)


def _report(error: WallumError, as_json: bool) -> int:
    click.echo(f"wallum: {error}", err=True)
    if as_json:
        print_json({"error": error.as_json()})
    return error.exit_status


def main(arguments: list[str] | None = None, run: Callable[..., Any] = cli.main) -> int:
    """Run a command; errors become one sentence and an exit status."""
    inputs = sys.argv[1:] if arguments is None else arguments
    as_json = "--json" in inputs
    keep_log()
    try:
        run(args=inputs, prog_name="wallum", standalone_mode=False)
    except WallumError as error:
        return _report(error, as_json)
    except click.exceptions.NoArgsIsHelpError as error:
        click.echo(error.format_message())
        return 2
    except click.UsageError as error:
        return _report(WallumError(error.format_message(), "", "see --help"), as_json)
    except click.ClickException as error:
        return _report(WallumError(error.format_message()), as_json)
    except (click.Abort, KeyboardInterrupt):
        return 130
    except BrokenPipeError:
        # Whoever read the output has enough; Python itself must not complain at its end either.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 128 + signal.SIGPIPE
    except OSError as error:
        return _report(WallumError(said(error), str(error.filename or "")), as_json)
    except Exception as error:
        return _report(fault_of(error, f"the command {' '.join(inputs[:1])}".strip()), as_json)
    return 0
