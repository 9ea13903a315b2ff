"""The window: its panes, and the plumbing from the project to the picture."""

from pathlib import Path

from PyQt6.QtCore import QByteArray, Qt
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QImage
from PyQt6.QtWidgets import QLabel, QMainWindow

from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.jobs.render_link import RenderLink
from wallum.desk.panes.balance import BalanceView
from wallum.desk.panes.check_sheet import CheckSheet
from wallum.desk.panes.cost_bar import CostBar
from wallum.desk.panes.lists import SourceList
from wallum.desk.panes.meter_field import MeterField
from wallum.desk.panes.shots import ShotList
from wallum.desk.panes.strip_sheet import StripSheet
from wallum.desk.panes.tune import TunePane
from wallum.desk.panes.variant_bar import VariantBar
from wallum.desk.session.background import Background
from wallum.desk.session.exposure_follower import ExposureFollower
from wallum.desk.session.files import ProjectFiles
from wallum.desk.session.fit_menu import FitMenu
from wallum.desk.session.giving_way import give_way
from wallum.desk.session.light_baking import LightBaking
from wallum.desk.session.offers import ProjectOffers
from wallum.desk.session.playback import Playback
from wallum.desk.session.receiving import Received, Receiver, report_lines
from wallum.desk.session.session import Session
from wallum.desk.shell.actions import BAR_FILES, BAR_TOOLS, command_menu, key_lines, make_actions, silence
from wallum.desk.shell.comparison import PICTURE_SUFFIXES, ComparisonController
from wallum.desk.shell.first_path import FirstPath
from wallum.desk.shell.look_desk import LookDesk
from wallum.desk.shell.recent import RecentMenu, dropped_file
from wallum.desk.shell.settings import DeskSettings
from wallum.desk.shell.source_tools import SourceTools
from wallum.desk.shell.view_controller import CHOICES, ViewController
from wallum.desk.timeline.bench import choice_box, compose_bench, headed, order_bar, status_row, top_bar
from wallum.desk.timeline.day_bar import DayBar
from wallum.desk.timeline.day_bench import DayBench
from wallum.desk.viewport.at_rest import AtRest
from wallum.desk.viewport.base_mark import BaseMark
from wallum.desk.viewport.frame_scheduler import FrameScheduler
from wallum.desk.viewport.indirect_updates import Indirect
from wallum.desk.viewport.picture_tools import PictureTools
from wallum.desk.viewport.pointer_tools import PointerTools
from wallum.desk.viewport.pool_lines import PoolLines
from wallum.desk.viewport.shadow_tool import ShadowTool
from wallum.desk.viewport.shot_navigation import ShotNavigation
from wallum.desk.viewport.shot_wall import ShotWall
from wallum.desk.viewport.truth import Truth
from wallum.desk.viewport.view import PictureView
from wallum.desk.viewport.view_state import ViewState
from wallum.desk.viewport.walker import Walker
from wallum.desk.viewport.wipe import Wipe
from wallum.desk.widgets.bar import Bar, Offers
from wallum.desk.widgets.sheet import Sheet
from wallum.desk.widgets.still_label import StillLabel
from wallum.moment.camera import Camera
from wallum.realtime.process.request import Frame

__all__ = ["DeskWindow"]

NAME_PX, STATE_PX = 104, 400


