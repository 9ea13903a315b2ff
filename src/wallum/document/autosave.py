"""Unsaved work, kept beside the project so that it survives a crash."""

import json
import os
from dataclasses import dataclass
from pathlib import Path

from wallum.document.project import Project
from wallum.document.storage import dump, parse, write_atomically
from wallum.errors import ProjectProblem

__all__ = ["Recovery", "autosave", "autosave_path", "clear", "recoverable"]

UNTITLED = "untitled"


@dataclass(frozen=True)
class Recovery:
    """Work found after a crash, and the file it belongs to (None: never saved)."""

    project: Project
    file: Path | None


def state_folder() -> Path:
    """Where projects that have no file yet keep their unsaved work."""
    base = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(base) / "wallum"


def autosave_path(project_file: Path | None) -> Path:
    """The file that holds unsaved work."""
    if project_file is None:
        return state_folder() / f"{UNTITLED}.unsaved"
    return project_file.with_name(f".{project_file.name}.unsaved")


def autosave(project: Project, project_file: Path | None) -> None:
    """Keep unsaved work. Raises ProjectProblem where the disk refuses."""
    path = autosave_path(project_file)
    kept = {"file": str(project_file) if project_file else None, "project": dump(project)}
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(path, json.dumps(kept).encode())
    except OSError as error:
        raise ProjectProblem(f"unsaved work cannot be kept: {error.strerror}", str(path)) from None


def recoverable(project_file: Path | None) -> Recovery | None:
    """Unsaved work that differs from the saved file, or None. Broken files are no work."""
    path = autosave_path(project_file)
    try:
        kept = json.loads(path.read_text(encoding="utf-8"))
        project = parse(kept["project"], str(path))
        if project_file is not None and parse(project_file.read_text("utf-8")) == project:
            return None
    except FileNotFoundError:
        return None
    except (OSError, ValueError, KeyError, TypeError):
        return None
    return Recovery(project, project_file)


def clear(project_file: Path | None) -> None:
    """Forget unsaved work: it was saved, or given up."""
    autosave_path(project_file).unlink(missing_ok=True)
