"""Whether the desk and its renderer give back what they took, over a long sitting."""

import gc
import json
import os
from collections.abc import Iterator
from dataclasses import asdict

from wallum.desk.shell.window import DeskWindow
from wallum.figures import Row
from wallum.realtime.process.memory import give_memory_back
from wallum_dev.tours.tour import open_desk, wait_for, wait_settled

__all__ = ["memory_rows", "resident_mb"]

REPACKINGS, LEVELS = 100, 20
# The sitting begins and ends with the first of these.
OPENED = ("demo:jar-yard", "demo:pale-room", "demo:cistern")
ASKED_MB = 100.0
PAGE = os.sysconf("SC_PAGE_SIZE")


def resident_mb(process: int) -> float:
    """Memory that a process holds of its own or shares, as it is now [MB]; 0 where it is gone."""
    try:
        with open(f"/proc/{process}/statm", encoding="ascii") as stream:
            return int(stream.read().split()[1]) * PAGE / 1e6
    except OSError:
        return 0.0


def _held(window: DeskWindow) -> tuple[float, float]:
    gc.collect()
    give_memory_back()  # as the desk itself does at rest
    return resident_mb(os.getpid()), resident_mb(window.link.client.pid)


def _opened(window: DeskWindow, reference: str) -> None:
    window.session.history.mark_saved(window.session.history.present)
    window.open_reference(reference)
    wait_for(lambda: window.session.level is not None, "the level")
    _rested(window)


def _rested(window: DeskWindow) -> None:
    """Wait until nothing is left to do: a picture settles once all programs are there."""
    wait_for(lambda: not window.link.client.busy and window.background.at_rest, "the desk to rest")
    window.ask_picture()
    wait_settled(window)


def _repack(window: DeskWindow, times: int) -> None:
    """Leave a part out and bring it back, each time as a new packing."""
    session = window.session
    for _ in range(times):
        before = session.level
        assert before is not None
        part = before.plain.parts[-1].id
        marks = session.project.marks_of(part)
        session.history.edit("left out", session.project.with_marks(marks.revised(ignored=not marks.ignored)))
        wait_for(lambda before=before: session.level is not before, "the level packed anew")  # type: ignore[misc]


def memory_rows() -> Iterator[Row]:
    """What desk and renderer hold more after a long sitting than at its beginning [MB]."""
    with open_desk(OPENED[0], (900, 600)) as window:
        _rested(window)
        began = _held(window)
        _repack(window, REPACKINGS)
        for number in range(LEVELS):
            _opened(window, OPENED[(number + 1) % len(OPENED)])
        _opened(window, OPENED[0])
        _repack(window, 4)
        _rested(window)
        ended = _held(window)
    for name, before, after in zip(("desk", "renderer"), began, ended, strict=True):
        yield Row(
            f"memory that the {name} keeps of {REPACKINGS} packings and {LEVELS} levels",
            after - before,
            "MB",
            ASKED_MB,
            details={"at the beginning": round(before), "at the end": round(after)},
        )


if __name__ == "__main__":
    # A desk of its own: what others have left in a process is not the sitting's.
    for row in memory_rows():
        print(json.dumps(asdict(row)))
