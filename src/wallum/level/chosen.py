"""Levels that the person chose by hand, remembered for this user.

A project may come from a stranger. The level that it names is read from the project's own folder and
below, or from where the person chose a level before; never from anywhere else.
"""

import json
import os
from pathlib import Path
from typing import Final

from wallum.errors import LevelProblem
from wallum.files import read_limited, write_whole
from wallum.limits import DAY_BYTES
from wallum.user_folders import state_folder

__all__ = ["is_chosen", "note_chosen"]

MAX_CHOSEN: Final = 500


def _list() -> Path:
    return state_folder() / "chosen-levels.json"


def _chosen() -> list[str]:
    try:
        result = json.loads(read_limited(_list(), DAY_BYTES, LevelProblem))
    except (LevelProblem, ValueError, RecursionError):
        return []
    return [str(item) for item in result] if isinstance(result, list) else []


def note_chosen(level: Path) -> None:
    """The person chose this level."""
    path = os.path.realpath(level)
    before = _chosen()
    if before[:1] == [path]:
        return
    try:
        _list().parent.mkdir(parents=True, exist_ok=True)
        selected = [path, *(item for item in before if item != path)][:MAX_CHOSEN]
        write_whole(_list(), json.dumps(selected, indent=1).encode())
    except OSError:
        pass  # it will be asked for again


def is_chosen(level: Path) -> bool:
    """Whether the person chose this level before."""
    return os.path.realpath(level) in _chosen()
