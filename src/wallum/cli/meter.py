"""`wallum meter`: light at a point, or what is seen along a line through the air."""

from typing import Any

import click

from wallum.cli.values import Triple, open_reference, print_json, setting_changes, with_changes

__all__ = ["meter_command"]

Json = dict[str, Any]


@click.command("meter")
@click.argument("project")
@click.option("--at", type=Triple(), required=True)
@click.option("--facing", type=Triple(), default=(0.0, 1.0, 0.0))
@click.option(
    "--through", type=Triple(), help="Read what is seen from --at to there, or to a surface before."
)
@click.option("--clock", default=None, metavar="HH:MM", help="Time of day; the project's where not given.")
@click.option("--date", default=None, metavar="YYYY-MM-DD")
@click.option("--samples", type=click.IntRange(1, 1_000_000), default=256)
@click.option("--scatterings", type=click.IntRange(1, 64), default=1, help="From air to air, with --through.")
@click.option("--set", "changes", multiple=True, metavar="PATH=VALUE")
@click.option("--json", "as_json", is_flag=True)
def meter_command(
    project: str,
    at: tuple[float, ...],
    facing: tuple[float, ...],
    through: tuple[float, ...] | None,
    changes: tuple[str, ...],
    as_json: bool,
    **options: Any,
) -> None:
    """Read illuminance at a point: direct light by source, and what comes back from surfaces; by rays. Or
    what is seen along a line."""
    import numpy as np

    from wallum.level.model.flatten import flatten
    from wallum.level.opening import lit_project
    from wallum.moment.evaluate import evaluate
    from wallum.transport.scene.rays import RayScene

    document, file = open_reference(project)
    document = with_changes(
        document, (*setting_changes(date=options["date"], clock=options["clock"]), *changes)
    )
    document, level = lit_project(document, file)
    rays, scene, samples = RayScene(level, flatten(level)), evaluate(document), options["samples"]
    if through is None:
        _at_a_point(document, level, rays, scene, (np.array(at), np.array(facing)), samples, as_json)
        return
    _along_a_line(
        document,
        level,
        rays,
        scene,
        (np.array(at), np.array(through)),
        (samples, options["scatterings"]),
        as_json,
    )


def _at_a_point(
    document: Any, level: Any, rays: Any, scene: Any, place: Any, samples: int, as_json: bool
) -> None:
    from wallum.document.paths import slug_of
    from wallum.moment.scene import GLOW_ID
    from wallum.transport.direct.meter import direct_illuminance
    from wallum.transport.paths.through import returned_illuminance

    at, facing = place
    reading = direct_illuminance(rays, scene, at, facing, samples)
    back, glow, by_material = returned_illuminance(rays, level, scene, at, facing, samples, document.follows)
    by_source = {slug_of(document, "sources", key): lx for key, lx in reading.by_source.items()}
    by_source |= {f"{GLOW_ID} of {name}": lx for name, lx in by_material.items()}
    direct = reading.direct_lx + glow.mean_lx
    error = (reading.variance + glow.error_lx**2 + back.error_lx**2) ** 0.5
    if as_json:
        print_json(
            {
                "illuminance_lx": direct + back.mean_lx,
                "direct_lx": direct,
                "bounce_lx": back.mean_lx,
                "bounce_error_lx": back.error_lx,
                "standard_error_lx": error,
                "by_source": by_source,
            }
        )
        return
    click.echo(
        f"{direct + back.mean_lx:.4g} lx (+- {error:.2g}): direct {direct:.4g}, bounce {back.mean_lx:.4g}"
    )
    for slug, lx in sorted(by_source.items(), key=lambda pair: -pair[1]):
        click.echo(f"  {slug:24s} {lx:.4g} lx")


def _along_a_line(
    document: Any, level: Any, rays: Any, scene: Any, ends: Any, how: tuple[int, int], as_json: bool
) -> None:
    from wallum.transport.paths.through import seen_through

    (start, end), (samples, scatterings) = ends, how
    seen = seen_through(
        rays, level, scene, start, end, samples, follows=document.follows, scatterings=scatterings
    )
    if as_json:
        print_json(
            {
                "distance_m": seen.distance_m,
                "transmittance": seen.transmittance.tolist(),
                "scattered_cd_m2": seen.scattered.tolist(),
                "luminance_cd_m2": seen.luminance.tolist(),
                "contrast_kept": seen.contrast_kept,
                "standard_error_cd_m2": seen.error,
            }
        )
        return
    click.echo(f"{seen.distance_m:.4g} m, {seen.contrast_kept:.1%} of contrast kept")
    for name, rgb in (
        ("left of light", seen.transmittance),
        ("scattered", seen.scattered),
        ("seen", seen.luminance),
    ):
        unit = "" if name == "left of light" else " cd/m2"
        click.echo(f"  {name:14s} {', '.join(f'{part:.4g}' for part in rgb)}{unit}")
