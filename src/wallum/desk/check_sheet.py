"""Findings on the desk: worked out behind the window, listed, each remedy one press away."""

import logging
import os
import threading

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from wallum.desk.loading import LoadedLevel
from wallum.desk.session import Session
from wallum.desk.sheet import Line, Sheet
from wallum.document.project import Project
from wallum.errors import WallumError
from wallum.judge.checks import Checked, check
from wallum.judge.device import load_profile
from wallum.judge.findings import Finding

__all__ = ["CheckSheet"]

log = logging.getLogger("wallum.checks")
LOW_PRIORITY = 10


class _CheckThread(QThread):
    found = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, project: Project, loaded: LoadedLevel, parent: QObject) -> None:
        super().__init__(parent)
        self._project, self._loaded = project, loaded
        self._given_up = threading.Event()

    def give_up(self) -> None:
        self._given_up.set()

    def run(self) -> None:
        # On Linux a thread has a priority of its own.
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), LOW_PRIORITY)
        loaded = self._loaded
        try:
            profile = load_profile(self._project.target.profile)
            scene = (self._project, loaded.level, loaded.rays, loaded.boxes)
            self.found.emit(check(Checked(*scene, profile, lambda: not self._given_up.is_set())))
        except WallumError as error:
            self.failed.emit(str(error))
        except Exception:
            log.exception("checking failed")
            self.failed.emit("The checks could not be made: a fault of Wallum's, see the log")


class CheckSheet(QObject):
    """Ticked remedies are applied together, as one step of undo."""

    def __init__(self, session: Session, sheet: Sheet, parent: QObject) -> None:
        super().__init__(parent)
        self._session, self._sheet = session, sheet
        self._thread: _CheckThread | None = None
        self.findings: list[Finding] = []

    def begin(self) -> None:
        """Check the project as it is now."""
        loaded = self._session.level
        if loaded is None or self._thread is not None:
            return
        self._session.told.emit("Checking every shot at four hours ...")
        self._thread = _CheckThread(self._session.history.present, loaded, self)
        self._thread.found.connect(self._show)
        self._thread.failed.connect(self._failed)
        self._thread.start()

    def _end(self) -> bool:
        thread, self._thread = self._thread, None
        if thread is not None:
            thread.give_up()
            thread.wait()
        return thread is not None

    def _failed(self, text: str) -> None:
        if self._end():
            self._session.failed.emit(text)

    def _show(self, findings: list[Finding]) -> None:
        if not self._end():
            return
        self.findings = findings
        self._session.told.emit(f"{len(findings)} findings" if findings else "Nothing was found")
        lines = []
        for number, one in enumerate(findings):
            ticked = False if one.remedy is not None and one.remedy.values else None
            help_text = f"{one.remedy.text}" if one.remedy is not None else ""
            lines.append(Line(f"{one.grade}: {one.text}", help_text, str(number), ticked))
        buttons = [("Apply what is ticked", self._apply)] if any(one.ticked is False for one in lines) else []
        self._sheet.open("Findings", lines or [Line("Nothing was found: all is well")], buttons)

    def _apply(self) -> None:
        chosen = [self.findings[int(key)] for key in self._sheet.ticked()]
        remedies = [one.remedy for one in chosen if one.remedy is not None]
        if remedies:
            label = remedies[0].text if len(remedies) == 1 else f"{len(remedies)} remedies"
            self._session.apply(label, remedies)

    def dispose(self) -> None:
        """Stop what still checks."""
        self._end()
