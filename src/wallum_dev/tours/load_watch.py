"""How the desk bears a load: a level of millions of triangles, large pictures, thousands of lamps."""

import time
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from wallum.desk.shell.window import DeskWindow
from wallum.document.project import Project, base_light
from wallum.document.sources import PointSource
from wallum.document.storage import save
from wallum.figures import Row
from wallum.level.model.generated_sheets import grove, pictured_sheets, rolling_sheets, write_level
from wallum_dev.tours.stopwatch import Heartbeat
from wallum_dev.tours.tour import open_desk, wait_for

__all__ = ["load_rows"]

TRIANGLES = (24, 251)  # sheets and corners along their sides: 3,000,000
PICTURES = (6, 8192)
TREES = (1000, 1000)  # of one shape, and its triangles
LAMPS = 5000
# What was asked: answers within, first picture in, all lamps selected in [s].
ANSWERS_S, PICTURED_ANSWERS_S, PICTURE_S, GROVE_PICTURE_S, SELECT_S = 0.5, 3.0, 15.0, 4.0, 1.0


def _watched_opening(window: DeskWindow, path: Path) -> tuple[float, float]:
    """(worst lateness of the window, time to the first lit picture) of a level being opened [s]."""
    painted: list[object] = []
    connection = window.picture.painted.connect(painted.append)
    heart = Heartbeat()
    began = time.perf_counter()
    oldest = window.link.client.latest_number
    window.open_reference(str(path))
    wait_for(
        lambda: (
            any(f is not None and f.number > oldest for f in painted)  # type: ignore[attr-defined]
            and window.session.project.level.endswith(path.name)
        ),
        "the first picture",
    )
    spent = time.perf_counter() - began
    # What follows it belongs to the opening too.
    end = time.perf_counter() + 3.0
    wait_for(lambda: time.perf_counter() > end, "the window")
    heart.stop()
    window.picture.painted.disconnect(connection)
    return max(heart.late_ms) / 1e3, spent


def _openings(folder: Path) -> Iterator[Row]:
    heavy = rolling_sheets(*TRIANGLES)
    cases = (
        (
            f"{heavy.triangle_count:,} triangles",
            write_level(heavy, folder / "heavy.glb"),
            ANSWERS_S,
            PICTURE_S,
        ),
        (
            f"{TREES[0]:,} trees of {TREES[1]:,} triangles",
            write_level(grove(*TREES), folder / "grove.glb"),
            ANSWERS_S,
            GROVE_PICTURE_S,
        ),
        (
            f"{PICTURES[0]} pictures of {PICTURES[1]} x {PICTURES[1]}",
            write_level(pictured_sheets(*PICTURES), folder / "pictured.glb"),
            PICTURED_ANSWERS_S,
            PICTURE_S,
        ),
    )
    del heavy
    for words, path, answers_s, picture_s in cases:
        with open_desk("demo:pale-room", (900, 600)) as window:
            worst, spent = _watched_opening(window, path)
        yield Row(f"opening {words}: the window answers within", worst, "s", answers_s)
        yield Row(f"opening {words}: first picture", spent, "s", picture_s)


def _select_all(folder: Path) -> Row:
    lamps = tuple(
        PointSource(
            id=f"lamp-{n}", name=f"Lamp {n}", position=(n % 71 * 1.0, 2.0, n // 71 * 1.0), shadow=False
        )
        for n in range(LAMPS)
    )
    level = write_level(rolling_sheets(4, 60), folder / "ground.glb")
    save(Project(level=level.name, sources=(*base_light(), *lamps)), folder / "lamps.wallum")
    with open_desk(str(folder / "lamps.wallum"), (1200, 800)) as window:
        wait_for(lambda: not window.link.client.busy, "the picture")
        heart = Heartbeat()
        began = time.perf_counter()
        window.chosen.select_all()
        spent = time.perf_counter() - began
        end = time.perf_counter() + 2.0
        wait_for(lambda: time.perf_counter() > end, "the window")
        heart.stop()
        chosen = len(window.session.selection.ids)
    return Row(
        f"all of {LAMPS:,} lamps selected", max(spent, max(heart.late_ms) / 1e3), "s", SELECT_S,
        details={"selected": chosen},
    )  # fmt: skip


def load_rows() -> Iterator[Row]:
    """How late the window answers under a load, and when pictures come."""
    with TemporaryDirectory() as folder:
        yield from _openings(Path(folder))
        yield _select_all(Path(folder))
