"""The Day bench: lanes in the place of the balance, whole days, the contact sheet."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFileDialog,
    QLabel,
    QMenu,
    QSizePolicy,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from wallum.desk.session.session import Session
from wallum.desk.timeline.bench import headed
from wallum.desk.timeline.hour_sheet import HourSheet
from wallum.desk.timeline.lanes_view import LanesView
from wallum.desk.widgets.buttons import text_button
from wallum.desk.widgets.sheet import Line, Sheet
from wallum.document.day_plans import (
    DAY_SUFFIX,
    PARTS,
    DayPlan,
    applied_day,
    day_of_project,
    load_day,
    save_day,
)
from wallum.document.fields import declared
from wallum.document.lanes import PegTime
from wallum.document.own_days import own_days
from wallum.document.owners import PEGGED, title_of
from wallum.errors import ProjectProblem, WallumError
from wallum.moment.moment import Moment
from wallum.moment.picture_sun import picture_to_sun, sun_to_picture

__all__ = ["BENCHES", "DayBench"]

BENCHES = ("Compose", "Day")
LANES_PX = 250


class _Pages(QStackedWidget):
    """As high as the page that is shown wants to be."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)

    def sizeHint(self) -> QSize:
        page = self.currentWidget()
        return page.sizeHint() if page is not None else super().sizeHint()

    def minimumSizeHint(self) -> QSize:
        page = self.currentWidget()
        return page.minimumSizeHint() if page is not None else super().minimumSizeHint()


