"""What the desk remembers between two days: recent files, where the window stood, the first start."""

import base64
import json
import logging
import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QByteArray

from wallum.files import write_whole

__all__ = ["DeskSettings"]

log = logging.getLogger("wallum.settings")
MOST_RECENT = 8


def settings_file() -> Path:
    """Where it is kept."""
    base = os.environ.get("XDG_CONFIG_HOME") or str(Path.home() / ".config")
    return Path(base) / "wallum" / "desk.json"


class DeskSettings:
    """Read once, written when something changes; a file that cannot be read counts as none."""

    def __init__(self) -> None:
        self._values: dict[str, Any] = {}
        try:
            read = json.loads(settings_file().read_text(encoding="utf-8"))
            self._values = read if isinstance(read, dict) else {}
        except (OSError, ValueError, RecursionError):
            pass

    def _write(self) -> None:
        try:
            settings_file().parent.mkdir(parents=True, exist_ok=True)
            write_whole(settings_file(), json.dumps(self._values, indent=1).encode())
        except OSError as error:
            log.warning("the desk's settings could not be kept: %s", error)

    @property
    def recent(self) -> list[str]:
        """Files opened last, the newest first; those that are gone are left out."""
        found = self._values.get("recent", [])
        return [str(one) for one in found if Path(str(one)).exists()] if isinstance(found, list) else []

    def note_opened(self, reference: str) -> None:
        """A file was opened or saved."""
        path = str(Path(reference).resolve())
        self._values["recent"] = [path, *(one for one in self.recent if one != path)][:MOST_RECENT]
        self._write()

    @property
    def started_before(self) -> bool:
        return bool(self._values.get("started"))

    def note_start(self) -> None:
        """The first start is over."""
        if not self.started_before:
            self._values["started"] = True
            self._write()

    def window_state(self, name: str) -> bytes | None:
        """How a window or a part of it stood."""
        try:
            return base64.b64decode(str(self._values["window"][name]), validate=True)
        except (KeyError, TypeError, ValueError):
            return None

    def keep_window_states(self, states: Mapping[str, QByteArray]) -> None:
        """Remember how the window stands."""
        kept = {name: base64.b64encode(bytes(state.data())).decode() for name, state in states.items()}
        self._values["window"] = kept
        self._write()
