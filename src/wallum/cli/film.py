"""The command that films a day."""

from pathlib import Path
from typing import Any

import click

from wallum.cli.day import prepare
from wallum.cli.values import FiniteRange, Size, open_reference, print_json, refuse_as_output
from wallum.moment.moment import Moment

__all__ = ["film_command"]

# What comes back from surfaces is worked out anew this often in the level's day; between, it only dims [h].
RELIT_H = 0.05


def _hours(start: str, end: str, count: int) -> list[float]:
    """Hours of the pictures; an end before the start is on the next day."""
    from wallum.document.lanes import parse_clock

    first, last = parse_clock(start), parse_clock(end)
    span = last - first if last > first else last - first + 24.0
    return [(first + span * i / count) % 24.0 for i in range(count)]


@click.command("film")
@click.argument("project")
@click.option("--shot", default=None, metavar="NAME", help="The first where not given.")
@click.option("--from", "start", default="00:00", metavar="HH:MM")
@click.option("--to", "end", default="24:00", metavar="HH:MM", help="Before --from: on the next day.")
@click.option(
    "--seconds",
    type=FiniteRange(0.1, 3600.0),
    default=None,
    help="How long it lasts; as long as a day where not given.",
)
@click.option("--fps", type=click.IntRange(1, 120), default=24)
@click.option("--size", type=Size(), default=(960, 540))
@click.option("--settled", is_flag=True, help="Every picture accumulated to its limit.")
@click.option(
    "--out", type=click.Path(path_type=Path), required=True, help="A .mp4 or .mkv file, or a folder."
)
@click.option("--json", "as_json", is_flag=True)
def film_command(project: str, out: Path, as_json: bool, **options: Any) -> None:
    """A day, or a part of it, as a video file or as numbered pictures. Ctrl+C breaks it off."""
    from wallum.document.paths import find_slug
    from wallum.errors import ProjectProblem
    from wallum.exchange.film import film_writer
    from wallum.level.opening import lit_project
    from wallum.moment.at_moment import at_moment
    from wallum.moment.camera import Camera, far_for
    from wallum.physics.exposure import adapted_ev

    document, file = open_reference(project)
    if not document.shots:
        raise ProjectProblem("has no shots", project, "a project with a saved camera")
    shot = find_slug(document, "shots", options["shot"]) if options["shot"] else document.shots[0]
    size = options["size"]
    seconds = options["seconds"] or document.setting.day_length
    hours = _hours(options["start"], options["end"], max(round(seconds * options["fps"]), 1))
    with film_writer(out, size, options["fps"]) as writer:
        document, level = lit_project(document, file)
        refuse_as_output(out, document, file, level)
        drawn = prepare(document, level, file)
        camera = Camera.of_shot(shot, size[0] / size[1], far_for(level.bounds))
        current: float | None = None
        # Of the level's time for each picture: the eye comes after the hour in that.
        step_s = (hours[1] - hours[0]) % 24.0 * 3600.0 if len(hours) > 1 else 0.0
        level_seconds = max(step_s, 1.0 / options["fps"])
        lit_at = float("-inf")
        exposures = []
        with click.progressbar(hours, label=str(out), hidden=as_json) as run:
            for number, hour in enumerate(run, start=1):
                now = document.revised(setting=document.setting.revised(clock=hour))
                settle = options["settled"]
                relight = abs(hour - lit_at) >= RELIT_H
                lit_at = hour if relight else lit_at
                picture = drawn.picture(now, camera, size, settle, relight, held_ev=current, seed=number)
                writer.add(picture.rgb)
                exposures.append(round(picture.ev100, 3))
                # As in play.
                look = at_moment(now, Moment(hour)).look
                if picture.metered is None or look.exposed != "metered":
                    current = None
                else:
                    current = adapted_ev(
                        picture.ev100, picture.metered, level_seconds, look.speed_up, look.speed_down
                    )
    if as_json:
        print_json({"file": str(out), "pictures": len(hours), "fps": options["fps"], "ev100": exposures})
        return
    click.echo(f"{out}: {len(hours)} pictures, {len(hours) / options['fps']:.1f} s")
