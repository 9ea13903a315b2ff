"""Findings on the desk: worked out behind the window, listed, each remedy one press away."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.jobs.work_thread import ThreadGroup, WorkThread
from wallum.desk.session.session import Session
from wallum.desk.viewport.view import PictureView
from wallum.desk.widgets.sheet import Line, Sheet
from wallum.document.project import Project
from wallum.judge.banding import BandingPicture
from wallum.judge.checks import CheckSubject, check
from wallum.judge.device import load_profile
from wallum.judge.findings import Finding
from wallum.moment.evaluate import evaluate
from wallum.transport.field.baked_light import BakedLight
from wallum.transport.field.bounce import BounceField

__all__ = ["CheckSheet"]


class _CheckThread(WorkThread):
    found = pyqtSignal(object)
    doing = "checking"
    behind = True

    def __init__(
        self, project: Project, loaded: LoadedLevel, pictures: list[BandingPicture],
        bounce: BounceField | None, baked: tuple[BakedLight | None, bool],
    ) -> None:  # fmt: skip
        super().__init__()
        self._project, self._loaded, self._pictures = project, loaded, pictures
        self._bounce, self._baked = bounce, baked

    def work(self) -> None:
        loaded = self._loaded
        profile = load_profile(self._project.target.profile)
        scene = (self._project, loaded.level, loaded.rays, loaded.boxes)
        asked = (lambda: not self.given_up, lambda: self._pictures, lambda: self._bounce, lambda: self._baked)
        self.found.emit(check(CheckSubject(*scene, profile, *asked)))


class CheckSheet(QObject):
    """Ticked remedies are applied together, as one step of undo."""

    def __init__(self, session: Session, sheet: Sheet, picture: PictureView, parent: QObject) -> None:
        super().__init__(parent)
        self._session, self._sheet, self._picture = session, sheet, picture
        self._crew = ThreadGroup(self)
        self._thread: _CheckThread | None = None
        self.findings: list[Finding] = []
        # Light from surfaces of the level that is shown, as far as it is known.
        self.bounce: Callable[[], BounceField | None] = lambda: None
        # What was baked of it, and whether it was as it is.
        self.baked: Callable[[], tuple[BakedLight | None, bool]] = lambda: (None, False)

    def begin(self) -> None:
        """Check the project as it is now."""
        loaded = self._session.level
        if loaded is None or self._thread is not None:
            return
        if not loaded.whole:
            self._session.told.emit("The level is still being made ready: check it in a moment")
            return
        self._session.told.emit("Checking every shot at four hours ...")
        present, known = self._session.history.present, (self.bounce(), self.baked())
        self._thread = _CheckThread(present, loaded, self._shown(), *known)
        self._thread.found.connect(self._show)
        self._thread.failed.connect(self._failed)
        self._crew.start(self._thread)

    def _shown(self) -> list[BandingPicture]:
        """The picture that is shown now, where it is one as it is seen."""
        rgb = self._picture.shown_rgb()
        if rgb is None or self._picture.view != "final":
            return []
        moment, project = self._session.playhead.moment, self._session.history.present
        camera = self._picture.camera_as_shown
        return [BandingPicture("the picture", rgb, camera, moment, evaluate(project, moment, camera.eye))]

    def _end(self) -> bool:
        thread, self._thread = self._thread, None
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
        for number, finding in enumerate(findings):
            ticked = False if finding.remedy is not None and finding.remedy.values else None
            help_text = f"{finding.remedy.text}" if finding.remedy is not None else ""
            lines.append(Line(f"{finding.grade}: {finding.text}", help_text, str(number), ticked))
        buttons = (
            [("Apply what is ticked", self._apply)] if any(line.ticked is False for line in lines) else []
        )
        self._sheet.open("Findings", lines or [Line("Nothing was found: all is well")], buttons)

    def _apply(self) -> None:
        chosen = [self.findings[int(key)] for key in self._sheet.ticked()]
        remedies = [item.remedy for item in chosen if item.remedy is not None]
        if remedies:
            label = remedies[0].text if len(remedies) == 1 else f"{len(remedies)} remedies"
            self._session.apply(label, remedies)

    def dispose(self) -> None:
        """Stop what still checks."""
        self._end()
        self._crew.wait()
