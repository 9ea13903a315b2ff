"""Unsaved work, kept so that it survives a crash: a file for each sitting, offered until answered.

A sitting is one program working on one project. What it keeps is its own: it never writes over,
and never takes away, what another sitting left behind.
"""

import datetime as dt
import hashlib
import json
import os
import secrets
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from wallum.document.project import Project
from wallum.document.storage import dump, parse
from wallum.errors import ProjectProblem, WallumError
from wallum.faults import said
from wallum.files import read_limited, write_whole
from wallum.limits import PROJECT_BYTES
from wallum.user_folders import state_folder

__all__ = ["Recovery", "RecoveryFile", "forget", "recoverable"]

UNSAVED: Final = ".unsaved"
UNTITLED: Final = "untitled"
# Longer names are kept short, and told apart by what they hash to.
LONGEST_NAME: Final = 160


@dataclass(frozen=True)
class Recovery:
    """Work found after a crash.

    path  : the file that holds it
    file  : the project it belongs to; None where that was never saved
    kept  : when it was kept last, local time
    edits : steps made since it was opened or saved
    """

    project: Project
    path: Path
    file: Path | None
    kept: dt.datetime
    edits: int

    @property
    def text(self) -> str:
        """What it is, as one line of a list."""
        level = Path(self.project.level).name.removeprefix("builtin:") or "no level"
        steps = f"{self.edits} edit{'s' if self.edits != 1 else ''}"
        return f"{self.project.name} on {level}, {self.kept:%d %B %H:%M}, {steps}"


def _stem(name: str) -> str:
    raw = os.fsencode(name)
    if len(raw) <= LONGEST_NAME:
        return name
    return f"{os.fsdecode(raw[:80])}-{hashlib.sha256(raw).hexdigest()[:16]}"


def _place(project_file: Path | None) -> tuple[Path, str]:
    """The folder of a project's unsaved work, and how the files' names begin."""
    if project_file is None:
        return state_folder() / "unsaved", f"{UNTITLED}."
    return project_file.parent, f".{_stem(project_file.name)}."


def _started(process: int) -> str:
    """When a process began; empty where it is gone. With it a number stands for one process only."""
    try:
        with open(f"/proc/{process}/stat", encoding="utf-8", errors="replace") as stream:
            return stream.read().rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""


@dataclass
class RecoveryFile:
    """One program's work on one project, and where that is kept while it is unsaved."""

    file: Path | None
    name: str = field(default_factory=lambda: secrets.token_hex(6))

    @property
    def path(self) -> Path:
        """The file that holds its unsaved work."""
        folder, start = _place(self.file)
        return folder / f"{start}{self.name}{UNSAVED}"

    def keep(self, project: Project, edits: int) -> None:
        """Keep unsaved work. Raises ProjectProblem where the disk refuses."""
        selected = {
            "file": str(self.file) if self.file else None,
            "kept": dt.datetime.now().isoformat(timespec="seconds"),
            "edits": edits,
            "process": os.getpid(),
            "started": _started(os.getpid()),
            "project": dump(project),
        }
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            write_whole(self.path, json.dumps(selected).encode())
        except OSError as error:
            raise ProjectProblem(f"unsaved work cannot be kept: {said(error)}", str(self.path)) from None

    def clear(self) -> None:
        """Forget what it kept: it was saved, or given up."""
        self.path.unlink(missing_ok=True)


def _read(path: Path, file: Path | None) -> tuple[Recovery, Any]:
    """What one file holds, and what it says of the process that wrote it. Raises for a broken one."""
    selected = json.loads(read_limited(path, 4 * PROJECT_BYTES, ProjectProblem))
    try:
        when = dt.datetime.fromisoformat(str(selected["kept"]))
    except (KeyError, ValueError):  # of a version that did not say
        when = dt.datetime.fromtimestamp(path.stat().st_mtime)
    project = parse(selected["project"], str(path))
    return Recovery(project, path, file, when, int(selected.get("edits", 0))), selected


def _lives(kept: Any) -> bool:
    """Whether the sitting that wrote it still goes on."""
    process = kept.get("process")
    return isinstance(process, int) and bool(_started(process)) and _started(process) == kept.get("started")


def _candidates(file: Path | None) -> Iterator[Path]:
    folder, start = _place(file)
    try:
        result = sorted(item for item in os.listdir(folder) if item.endswith(UNSAVED))
    except OSError:
        return
    yield from (folder / item for item in result if item.startswith(start))
    if file is None:  # where earlier versions kept it
        yield folder.parent / f"{UNTITLED}{UNSAVED}"


def recoverable(file: Path | None) -> list[Recovery]:
    """Unsaved work of sittings that are over, and that differs from the saved file; newest first.

    Broken files are no work; they stay where they are.
    """
    out = []
    try:
        saved = parse(read_limited(file, PROJECT_BYTES, ProjectProblem).decode()) if file else None
    except (WallumError, UnicodeDecodeError):
        saved = None
    for path in _candidates(file):
        try:
            result, selected = _read(path, file)
        except (WallumError, OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
            continue
        if not _lives(selected) and result.project != saved:
            out.append(result)
    return sorted(out, key=lambda item: item.kept, reverse=True)


def forget(found: Recovery) -> None:
    """What was found is not wanted, or was taken on."""
    found.path.unlink(missing_ok=True)
