"""What the desk remembers between two days: recent files, where the window stood, the first start."""

import base64
import json
import logging
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QByteArray

from wallum.faults import said
from wallum.files import write_whole
from wallum.user_folders import config_folder

__all__ = ["DeskSettings"]

log = logging.getLogger("wallum.settings")
MAX_RECENT = 8


def settings_file() -> Path:
    """Where it is kept."""
    return config_folder() / "desk.json"


class DeskSettings:
    """Settings of the desk: read at the start, written when something changes.

    A file that cannot be read is copied to `desk.unreadable.json` before it is written over, and `problem`
    holds one sentence about it. It is empty otherwise.
    """

    def __init__(self) -> None:
        self._values: dict[str, Any] = {}
        self.problem = ""
        file = settings_file()
        try:
            text = file.read_bytes()
        except FileNotFoundError:
            return
        except OSError as error:
            self.problem = (
                f"The desk's settings cannot be read ({said(error)}): {file}. The desk starts without."
            )
            return
        try:
            values = json.loads(text)
            if not isinstance(values, dict):
                raise ValueError("it is no JSON object")
            self._values = values
        except (ValueError, RecursionError) as error:
            self.problem = self._keep_copy(file, text, said(error))

    @staticmethod
    def _keep_copy(file: Path, data: bytes, reason: str) -> str:
        """Copy an unreadable file; returns the sentence that says so."""
        copy = file.with_name(f"{file.stem}.unreadable{file.suffix}")
        try:
            write_whole(copy, data)
            selected = f"A copy is kept as {copy}."
        except OSError as error:
            selected = f"No copy could be kept ({said(error)})."
        log.warning("unreadable settings: %s", reason)
        return f"The desk's settings were unreadable ({reason}) and start anew. {selected}"

    def _write(self) -> None:
        try:
            settings_file().parent.mkdir(parents=True, exist_ok=True)
            write_whole(settings_file(), json.dumps(self._values, indent=1).encode())
        except OSError as error:
            log.warning("the desk's settings could not be kept: %s", error)

    @property
    def recent(self) -> list[str]:
        """Files opened last, the newest first; those that are gone are left out."""
        result = self._values.get("recent", [])
        return [str(item) for item in result if Path(str(item)).exists()] if isinstance(result, list) else []

    def note_opened(self, reference: str) -> None:
        """A file was opened or saved."""
        path = str(Path(reference).resolve())
        self._values["recent"] = [path, *(item for item in self.recent if item != path)][:MAX_RECENT]
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
        selected = {name: base64.b64encode(bytes(state.data())).decode() for name, state in states.items()}
        self._values["window"] = selected
        self._write()