class DeskWindow(QMainWindow):
    """One project on the desk."""

    def __init__(self, session: Session | None = None) -> None:
        super().__init__()
        self.session = session or Session()
        # The picture is asked for before anything else shows the change.
        self.session.changed.connect(self._project_changed)
        self.link = RenderLink(self)
        self.link.start()  # it is ready by the time the window is
        self.picture = PictureView(self.session)
        self.sources = SourceList(self.session)
        self.shots = ShotList(self.session)
        self.tune = TunePane(self.session)
        self.bar, self.offers = Bar(), Offers()
        self.files = ProjectFiles(self.session, self)
        self.playback = Playback(self.session, self)
        self.day = DayBar(self.session, self.playback)
        self.background = Background(self.session, self)
        self.exposure_follower = ExposureFollower()
        self.frame_scheduler = FrameScheduler(
            self.session, self.link, self.picture, self.playback, self.exposure_follower
        )
        self.indirect = Indirect(self.background, self.link, self.frame_scheduler, self.ask_picture)
        self.baking = LightBaking(self.session, self.background, self.link, self.ask_picture)
        self.tune.lead_baking(self.baking)
        self.balance = BalanceView(self.session)
        self.cost = CostBar(self.session)
        self.tools = PictureTools(self.session, self.picture)
        self.shadow = ShadowTool(self.session, self.picture)
        self.reading = MeterField(self.session, self.tools)
        self.variants = VariantBar(self.session)
        tip = "What the picture shows: light, surfaces, stops (V: the next)"
        self.views = choice_box(CHOICES, "View", tip)
        self.chosen = SourceTools(self.session, self.picture, self.balance)
        self.pointer = PointerTools(self.session, self.picture)
        self.settings = DeskSettings()
        self.sheet = Sheet(self.picture)
        self.checks = CheckSheet(self.session, self.sheet, self.picture, self)
        self.variants.sheet = self.sheet
        self.strip = StripSheet(self.session, self.sheet, self.balance)
        self._make_rest()
        self._oldest = 0  # number of the first picture of this level
        self._shown: Frame | None = None
        self._state, self._told = StillLabel(wide=STATE_PX, right=True), StillLabel()
        self._make_actions()
        self._arrange()
        self._connect()
        self._restore()
        self._refresh_title()
        if self.settings.problem:
            self.bar.tell(self.settings.problem)

    def _make_rest(self) -> None:
        """What stands in the place of the picture, and what goes on beside it."""
        self.truth = Truth(self.session, self.picture)
        self.wipe = Wipe(self.session, self.picture)
        self.wall = ShotWall(self.session, self.picture)
        self.receiver = Receiver(self.session, self)
        self.project_offers = ProjectOffers(self.session, self.files, self.receiver, self.offers, self.sheet)
        self.path = FirstPath(self.session, self.picture, self.settings.note_start)
        self.state = ViewState()
        self.shot_navigation = ShotNavigation(self.session, self.picture, self.wall, self.state)
        self.walker = Walker(self.session, self.shot_navigation)
        self.comparison = ComparisonController(
            self.session, self.picture, self.wipe, self.variants, self.pointer, self
        )
        self.recent = RecentMenu(self.settings, self._open_file, self)
        self.pool = PoolLines(self.session, self.picture)
        self.base_mark = BaseMark(self.session, self.picture, lambda: self.tune.air_layer)
        self.bench = DayBench(self.session, self.sheet, self.picture, self)
        self.at_rest = AtRest(self.session, self.link, self.picture, self.playback)
        self.look = LookDesk(self.session, self.picture, self.tune, self.frame_scheduler, self.link, self)
        self._alone = QLabel()
        self.view_controller = ViewController(
            self.session,
            self.picture,
            self.state,
            self.balance,
            self.truth,
            self.frame_scheduler,
            self.views,
            self._alone,
        )

    # -- arrangement -------------------------------------------------------------------

    def _make_actions(self) -> None:
        tools, sources, pointer, at = self.tools, self.chosen, self.pointer, self.pointer.at_pointer
        self.act = make_actions(
            self,
            {
                "open": self.files.ask_open,
                "save": self.save,
                "save_as": self.files.ask_save,
                "undo": self.session.undo,
                "redo": self.session.redo,
                **pointer.commands,
                **self.comparison.commands,
                **self.look.commands,
                "aim": lambda: at(tools.aim),
                "kick": lambda: at(tools.kick),
                "pull": self._pull_mode,
                "align": tools.align,
                "meter": lambda: at(tools.meter),
                "select_all": sources.select_all,
                "duplicate": sources.duplicate,
                "only": sources.see_only,
                "hide": sources.toggle_hidden,
                "lock": sources.toggle_locked,
                "remove": self.session.remove_selected,
                "hero": pointer.mark_hero,
                "follow": pointer.let_follow,
                "body": pointer.make_body,
                "uncast": pointer.cast_nothing,
                "water": pointer.make_water,
                "ignore": pointer.leave_out,
                "shot": self._keep_shot,
                "frame": self.shot_navigation.frame_selected,
                "view": self.view_controller.next,
                "play": self.playback.toggle,
                "flip": self.variants.flip,
                "wall": self.shot_navigation.swap_wall,
                "bench": self.bench.swap,
                "hours": self.bench.by_hours,
                "walk": self.walker.toggle,
                "frame_lines": self._frame_lines,
                "sun_there": self.bench.sun_to_picture,
                "sky_there": self.bench.picture_to_sun,
                "ground_there": self.bench.ground_from_level,
                "strip": self.strip.open,
                "check": self.checks.begin,
                "bake": self.baking.begin,
                "receive": self.receiver.receive,
                "receive_from": self.receiver.choose,
                "keys": lambda: self.sheet.open("Every key", key_lines(), columns=3),
                "path": self.path.begin,
            },
        )

    def _arrange(self) -> None:
        self._name = QLabel()
        files, tools = ([self.act[name] for name in names] for names in (BAR_FILES, BAR_TOOLS))
        menu = command_menu(self, self.act)
        menu.insertMenu(self.act["save"], self.recent)
        menu.insertMenu(self.act["receive"], FitMenu(self.session, menu))
        whole, self.panes = compose_bench(
            top_bar(self._name, tools, (self.reading, self.views), files, menu),
            self.day,
            (headed("Shots"), self.shots, headed("Sources"), self.sources),
            (
                self.offers,
                self.bar,
                self.picture,
                self.bench.arrange(order_bar(self._alone, self.balance.sort_by, self.variants), self.balance),
            ),
            self.tune,
            status_row(self._told, self.cost, self._state),
        )
        self.setCentralWidget(whole)
        self.setAcceptDrops(True)

    def _restore(self) -> None:
        """Stand as the window stood last."""
        geometry, panes = self.settings.window_state("window"), self.settings.window_state("panes")
        if geometry is None or not self.restoreGeometry(QByteArray(geometry)):
            self.resize(1280, 800)
        if panes is not None:
            self.panes.restoreState(QByteArray(panes))

    def _connect(self) -> None:
        self.session.told.connect(self._told.setText)
        self.session.playhead.moved.connect(self._hour_changed)
        self.day.ribbon.dragged.connect(self._scrub)
        self.day.ribbon.released.connect(self._scrubbed)
        self.day.place_asked.connect(lambda: self.tune.show_group("setting"))
        self.playback.state_changed.connect(self.ask_picture)
        self.at_rest.worked_out.connect(self.balance.show_given)
        self.at_rest.pool_found.connect(self.pool.take)
        for shown in (self.cost.show_cost, self.balance.show_cost):
            self.at_rest.cost_found.connect(shown)
        for refused in (self.cost.show_refused, self.balance.forget_cost):
            self.at_rest.cost_refused.connect(refused)
        self.background.repacked.connect(self._level_repacked)
        self.indirect.told.connect(self._state.setText)
        self.baking.changed.connect(self._tell_state)
        self.session.failed.connect(lambda text: self.bar.tell(text))
        self.picture.camera_moved.connect(self._camera_moved)
        self.picture.resized.connect(self.ask_picture)
        self.picture.picked.connect(self.pointer.name_part)
        self.shots.chosen.connect(self.shot_navigation.peek)
        self.shots.stayed.connect(self.shot_navigation.look_through)
        self.shots.left.connect(self.shot_navigation.go_back)
        self._connect_other_pictures()
        self.bench.chosen_shots = self.shots.chosen_ids
        self.bench.hours.chosen.connect(self._go_to)
        self.day.bench_asked.connect(self.bench.show_bench)
        self.bench.changed.connect(self.day.show_bench)
        self.shot_navigation.left.connect(self.view_controller.plain)
        self.receiver.arriving.connect(self.files.level_is)
        self.receiver.received.connect(self._level_received)
        self.receiver.failed.connect(lambda text: self.bar.tell(text))
        self.files.opened.connect(self.recent.note)
        self.sources.frame_asked.connect(lambda _: self.shot_navigation.frame_selected())
        give_way(self.session, self.files, self.link, (self.background, self.at_rest))
        self.files.level_opening.connect(self._level_opening)
        self.files.level_ready.connect(self._level_loaded)
        self.files.level_whole.connect(self.background.level_loaded)
        self.files.level_failed.connect(self._level_failed)
        self.project_offers.recovered.connect(self._look_from_viewpoint)
        self.link.frame_came.connect(self._show_frame)
        self.link.compiled.connect(self.tune.build_ahead)
        self.frame_scheduler.asked.connect(self._picture_asked)
        self.link.status_came.connect(lambda text: self.bar.tell(text))

    def _connect_other_pictures(self) -> None:
        """What stands beside the picture, or in its place, and asks for pictures of its own."""
        shafts, around = self.comparison.ways, self.comparison.around
        for taker in (
            self.shots.show_picture,
            self.wall.take_picture,
            self.wipe.take_picture,
            shafts.take_picture,
            around.take_picture,
            self.bench.hours.take_picture,
        ):
            self.link.thumb_came.connect(taker)
        for asks in (self.at_rest, self.checks, self.truth, self.tools, around):
            asks.bounce = lambda: self.background.bounce
        self.checks.baked = lambda: (self.baking.baked, self.baking.fits)
        grids = {"wall": self.wall, "hours": self.bench.hours, "around": around}
        self.at_rest.more += [self.wipe.wanted, shafts.wanted, *(grid.wanted for grid in grids.values())]
        self.wipe.began.connect(self.at_rest.asked)
        shafts.began.connect(self.at_rest.asked)
        self.view_controller.lead(self.wipe, shafts, self.walker, grids)
        for grid in grids.values():
            grid.opened.connect(self.at_rest.asked)

    # -- projects and levels -----------------------------------------------------------

    def open_reference(self, reference: str) -> bool:
        """Open a project file, a level file or a demo; False where it was refused."""
        if not reference:
            self.picture.show_note("Open a level (.glb, .gltf) or a project to begin: Ctrl+O")
        return self.files.open_reference(reference)

    def save(self) -> bool:
        """Save, asking for a name where there is none."""
        return self.files.save()

    def save_to(self, file: Path) -> bool:
        """Save to a file; False where it was refused."""
        return self.files.save_to(file)

    def _look_from_viewpoint(self) -> None:
        viewpoint = self.session.project.viewpoint
        if viewpoint is not None:
            self.shot_navigation.look_from(Camera.of_shot(viewpoint, 1.0))

    def _level_opening(self, name: str) -> None:
        if not self.link.client.running:
            self.link.start()  # it was given up
        if self.session.level is None:
            self.picture.release_image()
            self.picture.show_note("Opening the level ...")
        self._told.setText(f"Opening {name or 'an empty level'} ...")

    def _level_failed(self, text: str) -> None:
        if self.session.level is None:
            self.picture.show_note("No level to show")
        self._told.setText("")
        self.bar.tell(f"The level could not be opened. {text}")

    def _level_loaded(self, loaded: LoadedLevel) -> None:
        self.picture.release_image()
        self._oldest = self.link.client.latest_number + 1
        self.link.set_level(loaded.block)
        self.exposure_follower.forget()
        self.background.level_drawn()
        self.receiver.watch()
        self.picture.show_note("Preparing the picture ...")
        self.shot_navigation.look_first()
        level = loaded.level
        self._told.setText(f"{level.name}: {len(level.parts)} parts, {level.triangle_count:,} triangles")
        messages = self.project_offers.not_offered(level.findings)
        if messages:
            more = f" (and {len(messages) - 1} more)" if len(messages) > 1 else ""
            self.bar.tell(f"{messages[0].text}{more}")

    def fault(self, text: str) -> None:
        """Something of ours went wrong: it is told, and the work is kept at once."""
        self.bar.tell(text)
        self.session.keeping.keep()

    def _refresh_title(self) -> None:
        history = self.session.history
        mark = " *" if history.dirty else ""
        name = self.session.keeping.file.stem if self.session.keeping.file else self.session.project.name
        room = self._name.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, NAME_PX)
        self._name.setText(f"{room}{mark}")
        self.setWindowTitle(f"{name}{mark} - Wallum")
        for action, label, word in (
            (self.act["undo"], history.undo_label, "Undo"),
            (self.act["redo"], history.redo_label, "Redo"),
        ):
            action.setEnabled(bool(label))
            action.setToolTip(
                f"{word}: {label} ({action.shortcut().toString()})" if label else f"Nothing to {word.lower()}"
            )

    # -- the picture -------------------------------------------------------------------

    def ask_picture(self, moving: bool = False) -> None:
        """Ask for the picture of what is shown now; see `Asking.ask`. Never waits."""
        self.frame_scheduler.ask(moving)

    def _picture_asked(self, hand: bool) -> None:
        """What is told of the picture before is of another one now."""
        self.balance.set_stale()
        self.cost.set_stale()
        if self.truth.on:
            self.truth.asked()
        self.at_rest.asked()
        if hand:
            self.background.hand_moves(self.session.hand_needs_rays)

    def _keep_shot(self) -> None:
        shot = self.shots.keep(self.picture.camera)
        self._told.setText(f"{shot.name} kept; F2 in the list gives it a name")

    def _scrub(self, hour: float) -> None:
        self.playback.play(False)
        self.session.playhead.scrub(hour)

    def _scrubbed(self, hour: float) -> None:
        self.session.playhead.rest_at(hour)

    def _go_to(self, shot_id: str, hour: float) -> None:
        self.shot_navigation.look_through(shot_id)
        self._scrubbed(hour)

    def _hour_changed(self) -> None:
        self.ask_picture(moving=self.session.playhead.scrubbing or self.playback.playing)

    def _level_repacked(self, loaded: LoadedLevel) -> None:
        self.link.set_level(loaded.block)
        self.background.level_loaded(loaded)
        self.shot_navigation.follow_fit()
        self.ask_picture()

    def _project_changed(self) -> None:
        self._refresh_title()
        if self.session.project is not self.frame_scheduler.project:
            self.ask_picture()

    def _camera_moved(self, camera: Camera) -> None:
        self.session.camera = camera
        self.ask_picture(moving=True)

    def _show_frame(self, shown: Frame, image: QImage) -> None:
        if self.session.level is None or shown.number < self._oldest:
            return  # a late picture of the level before
        self.picture.show_frame(shown, image)
        self.exposure_follower.note(shown)
        self.session.shown_ev = shown.ev100
        self._shown = shown
        self._tell_state()

    def _tell_state(self) -> None:
        """What the picture is that is shown, and what goes on beside it."""
        if self._shown is not None:
            more = self.indirect.text + self.baking.text
            self._state.setText(self.exposure_follower.state_text(self._shown, more))

    def _pull_mode(self) -> None:
        """While on, a drag in the picture pulls a shadow."""
        on = self.act["pull"].isChecked()
        self.picture.tool = self.shadow if on else None
        if not on:
            self.shadow.put_away()
        self.picture.update()
        self._told.setText(
            "Drag a shadow to where it should fall, or click lit ground to stand a stick there" if on else ""
        )

    def _frame_lines(self) -> None:
        """Show what the target's picture holds, or not."""
        on = self.act["frame_lines"].isChecked()
        self.picture.frame_aspect = self.session.project.target.aspect if on else None
        self.ask_picture()

    def _level_received(self, received: Received) -> None:
        self._level_repacked(received.loaded)
        self.sheet.open("The level was received again", report_lines(received))

    def _open_file(self, path: str) -> None:
        if self.files.may_leave():
            self.open_reference(path)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        if dropped_file(event.mimeData()) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        path = dropped_file(event.mimeData())
        if path is None:
            return
        event.acceptProposedAction()
        if path.suffix.lower() in PICTURE_SUFFIXES:
            self.comparison.pin_picture(str(path))
        else:
            self._open_file(str(path))

    # -- the end -----------------------------------------------------------------------

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self.files.may_leave():
            event.ignore()
            return
        self.dispose()
        self.session.keeping.drop()  # saved, or given up
        event.accept()

    def dispose(self) -> None:
        """Stop what runs beside the window."""
        self.settings.keep_window_states({"window": self.saveGeometry(), "panes": self.panes.saveState()})
        silence(self.act)
        for asked in (self.truth, self.receiver, self.checks, self.baking, self.comparison, self.look):
            asked.dispose()
        self.playback.play(False)
        self.walker.stop()
        for part in (self.files, self.background, self.at_rest):
            part.dispose()
        self.picture.release_image()
        self.link.dispose()
        self.session.keeping.finish()
