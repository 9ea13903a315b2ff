"""Commands about the day: where sun and moon stand, a day as a contact sheet."""

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import click

from wallum.cli.values import (
    Size,
    open_reference,
    print_json,
    refuse_as_output,
    setting_changes,
    with_changes,
)

__all__ = ["DayRenderer", "prepare", "sheet_command", "sun_command"]


@dataclass(frozen=True)
class DayRenderer:
    """What drawing pictures of a project needs, made once."""

    project: Any
    level: Any
    rays: Any
    renderer: Any
    bounce: Any = None

    def heroes(self, camera: Any) -> Any:
        """Where heroes are, for a camera; None where they are not asked for."""
        from wallum.moment.metered import CELLS
        from wallum.transport.scene.heroes import hero_cells

        marked = frozenset(mark.part for mark in self.project.marks if mark.hero)
        if not marked or self.project.look.weighted != "heroes":
            return None
        return hero_cells(self.rays, self.level, marked, camera, CELLS)

    def picture(
        self, project: Any, camera: Any, size: Any, settle: bool = True, relight: bool = True, **how: Any
    ) -> Any:
        """A picture of it. project : at the moment that is wanted; relight : what comes back from surfaces is
        worked out for that; how : see render_picture"""
        from wallum.moment.moment import own_moment
        from wallum.moment.picture_scene import picture_scene
        from wallum.realtime.process.offline import relit, render_picture

        if self.bounce is not None and relight:
            relit(self.renderer, self.bounce, picture_scene(project, own_moment(project), camera, size))
        heroes = self.heroes(camera)
        return render_picture(project, self.level, camera, size, settle, self.renderer, heroes=heroes, **how)


def prepare(project: Any, level: Any, file: Path | None) -> DayRenderer:
    """A renderer that shows a project's level, with light that comes back from its surfaces."""
    from wallum.level.model.flatten import flatten
    from wallum.realtime.level.baked_set import baked_set
    from wallum.realtime.process.offline import renderer_for
    from wallum.transport.field.field_cache import kept_bounce
    from wallum.transport.lightmaps.bake_cache import fitting_bake
    from wallum.transport.scene.rays import RayScene

    rays = RayScene(level, flatten(level))
    bounce = kept_bounce(rays, level, file, project)
    renderer = renderer_for(project, level)
    if bounce is not None:
        bounce.baked = fitting_bake(project, file, rays, level)
        if bounce.baked is not None:
            renderer.set_baked(baked_set(bounce.baked, rays.triangles))
    return DayRenderer(project, level, rays, renderer, bounce)


def _number(value: float) -> float | None:
    """A number for JSON, which knows no nan."""
    return None if math.isnan(value) else value


def _body(place: Any, light: Any) -> dict[str, Any]:
    from wallum.physics.colour import cct_of, luminance

    return {
        "azimuth_deg": place.azimuth,
        "elevation_deg": place.elevation,
        "geometric_elevation_deg": place.geometric,
        "illuminance_lx": float(luminance(light)),
        "cct_k": _number(cct_of(light)) if light.any() else None,
    }


