"""`./wallum soak`: everything at once for as long as one likes, and a report of what it found."""

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any, Final

from wallum.checkout import ROOT
from wallum.files import write_whole
from wallum_dev.soak.kills import KillsMet, kill_renderers, kill_savers

__all__ = ["READER_NAMES", "SHARES", "SoakReport", "soak"]

READER_NAMES: Final = ("project", "level", "day", "profile", "hdr", "png", "exr")
# Of the minutes: for the random hand; the rest is mutated files, beside it. Kills come last.
KILLS_A_MINUTE, RENDERER_KILLS_A_MINUTE = 30, 3
INPUTS_A_SLICE: Final = 20_000
SHARES: Final = ("fuzz", "hand", "kills")
ENOUGH_S: Final = 120.0


@dataclass
class SoakReport:
    """What a soak found."""

    minutes: float
    seed: int
    fuzz: dict[str, dict[str, int]] = field(default_factory=dict)
    hands: list[dict[str, Any]] = field(default_factory=list)
    savers: KillsMet | None = None
    renderers: KillsMet | None = None
    crashes: list[str] = field(default_factory=list)

    @property
    def clean(self) -> bool:
        """Whether nothing was found that must not be."""
        fuzzed = all(item["foreign"] == 0 and item["slow"] == 0 for item in self.fuzz.values())
        hands = all(not hand["faults"] and not hand["messages"] for hand in self.hands)
        killed = all(not item.lost for item in (self.savers, self.renderers) if item is not None)
        return fuzzed and hands and killed and not self.crashes

    def lines(self) -> list[str]:
        """The same to read."""
        state = "clean" if self.clean else "something was found"
        out = [f"# Soak of {self.minutes:g} minutes, seed {self.seed}: {state}", ""]
        out += [_fuzz_line(name, item) for name, item in self.fuzz.items()]
        for hand in self.hands:
            out += _hand_lines(hand)
        if self.savers is not None:
            out.append(f"- {self.savers.kills} kills while saving: {len(self.savers.lost)} losses")
            out += [f"  - {text}" for text in self.savers.lost]
        if self.renderers is not None:
            back = f"picture back in {self.renderers.median_back_s:.2f} s at the median"
            out.append(f"- {self.renderers.kills} renderers killed: {back}; {len(self.renderers.lost)} never")
        return [*out, *(f"- ended: {text}" for text in self.crashes)]


def _fuzz_line(name: str, item: dict[str, int]) -> str:
    read = f"{item['inputs']:,} inputs, {item['taken']:,} taken, {item['refused']:,} refused in a sentence"
    bad = f"{item['foreign']} exceptions that are not ours, {item['slow']} slow"
    return f"- {name}: {read}; {bad}; {item['peak_mb']} MB at most"


def _hand_lines(item: dict[str, Any]) -> list[str]:
    did = f"{item['actions']} actions, {item['opened']} openings, {item['renderer_kills']} renderers killed"
    met = f"{len(item['faults'])} faults, {len(item['messages'])} complaints of the toolkit"
    answer = f"latest answer {item['worst_late_ms']:.0f} ms, memory [MB] {item['memory_mb']}"
    messages = [f"  - {text}" for text in (*item["faults"], *item["messages"], *item["late"])]
    return [f"- hand of seed {item['seed']}: {did}; {met}; {answer}", *messages]


def _command(*words: object) -> list[str]:
    return [sys.executable, "-m", *map(str, words)]


def _environment() -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(ROOT / "src"), "QT_QPA_PLATFORM": "offscreen"}


def _fuzz_until(end: float, folder: Path, found: SoakReport, told: Callable[[str], None]) -> None:
    """Mutated files for each reader in turn, until the time is up; once each at least."""
    turn = 0
    while turn == 0 or time.monotonic() < end:
        for name in READER_NAMES:
            if turn and time.monotonic() > end:
                return
            slice_folder = folder / "found" / name
            runs = INPUTS_A_SLICE if end - time.monotonic() > ENOUGH_S else INPUTS_A_SLICE // 20
            seed = found.seed + turn
            done = subprocess.run(
                _command("wallum_dev.soak.fuzz", name, slice_folder, "--runs", runs, "--seed", seed),
                env=_environment(), capture_output=True, text=True, cwd=ROOT,
            )  # fmt: skip
            if done.returncode != 0:
                found.crashes.append(f"{name}, seed {seed}: status {done.returncode}: {done.stderr[-300:]!r}")
            _add_counts(found, name, slice_folder)
            told(f"{name}: {found.fuzz.get(name)}")
        turn += 1


def _add_counts(found: SoakReport, name: str, folder: Path) -> None:
    try:
        counts = json.loads((folder / "counts.json").read_text())
    except (OSError, ValueError):
        return
    (folder / "counts.json").unlink()
    before = found.fuzz.get(name, dict.fromkeys(counts, 0))
    summed = {key: before[key] + value for key, value in counts.items()}
    summed["peak_mb"] = max(before["peak_mb"], counts["peak_mb"])
    found.fuzz[name] = summed


def _start_hand(folder: Path, seed: int, seconds: float) -> "subprocess.Popen[bytes]":
    log = open(folder / f"hand-{seed}.log", "wb")  # noqa: SIM115 - it lives as long as the hand
    words = _command("wallum_dev.soak.hand", folder / f"hand-{seed}", "--seconds", seconds, "--seed", seed)
    return subprocess.Popen(words, env=_environment(), stdout=log, stderr=log, cwd=ROOT)


def _end_hand(hand: "subprocess.Popen[bytes]", folder: Path, found: SoakReport, seconds: float) -> None:
    try:
        status = hand.wait(timeout=seconds + ENOUGH_S)
    except subprocess.TimeoutExpired:
        hand.kill()
        found.crashes.append(f"the hand of seed {found.seed} hung")
        return
    try:
        found.hands.append(json.loads((folder / f"hand-{found.seed}" / "hand.json").read_text()))
    except (OSError, ValueError):
        found.crashes.append(f"the hand of seed {found.seed} ended with status {status}")


def soak(
    minutes: float, seed: int, folder: Path, told: Callable[[str], None], parts: tuple[str, ...] = SHARES
) -> SoakReport:
    """Let a hard hand work for so long, and write its report into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    result, seconds = SoakReport(minutes, seed), minutes * 60.0
    hand = _start_hand(folder, seed, seconds) if "hand" in parts else None
    if "fuzz" in parts:
        _fuzz_until(time.monotonic() + seconds, folder, result, told)
    if hand is not None:
        _end_hand(hand, folder, result, seconds)
    if "kills" in parts:
        result.savers = kill_savers(folder / "kills", max(round(minutes * KILLS_A_MINUTE), 10), seed)
        result.renderers = kill_renderers(max(round(minutes * RENDERER_KILLS_A_MINUTE), 3))
    write_whole(folder / "report.md", ("\n".join(result.lines()) + "\n").encode())
    write_whole(folder / "report.json", json.dumps(asdict(result), indent=1).encode())
    return result
