"""One picture at every tier: what it costs, what the air takes of that, and how it looks."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

__all__ = ["TierRow", "tier_table"]

AIR_PASSES = ("air light", "air", "cards", "screen shafts")
HIGH_PX = 270


@dataclass(frozen=True)
class TierRow:
    """One tier: a frame's time on the target and that of its air [ms], and of this machine's picture."""

    tier: str
    target: str
    frame_ms: float
    air_ms: float
    drawn_ms: float | None

    def as_json(self) -> dict[str, Any]:
        drawn = None if self.drawn_ms is None else round(self.drawn_ms, 2)
        times = {"frame_ms": round(self.frame_ms, 4), "air_ms": round(self.air_ms, 4), "drawn_ms": drawn}
        return {"tier": self.tier, "target": self.target, **times}

    def __str__(self) -> str:
        drawn = "" if self.drawn_ms is None else f", drawn here in {self.drawn_ms:.0f} ms"
        return (
            f"{self.tier:8s} {self.frame_ms:7.3f} ms on {self.target}, of it air {self.air_ms:.3f} ms{drawn}"
        )


def tier_table(
    project: Any, file: Path | None, shot: str | None, target: str | None, sheet: Path | None
) -> list[TierRow]:
    """A row for each tier; with a sheet, the pictures side by side. Raises PathProblem, RendererProblem."""
    from wallum.cli.cost import cost_of
    from wallum.frame.quality import TIERS

    drawn = {} if sheet is None else _draw(project, file, shot, sheet)
    rows = []
    for tier in TIERS:
        cost = cost_of(project, file, shot, target, tier)
        air = sum(cost.cost.passes.get(name, 0.0) for name in AIR_PASSES)
        rows.append(TierRow(tier, cost.target, cost.cost.frame_ms, air, drawn.get(tier)))
    return rows


def _draw(project: Any, file: Path | None, shot: str | None, sheet: Path) -> dict[str, float]:
    """Write the picture at every tier, and say how long this machine took for each [ms]."""
    from wallum.cli.values import refuse_as_output
    from wallum.document.indirect import at_most
    from wallum.document.paths import find_slug
    from wallum.exchange.pictures import write_png
    from wallum.frame.quality import TIERS
    from wallum.image.contact_sheet import contact_sheet
    from wallum.level.opening import lit_project
    from wallum.moment.camera import Camera, far_for
    from wallum.realtime.process.offline import render_picture, renderer_for

    whole, level = lit_project(project, file)
    refuse_as_output(sheet, project, file, level)
    project = whole
    chosen = find_slug(project, "shots", shot) if shot is not None else project.shots[0]
    camera = Camera.of_shot(chosen, project.target.aspect, far_for(level.bounds))
    size = (round(HIGH_PX * project.target.aspect), HIGH_PX)
    pictures, times = [], {}
    for tier, quality in TIERS.items():
        renderer = renderer_for(project, level, quality=quality)
        for _ in range(2):  # the first one also makes its programs ready
            renderer.engine.forget()
            shown = at_most(project, quality.indirect)
            picture = render_picture(
                shown, level, camera, size, settle=False, renderer=renderer, edges=shown.target.edges
            )
        pictures.append(picture.rgb)
        times[tier] = sum(pass_.ms for pass_ in picture.passes)
    labels = [f"{tier}: {ms:.0f} ms here" for tier, ms in times.items()]
    write_png(sheet, contact_sheet([pictures], labels, [chosen.name], 2))
    return times