class DayBench(QObject):
    """`pages` stands under the picture: what the Compose bench has there, or the lanes."""

    changed = pyqtSignal(str)

    def __init__(self, session: Session, sheet: Sheet, picture: QWidget, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._sheet, self._parent = session, sheet, parent
        self.lanes = LanesView(session)
        self.hours = HourSheet(session, picture)
        self.pages = _Pages()
        self._days: list[DayPlan] = []
        self.chosen_shots: Callable[[], tuple[str, ...]] = tuple

    def arrange(self, order: QWidget, balance: QWidget) -> QWidget:
        """The pages: the balance with its heading, and the lanes with theirs."""
        compose = _column(order, balance)
        page = _column(self._heading(), self.lanes)
        page.setFixedHeight(LANES_PX)
        self.pages.addWidget(compose)
        self.pages.addWidget(page)
        return self.pages

    def _heading(self) -> QWidget:
        bar = headed("Day")
        row = bar.layout()
        assert row is not None
        self._add = QToolButton()
        self._add.setText("Add a lane")
        self._add.setToolTip(
            "Let a value change through the day: of what is selected, of the picture or the air"
        )
        self._add.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._add.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self._add)
        menu.aboutToShow.connect(lambda: self.fill_menu(menu))
        self._add.setMenu(menu)
        hint = QLabel("double click: a peg;  right click: more of it")
        hint.setObjectName("quiet")
        hint.setMinimumWidth(0)
        hint.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)
        row.addWidget(hint)
        row.addWidget(self._add)
        row.addWidget(text_button("Whole days", "Days to begin from, and days kept as files", self.list_days))
        row.addWidget(
            text_button("Keep this day", "Keep sun, moon, sky, air and picture as a file", self.keep_day)
        )
        row.addWidget(
            text_button("By hours", "The shot at every hour, in the place of the picture", self.by_hours)
        )
        return bar

    # -- benches -----------------------------------------------------------------------

    @property
    def shown(self) -> str:
        """The bench that is shown."""
        return BENCHES[self.pages.currentIndex()]

    def show_bench(self, name: str) -> None:
        """Show a bench."""
        self.pages.setCurrentIndex(BENCHES.index(name))
        self.pages.updateGeometry()
        self.changed.emit(name)

    def swap(self) -> None:
        """Show the other bench."""
        self.show_bench(BENCHES[1 - self.pages.currentIndex()])

    # -- lanes -------------------------------------------------------------------------

    def fill_menu(self, menu: QMenu) -> None:
        """Values that can get a lane: of the selected source or of all from outside, by heading."""
        menu.clear()
        project, selected = self._session.project, self._session.selection.source
        owners: list[tuple[str, str, str]] = [(entry, entry, title_of(entry)) for entry in PEGGED]
        sources = [selected] if selected is not None else [
            source for source in project.resolved_sources if source.kind in ("sun", "moon", "sky")
        ]  # fmt: skip
        owners = [(source.id, f"sources/@{source.id}", source.name) for source in sources] + owners
        for owner, head, title in owners:
            item = project.owner(owner)
            sub = menu.addMenu(title)
            assert sub is not None
            if item is None:
                continue
            by_heading: dict[str, QMenu] = {"": sub}
            for name, info in declared(item).items():
                if (
                    name in item.inactive()
                    or project.lane(owner, name) is not None
                    or info.heading == "Description"
                ):
                    continue
                place = by_heading.get(info.heading)
                if place is None:
                    place = by_heading[info.heading] = sub.addMenu(info.heading)  # type: ignore[assignment]
                assert place is not None
                action = place.addAction(info.label)
                assert action is not None
                label = f"{title}, {info.label.lower()}"
                action.triggered.connect(
                    lambda _, path=f"{head}/{name}", label=label: self.add_lane(path, label)
                )

    def add_lane(self, path: str, label: str) -> None:
        """Let a value change through the day: its first peg stands at this hour."""
        self._session.peg(
            f"{label}, lane", path, PegTime(hours=round(self._session.playhead.hour * 12.0) / 12.0 % 24.0)
        )

    # -- whole days --------------------------------------------------------------------

    def list_days(self) -> None:
        """Days to apply, in part; one tick for the day, and one for each part."""
        self._days = list(own_days())
        lines = [Line("Which day", heading=True)]
        lines += [Line(day.name, day.note, f"day {i}", ticked=False) for i, day in enumerate(self._days)]
        lines += [Line("Which parts of it", heading=True)]
        lines += [Line(word, "", f"part {part}", ticked=True) for part, word in PARTS.items()]
        buttons = (("Apply what is ticked", self.apply_ticked), ("From a file", self.ask_day))
        self._sheet.open("Whole days", lines, buttons)

    def _parts(self) -> tuple[str, ...]:
        return tuple(key.removeprefix("part ") for key in self._sheet.ticked() if key.startswith("part "))

    def apply_ticked(self) -> None:
        """Apply the ticked day, in its ticked parts."""
        days = [int(key.removeprefix("day ")) for key in self._sheet.ticked() if key.startswith("day ")]
        if len(days) != 1:
            self._session.failed.emit("Tick one day, and the parts of it that are wanted")
            return
        self.apply(self._days[days[0]], self._parts())

    def apply(self, day: DayPlan, parts: tuple[str, ...]) -> None:
        """Apply parts of a day, as one step."""
        if parts:
            self._session.history.edit(
                f"day: {day.name}", applied_day(self._session.history.present, day, parts)
            )

    def ask_day(self) -> None:
        """Choose a day's file and apply it in the ticked parts."""
        parts = self._parts()
        name, _ = QFileDialog.getOpenFileName(self._parent, "A day", "", f"Days (*{DAY_SUFFIX})")
        if name:
            self.apply_file(Path(name), parts)

    def apply_file(self, path: Path, parts: tuple[str, ...] = tuple(PARTS)) -> bool:
        """Apply parts of a day's file; False where it was refused, and said why."""
        try:
            day = load_day(path)
        except ProjectProblem as error:
            self._session.failed.emit(str(error))
            return False
        self.apply(day, parts)
        return True

    def keep_day(self) -> None:
        """Ask for a file to keep this day in."""
        name, _ = QFileDialog.getSaveFileName(
            self._parent, "Keep this day", f"day{DAY_SUFFIX}", f"Days (*{DAY_SUFFIX})"
        )
        if name:
            self.keep_in(Path(name))

    def keep_in(self, path: Path) -> bool:
        """Keep this day in a file; False where that was refused, and said why."""
        path = path if path.suffix == DAY_SUFFIX else path.with_name(path.name + DAY_SUFFIX)
        try:
            save_day(day_of_project(self._session.project, path.stem), path)
        except ProjectProblem as error:
            self._session.failed.emit(str(error))
            return False
        self._session.told.emit(f"Kept {path.name}")
        return True

    # -- the sky's picture -------------------------------------------------------------

    def sun_to_picture(self) -> None:
        """Stand the sun where the sky's picture has its own, which is taken out of it."""
        self._together("sun to the sky's picture", lambda: sun_to_picture(self._session.now))

    def picture_to_sun(self) -> None:
        """Turn the sky's picture so that its sun is under ours."""
        hour = self._session.playhead.hour
        self._together("sky's picture to the sun", lambda: picture_to_sun(self._session.now, Moment(hour)))

    def ground_from_level(self) -> None:
        """Let far ground send back as much, and in the hue, as the level's floors do."""
        sky = next(
            (source for source in self._session.project.resolved_sources if source.kind == "sky"), None
        )
        if self._session.level is None or sky is None:
            self._session.failed.emit("There is no level, or no sky, to take the ground's colour for")
            return
        self._together("ground as the level", lambda: {f"sources/@{sky.id}/ground_by": "the level"})

    def _together(self, label: str, values: Callable[[], dict[str, Any]]) -> None:
        try:
            self._session.set_all(label, values())
        except WallumError as error:
            self._session.failed.emit(str(error))

    # -- the contact sheet -------------------------------------------------------------

    def by_hours(self) -> None:
        """Show the shots that are chosen in the list by hours, or the picture again."""
        if self.hours.isVisible():
            self.hours.hide()
            return
        self.hours.open(self.chosen_shots())


def _column(*widgets: QWidget) -> QWidget:
    holder = QWidget()
    holder.setObjectName("pane")
    layout = QVBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    for number, widget in enumerate(widgets):
        layout.addWidget(widget, int(number == len(widgets) - 1))
    return holder
