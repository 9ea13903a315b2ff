"""Commands of a checkout: the demo's tour, screenshots, speed, soak, and all checks."""

import sys
from pathlib import Path

import click

from wallum.cli.main import cli
from wallum.cli.values import FiniteRange, print_json

__all__ = ["cli"]


@cli.command("demo")
def demo_command() -> None:
    """The desk with the demo; with no display, a tour of it that writes pictures to out/demo/."""
    from wallum_dev.tours.demo_tour import run_demo

    sys.exit(run_demo())


@cli.command("screenshots")
def screenshots_command() -> None:
    """Refresh docs/screenshots/ from the demo data."""
    from wallum_dev.tours.screens import refresh_screenshots

    for path in refresh_screenshots():
        click.echo(path)


@cli.command("speed")
@click.option("--json", "as_json", is_flag=True)
@click.option(
    "--profile",
    type=click.Path(path_type=Path),
    default=None,
    help="Fit a profile of this machine, and no more.",
)
def speed_command(as_json: bool, profile: Path | None) -> None:
    """Speed, each figure beside the one asked for and a limit measured in the same run."""
    from wallum.judge.device import check_profile_place
    from wallum_dev.speed.run import fit_and_write, measure_all

    if profile is not None:
        check_profile_place(profile)
        row = fit_and_write(profile, progress=lambda text: click.echo(text, err=True))
        if as_json:
            print_json({"profile": str(profile), "speed": [row.as_json()]})
        else:
            click.echo(row.as_text())
        sys.exit(0 if row.within else 1)
    rows = measure_all(progress=lambda text: click.echo(text, err=True))
    if as_json:
        print_json({"speed": [row.as_json() for row in rows]})
    else:
        for row in rows:
            click.echo(row.as_text())
    sys.exit(0 if all(row.within for row in rows) else 1)


@cli.command("soak")
@click.option("--minutes", type=FiniteRange(0.1, 10_000.0), default=10.0, help="How long.")
@click.option("--seed", type=click.IntRange(0), default=1, help="The same seed acts alike.")
@click.option(
    "--only", type=click.Choice(["fuzz", "hand", "kills"]), multiple=True, help="All where not given."
)
@click.option(
    "--out", type=click.Path(path_type=Path), default=Path("out/soak"), help="Report and failing cases."
)
@click.option("--json", "as_json", is_flag=True)
def soak_command(minutes: float, seed: int, only: tuple[str, ...], out: Path, as_json: bool) -> None:
    """A hard hand: mutated files for every reader, a random artist, kills; with a report."""
    from dataclasses import asdict

    from wallum_dev.soak.run import SHARES, soak

    result = soak(minutes, seed, out, lambda text: click.echo(text, err=True), only or SHARES)
    if as_json:
        print_json({"report": str(out / "report.md"), "clean": result.clean, **asdict(result)})
    else:
        for line in result.lines():
            click.echo(line)
    sys.exit(0 if result.clean else 1)


@cli.command("test", context_settings={"ignore_unknown_options": True})
@click.argument("arguments", nargs=-1, type=click.UNPROCESSED)
def test_command(arguments: tuple[str, ...]) -> None:
    """All checks and tests; arguments go to pytest."""
    from wallum_dev.checks import run_checks

    sys.exit(run_checks(arguments))