@click.command("sun")
@click.argument("project", default="")
@click.option("--place", default=None, metavar="LAT,LON", help="Where on Earth, instead of a project.")
@click.option("--utc-offset", type=float, default=None, help="Local clock minus UTC, in hours.")
@click.option("--date", default=None, metavar="YYYY-MM-DD")
@click.option("--clock", default=None, metavar="HH:MM", help="Local time of day.")
@click.option("--json", "as_json", is_flag=True)
def sun_command(
    project: str,
    place: str | None,
    utc_offset: float | None,
    date: str | None,
    clock: str | None,
    as_json: bool,
) -> None:
    """Where sun and moon truly stand, and the light that a surface facing them gets."""
    import datetime as dt

    from wallum.document.lanes import format_clock
    from wallum.document.project import Project
    from wallum.errors import ValueProblem
    from wallum.moment.at_moment import observer_of
    from wallum.physics.ephemeris import moon_place, sun_place
    from wallum.physics.sunlight import moonlight, sunlight

    if project and place is not None:
        raise ValueProblem("both a project and a place are named", "--place", "one of the two")
    if not project and (place is None or utc_offset is None or date is None or clock is None):
        raise ValueProblem(
            "no place is named", "sun", "a project, or --place, --utc-offset, --date and --clock"
        )
    document = open_reference(project)[0] if project else Project()
    setting = with_changes(document, setting_changes(place, date, utc_offset, clock)).setting
    where, day = observer_of(setting), dt.date.fromisoformat(setting.date)
    sun, moon = sun_place(where, day, setting.clock), moon_place(where, day, setting.clock)
    by_sun = sunlight(sun.elevation, sun.radius, sun.distance_ratio)
    by_moon = moonlight(moon.elevation, moon.radius, moon.phase_deg, moon.distance_ratio)
    bodies = {"sun": _body(sun, by_sun), "moon": {**_body(moon, by_moon), "lit_fraction": moon.lit}}
    if as_json:
        print_json(bodies)
        return
    click.echo(f"{setting.date} {format_clock(setting.clock)}")
    for name, body in bodies.items():
        kelvin = f", {body['cct_k']:.0f} K" if body["cct_k"] else ""
        lit = f", {body['lit_fraction']:.0%} lit" if "lit_fraction" in body else ""
        click.echo(
            f"  {name:5s} azimuth {body['azimuth_deg']:.2f}, elevation {body['elevation_deg']:.2f} deg, "
            f"{body['illuminance_lx']:.4g} lx{kelvin}{lit}"
        )


@click.command("sheet")
@click.argument("project")
@click.option(
    "--every", type=click.IntRange(1, 1440), default=60, help="Minutes from one picture to the next."
)
@click.option("--shots", default=None, metavar="A,B", help="Slugs of shots; the first where not given.")
@click.option("--size", type=Size(), default=(320, 200), help="Of each picture.")
@click.option("--out", type=click.Path(path_type=Path), required=True)
@click.option("--json", "as_json", is_flag=True)
def sheet_command(
    project: str, every: int, shots: str | None, size: tuple[int, int], out: Path, as_json: bool
) -> None:
    """A day as a contact sheet."""
    from wallum.document.lanes import format_clock
    from wallum.document.paths import find_slug
    from wallum.errors import ExportProblem, ProjectProblem
    from wallum.exchange.pictures import write_png
    from wallum.image.contact_sheet import contact_sheet
    from wallum.level.opening import lit_project
    from wallum.moment.camera import Camera, far_for

    if out.suffix.lower() != ".png":
        raise ExportProblem(f"cannot write {out.suffix or 'it'}", str(out), ".png")
    document, file = open_reference(project)
    if not document.shots:
        raise ProjectProblem("has no shots", project, "a project with a saved camera")
    chosen = [find_slug(document, "shots", part.strip()) for part in shots.split(",")] if shots else None
    document, level = lit_project(document, file)
    refuse_as_output(out, document, file, level)
    drawn = prepare(document, level, file)
    hours = [minute / 60.0 for minute in range(0, 1440, every)]
    rows = []
    for shot in chosen or document.shots[:1]:
        camera = Camera.of_shot(shot, size[0] / size[1], far_for(level.bounds))
        row = []
        for hour in hours:
            now = document.revised(setting=document.setting.revised(clock=hour))
            picture = drawn.picture(now, camera, size, settle=False)
            row.append(picture.rgb)
        rows.append(row)
    names = [shot.name for shot in chosen or document.shots[:1]]
    write_png(out, contact_sheet(rows, [format_clock(h) for h in hours], names, min(len(hours), 6)))
    if as_json:
        print_json({"file": str(out), "pictures": len(hours) * len(rows)})
        return
    click.echo(f"{out}: {len(rows)} shots, {len(hours)} hours")
