"""The budget report: what each shot costs through the day on each target, as one HTML file."""

import base64
import html
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from wallum.document.project import Project
from wallum.document.targets import Target
from wallum.errors import ExportProblem
from wallum.faults import said
from wallum.files import write_whole
from wallum.judge.cost import FrameCost
from wallum.judge.device import DeviceProfile
from wallum.judge.findings import Finding

__all__ = ["CostedShot", "write_report"]

STYLE: Final = """
body { background: #2b2b2b; color: #e8e8e8; font: 14px sans-serif; margin: 32px auto; max-width: 1040px; }
h1 { font-size: 22px; } h2 { font-size: 17px; margin-top: 34px; border-bottom: 1px solid #5c5c5c; }
table { border-collapse: collapse; font-variant-numeric: tabular-nums; }
td, th { padding: 4px 12px 4px 0; text-align: right; } td:first-child, th:first-child { text-align: left; }
th, .quiet { color: #b8b8b8; font-weight: normal; } .over { color: #ff8a80; font-weight: 600; }
.bar { background: #8f8f8f; height: 10px; display: inline-block; vertical-align: middle; }
.shots { display: flex; flex-wrap: wrap; gap: 14px; } figure { margin: 0; } figcaption { color: #b8b8b8; }
"""
SOURCES_SHOWN: Final = 12


@dataclass(frozen=True)
class CostedShot:
    """One shot at one hour on one target."""

    shot: str
    clock: str
    target: Target
    profile: DeviceProfile
    cost: FrameCost


def _image(rgb: NDArray[np.uint8]) -> str:
    stream = BytesIO()
    Image.fromarray(rgb).save(stream, "JPEG", quality=86)
    return f"data:image/jpeg;base64,{base64.b64encode(stream.getvalue()).decode()}"


def _table(costed: Sequence[CostedShot]) -> Iterator[str]:
    """Shots down, hours across, for one target."""
    clocks = list(dict.fromkeys(item.clock for item in costed))
    yield "<table><tr><th>Shot</th>" + "".join(f"<th>{clock}</th>" for clock in clocks) + "</tr>"
    for shot in dict.fromkeys(item.shot for item in costed):
        row = {item.clock: item.cost for item in costed if item.shot == shot}
        yield f"<tr><td>{html.escape(shot)}</td>"
        for clock in clocks:
            cost = row[clock]
            mark = " class=over" if cost.over else ""
            word = " over" if cost.over else ""
            yield f"<td{mark}>{cost.frame_ms:.2f} ms{word}</td>"
        yield "</tr>"
    yield "</table>"


def _worst(project: Project, costed: Sequence[CostedShot]) -> Iterator[str]:
    """The passes and sources of the dearest frame."""
    item = max(costed, key=lambda each: each.cost.frame_ms)
    widest = max(item.cost.frame_ms, item.cost.budget_ms)
    times = f"{item.cost.frame_ms:.2f} of {item.cost.budget_ms:.2f} ms"
    yield f"<p>Dearest: {html.escape(item.shot)} at {item.clock}, {times}.</p>"
    names = {source.id: source.name for source in project.resolved_sources} | {"shared": "Shared by all"}
    sources = sorted(item.cost.sources.items(), key=lambda pair: -pair[1])[:SOURCES_SHOWN]
    for title, rows in (("Pass", list(item.cost.passes.items())), ("Source", sources)):
        yield f"<table><tr><th>{title}</th><th>ms</th><th></th></tr>"
        for key, ms in rows:
            wide = round(400.0 * ms / max(widest, 1e-9))
            bar = f"<span class=bar style='width:{wide}px'></span>"
            name = html.escape(names.get(key, key))
            yield f"<tr><td>{name}</td><td>{ms:.3f}</td><td style='text-align:left'>{bar}</td></tr>"
        yield "</table>"
    for text in dict.fromkeys(text for each in costed for text in each.cost.broken.values()):
        yield f"<p class=over>Trait not kept: {html.escape(text)}</p>"


def _page(
    project: Project,
    costed: Sequence[CostedShot],
    findings: Sequence[Finding],
    pictures: Sequence[tuple[str, NDArray[np.uint8]]],
) -> Iterator[str]:
    title = html.escape(f"{project.name}: what its light costs")
    yield f"<!doctype html><meta charset=utf-8><title>{title}</title><style>{STYLE}</style><h1>{title}</h1>"
    yield "<div class=shots>"
    for caption, rgb in pictures:
        words = html.escape(caption)
        yield f"<figure><img src='{_image(rgb)}' alt=''><figcaption>{words}</figcaption></figure>"
    yield "</div>"
    for name in dict.fromkeys(item.target.name for item in costed):
        mine = [item for item in costed if item.target.name == name]
        target, profile = mine[0].target, mine[0].profile
        state = "calibrated" if profile.calibrated else "uncalibrated"
        size = f"{target.width}x{target.height}, {target.frame_rate:g} frames "
        yield f"<h2>{html.escape(name)}</h2><p class=quiet>{size}"
        yield f"a second, {target.share:.0%} of each for light: {target.budget_ms:.2f} ms. Profile {state}: "
        yield f"{html.escape(profile.origin)}</p>"
        yield from _table(mine)
        yield from _worst(project, mine)
    yield "<h2>Findings</h2>"
    if not findings:
        yield "<p>Nothing was found.</p>"
    for finding in findings:
        remedy = (
            f" <span class=quiet>Remedy: {html.escape(finding.remedy.text)}.</span>" if finding.remedy else ""
        )
        mark = " class=over" if finding.grade == "error" else ""
        yield f"<p{mark}>{finding.grade.capitalize()}: {html.escape(finding.text)}.{remedy}</p>"


def write_report(
    path: Path,
    project: Project,
    costed: Sequence[CostedShot],
    findings: Sequence[Finding],
    pictures: Sequence[tuple[str, NDArray[np.uint8]]] = (),
) -> None:
    """Write the report; pictures are (caption, (H, W, 3) 8-bit sRGB). Raises ExportProblem."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, "\n".join(_page(project, costed, findings, pictures)).encode())
    except OSError as error:
        raise ExportProblem(f"cannot be written: {said(error)}", str(path)) from None
