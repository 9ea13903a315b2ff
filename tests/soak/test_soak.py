"""The hard hand, for a short while: readers under mutation, a random artist at the real desk, kills."""

import json
import os
import random
import subprocess
import sys
from pathlib import Path

import pytest

from wallum.errors import LevelProblem
from wallum_dev.soak.fuzz import FuzzLog
from wallum_dev.soak.kills import kill_renderers, kill_savers
from wallum_dev.soak.mutate import mutated, mutated_json
from wallum_dev.soak.readers import READERS
from wallum_dev.soak.run import READER_NAMES, SoakReport, soak

# Short here; `./wallum soak` runs the same for hours.
RUNS, HAND_S = 240, 12
ROOT = Path(__file__).resolve().parents[2]


def run(*words, **more):
    env = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "QT_QPA_PLATFORM": "offscreen", **more}
    command = [sys.executable, "-m", *map(str, words)]
    return subprocess.run(command, env=env, capture_output=True, text=True, timeout=240)


def test_every_reader_takes_what_it_begins_from():
    assert tuple(reader.name for reader in READERS) == READER_NAMES
    for reader in READERS:
        for data in reader.seeds():
            reader.read(data)


def test_a_seed_mutates_alike_and_two_otherwise():
    data = READERS[1].seeds()[-1]
    first, again, other = (mutated(data, random.Random(n)) for n in (1, 1, 2))
    assert first == again != other
    before = {"a": [1, {"b": 2}]}
    for seed in range(200):
        mutated_json(before, random.Random(seed))
    assert before == {"a": [1, {"b": 2}]}


def test_a_watch_tells_what_is_not_ours_from_what_is(tmp_path):
    def read(data):
        if data == b"ours":
            raise LevelProblem("no level", "x")
        if data == b"long":
            raise LevelProblem("no level" * 1000, "x")
        if data == b"foreign":
            raise ZeroDivisionError

    watch = FuzzLog(read, tmp_path)
    for data in (b"ours", b"long", b"foreign", b"foreign", b"fine"):
        watch.look(data)
    watch.write()
    counts = json.loads((tmp_path / "counts.json").read_text())
    assert (counts["taken"], counts["refused"], counts["foreign"]) == (1, 2, 2)
    selected = [path for path in tmp_path.iterdir() if path.name.startswith("ZeroDivisionError")]
    assert {item.read_bytes() for item in selected if item.suffix != ".txt"} == {b"foreign"}


@pytest.mark.slow
@pytest.mark.parametrize(
    ("name", "unguided"), [*((item, False) for item in READER_NAMES), ("project", True), ("level", True)]
)
def test_no_mutated_file_raises_what_is_not_ours(tmp_path, name, unguided):
    more = ["--unguided"] if unguided else []
    done = run("wallum_dev.soak.fuzz", name, tmp_path, "--runs", RUNS, "--seed", 20271012, *more)
    counts = json.loads((tmp_path / "counts.json").read_text())
    assert done.returncode == 0, done.stderr[-500:]
    assert counts["inputs"] >= RUNS
    assert counts["refused"] > RUNS // 8
    assert counts["taken"] > 0
    selected = [path.read_text() for path in tmp_path.glob("*.txt")]
    assert (counts["foreign"], selected) == (0, [])


@pytest.mark.slow
@pytest.mark.parametrize("seed", [3, 4])
def test_a_random_artist_meets_no_fault(tmp_path, seed):
    done = run("wallum_dev.soak.hand", tmp_path, "--seconds", HAND_S, "--seed", seed)
    met = json.loads((tmp_path / "hand.json").read_text())
    assert met["faults"] == []
    assert met["messages"] == []
    assert done.returncode == 0
    assert met["actions"] > 20


@pytest.mark.slow
def test_nothing_is_lost_that_was_said_to_be_kept(tmp_path):
    met = kill_savers(tmp_path, 60, seed=5)
    assert met.kills == 60
    assert met.lost == []


@pytest.mark.slow
def test_a_renderer_comes_back_each_time():
    met = kill_renderers(6)
    assert met.lost == []
    assert len(met.back_s) == 6


@pytest.mark.slow
def test_a_short_soak_writes_its_report(tmp_path, monkeypatch):
    few = READER_NAMES[::3]  # each of them is fuzzed by itself above
    monkeypatch.setattr("wallum_dev.soak.run.READER_NAMES", few)
    result = soak(0.05, 9, tmp_path, lambda text: None, ("fuzz",))
    assert result.clean
    assert set(result.fuzz) == set(few)
    assert "project" in (tmp_path / "report.md").read_text()
    assert json.loads((tmp_path / "report.json").read_text())["seed"] == 9


def test_a_report_is_clean_only_where_nothing_was_found():
    counts = {"inputs": 1, "taken": 0, "refused": 1, "foreign": 0, "slow": 0, "peak_mb": 1}
    assert SoakReport(1.0, 1, {"day": counts}).clean
    assert not SoakReport(1.0, 1, {"day": {**counts, "foreign": 1}}).clean
    assert not SoakReport(1.0, 1, crashes=["status 139"]).clean
