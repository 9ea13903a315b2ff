"""All measurements, in an order that keeps them from disturbing each other."""

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from wallum.checkout import ROOT
from wallum.desk.jobs.loading import load_new
from wallum.desk.shell.app import screen_of_its_own
from wallum.figures import Row, percentile
from wallum.judge.device import write_profile
from wallum.level.model.generated_sheets import rolling_sheets, write_level
from wallum_dev.speed.day import day_rows
from wallum_dev.speed.limits import memory_copy_ms
from wallum_dev.speed.look import look_rows
from wallum_dev.speed.pictures import picture_rows
from wallum_dev.speed.profile import driver_name, fit_profile, measure_scenes, median_error, split
from wallum_dev.speed.works import works_rows
from wallum_dev.tours.load_watch import load_rows
from wallum_dev.tours.stopwatch import desk_rows, sky_rows

__all__ = ["fit_and_write", "measure_all"]


def _open_rows() -> Iterator[Row]:
    level = rolling_sheets(30, 72)
    with TemporaryDirectory() as folder:
        path = write_level(level, Path(folder) / "big.glb")
        times = []
        for _ in range(3):
            start = time.perf_counter()
            loaded, _ = load_new(str(path))
            times.append(time.perf_counter() - start)
            loaded.block.close()
        copy = memory_copy_ms(path.stat().st_size) / 1e3
    yield Row(
        "opening 300,000 triangles without textures, until ready",
        percentile(times, 0.5),
        "s",
        2.0,
        copy,
        "copying the file's bytes",
        {"triangles": f"{level.triangle_count:,}"},
    )


def _wall_time(command: list[str]) -> float:
    start = time.perf_counter()
    subprocess.run(command, cwd=ROOT, check=True, capture_output=True)
    return time.perf_counter() - start


def _sitting_rows() -> Iterator[Row]:
    """Memory over a long sitting, at a desk in a process of its own, as the artist has it."""
    command = [sys.executable, "-m", "wallum_dev.tours.memory_watch"]
    done = subprocess.run(command, cwd=ROOT, check=True, capture_output=True, text=True)
    for line in done.stdout.splitlines():
        yield Row(**json.loads(line))


def _start_rows() -> Iterator[Row]:
    bare = [sys.executable, "-c", "import sys"]
    direct = [sys.executable, "-m", "wallum", "--help"]
    through = [str(ROOT / "wallum"), "--help"]
    pairs = [(_wall_time(through), _wall_time(direct)) for _ in range(7)]
    added = percentile([a - b for a, b in pairs], 0.5)
    yield Row(
        "what the start script adds to a second start",
        added,
        "s",
        0.3,
        percentile([_wall_time(bare) for _ in range(5)], 0.5),
        "bare Python",
    )


def fit_and_write(path: Path, progress: Callable[[str], None]) -> Row:
    """Fit a device profile of this machine and write it; the row says how well it foretells."""
    scenes = measure_scenes(progress)
    fitted, left_out = split(scenes)
    profile = fit_profile(fitted, path.stem, f"Fitted to Wallum's own scenes on {driver_name()}")
    write_profile(profile, path)
    return Row(
        "foretold frame times on scenes left out, median error",
        100.0 * median_error(profile, left_out),
        "%",
        15.0,
        100.0 * median_error(profile, fitted),
        "on scenes fitted",
        {"scenes": f"{len(fitted)} fitted, {len(left_out)} left out"},
    )


def measure_all(progress: Callable[[str], None]) -> list[Row]:
    """Every row; `progress` is told each as it is done."""
    rows = []
    taken, began = _stolen_s(), time.perf_counter()
    with screen_of_its_own(1920, 1080):
        for source in (
            _start_rows,
            _open_rows,
            day_rows,
            picture_rows,
            look_rows,
            works_rows,
            sky_rows,
            desk_rows,
            load_rows,
            _sitting_rows,
        ):
            for row in source():
                rows.append(row)
                progress(row.as_text())
    share = 100.0 * (_stolen_s() - taken) / (time.perf_counter() - began)
    rows.append(Row("processor time that other machines on this host took meanwhile", share, "%"))
    progress(rows[-1].as_text())
    return rows


def _stolen_s() -> float:
    """Processor time taken by the host's other guests since the start [s]; 0 where not told."""
    try:
        fields = Path("/proc/stat").read_text().splitlines()[0].split()
        return int(fields[8]) / os.sysconf("SC_CLK_TCK")
    except (OSError, IndexError, ValueError):
        return 0.0
