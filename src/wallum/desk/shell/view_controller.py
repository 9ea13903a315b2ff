"""Which view of the picture is shown, and how all that the picture area can show gives way to each other."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject, QSignalBlocker
from PyQt6.QtWidgets import QComboBox, QLabel

from wallum.desk.panes.balance import BalanceView
from wallum.desk.session.session import Session
from wallum.desk.viewport.frame_scheduler import FrameScheduler
from wallum.desk.viewport.picture_grid import PictureGrid
from wallum.desk.viewport.shaft_comparison import ThreeWays
from wallum.desk.viewport.truth import RAW_TRUTH, TRUTHS, Truth
from wallum.desk.viewport.view import PictureView
from wallum.desk.viewport.view_state import ViewState
from wallum.desk.viewport.walker import Walker
from wallum.desk.viewport.wipe import Wipe
from wallum.desk.viewport.zone_view import ZONES, ZoneView
from wallum.frame.views import VIEWS

__all__ = ["CHOICES", "ONE_SOURCE", "ViewController"]

ONE_SOURCE = "one source"
# What the list of views offers.
CHOICES = (*VIEWS, ZONES, ONE_SOURCE, *TRUTHS)


class ViewController(QObject):
    """The list of views, the source that is seen alone, and the way back from each."""

    def __init__(
        self,
        session: Session,
        picture: PictureView,
        state: ViewState,
        balance: BalanceView,
        truth: Truth,
        asking: FrameScheduler,
        choice: QComboBox,
        told: QLabel,
    ) -> None:
        super().__init__()
        self._session, self._picture, self._state = session, picture, state
        self._balance, self._truth, self._frame_scheduler = balance, truth, asking
        self._choice, self._told = choice, told
        self.zones = ZoneView(session, picture)
        balance.only_changed.connect(self._only_changed)
        choice.currentTextChanged.connect(self._view_changed)
        state.way_out("alone", partial(balance.see_only, ""))
        state.way_out("truth", self._end_truth)

    def lead(self, wipe: Wipe, ways: ThreeWays, walker: Walker, grids: dict[str, PictureGrid]) -> None:
        """Let these give way to each other, and to what the list of views shows."""
        tell: Callable[..., None] = self._state.tell
        wipe.began.connect(lambda: tell("wipe", bool(wipe.against)))
        ways.began.connect(lambda: tell("ways", ways.shown))
        self._state.way_out("ways", ways.end)
        walker.changed.connect(partial(tell, "walk"))
        self._state.way_out("wipe", partial(wipe.begin, ""))
        self._state.way_out("walk", walker.stop)
        for kind, grid in grids.items():
            grid.opened.connect(partial(tell, kind, True))
            grid.closed.connect(partial(tell, kind, False))
            self._state.way_out(kind, grid.hide)

    def plain(self) -> None:
        """The picture as it is seen, with every source."""
        self._balance.see_only("")
        self._choice.setCurrentIndex(0)

    def next(self) -> None:
        """The next view of the list."""
        self._choice.setCurrentIndex((self._choice.currentIndex() + 1) % self._choice.count())

    def _only_changed(self, source_id: str) -> None:
        self._frame_scheduler.only = source_id
        if source_id:
            self._end_truth()
        elif self._choice.currentText() == ONE_SOURCE:
            self._say("final")
        source = self._session.project.source(source_id)
        self._told.setText(f"{source.name} alone" if source is not None else "")
        self._state.tell("alone", source is not None)
        self._frame_scheduler.ask()

    def _say(self, view: str) -> None:
        """Let the list show a view that came otherwise."""
        with QSignalBlocker(self._choice):
            self._choice.setCurrentText(view)
        self._picture.view = view

    def _end_truth(self) -> None:
        if self._choice.currentText() in TRUTHS:
            self._say("final")
            self._truth.show(False)
            self._state.tell("truth", False)

    def _view_changed(self, view: str) -> None:
        self._picture.view = view if view in VIEWS else "final"
        if view == ONE_SOURCE and not self._balance.only:
            self._balance.see_only(self._session.selection.lead)
        elif view != ONE_SOURCE and self._balance.only:
            self._balance.see_only("")
        self.zones.show(view == ZONES)
        traced = self._truth.show(view in TRUTHS, view == RAW_TRUTH)
        self._state.tell("truth", view in TRUTHS)
        self._picture.update()
        if not traced:  # with its noise or without, it is of the same paths
            self._frame_scheduler.ask()
