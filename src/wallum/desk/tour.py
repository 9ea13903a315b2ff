"""The desk driven by a script: for the demo without a display, and for the screenshots."""

import os
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Final

from PyQt6.QtCore import QEventLoop, QPoint, QPointF, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from wallum.desk.app import application, has_display, run_desk, screen_of_its_own
from wallum.desk.number_field import NumberField
from wallum.desk.window import DeskWindow
from wallum.document.project import Project
from wallum.errors import RendererProblem
from wallum.exchange.gltf_export import export_gltf
from wallum.level.jar_yard import jar_yard
from wallum.realtime.request import SETTLE_FRAMES, Frame

__all__ = ["open_desk", "refresh_screenshots", "run_demo", "wait_for", "wait_settled", "write_tour"]

ROOT: Final = Path(__file__).resolve().parents[3]
DEMO: Final = "demo:kilnworks"
PATIENCE_S = 120.0
WAIT_MS = 5


def wait_for(done: Callable[[], bool], what: str, seconds: float = PATIENCE_S) -> None:
    """Run the window until `done`. Raises RendererProblem after `seconds`."""
    end = time.monotonic() + seconds
    pulse = QTimer()  # wakes the wait, so that its end is noticed
    pulse.start(WAIT_MS)
    while not done():
        if time.monotonic() > end:
            raise RendererProblem(f"waited {seconds:g} s in vain for {what}", "tour")
        QApplication.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)


def wait_settled(window: DeskWindow, least: int = SETTLE_FRAMES) -> Frame:
    """Run the window until a picture of what is wanted now has settled."""
    came: list[Frame] = []
    connection = window.link.frame_came.connect(lambda frame, _: came.append(frame))
    wait_for(
        lambda: bool(came) and came[-1].settled >= least and window.link.client.is_current(came[-1]),
        "a settled picture",
    )
    window.link.frame_came.disconnect(connection)
    return came[-1]


@contextmanager
def open_desk(reference: str, size: tuple[int, int] = (1280, 800)) -> Iterator[DeskWindow]:
    """A real window on a project, closed without asking."""
    application()
    with TemporaryDirectory() as own:  # the artist's own settings are left alone
        before = os.environ.get("XDG_CONFIG_HOME")
        os.environ["XDG_CONFIG_HOME"] = own
        try:
            yield from _opened(reference, size)
        finally:
            if before is None:
                del os.environ["XDG_CONFIG_HOME"]
            else:
                os.environ["XDG_CONFIG_HOME"] = before


def _opened(reference: str, size: tuple[int, int]) -> Iterator[DeskWindow]:
    window = DeskWindow()
    window.resize(*size)
    window.show()
    try:
        window.open_reference(reference)
        wait_for(lambda: window.session.level is not None, "the level")
        yield window
    finally:
        window.session.history.mark_saved(window.session.history.present)
        window.close()


def _shoot(window: DeskWindow, path: Path) -> str:
    wait_for(lambda: not window.balance.stale and window.day.ribbon.complete, "the balance")
    path.parent.mkdir(parents=True, exist_ok=True)
    window.grab().save(str(path))
    return str(path)


def drag(field: NumberField, pixels: int, steps: int = 12) -> None:
    """Drag a number field by the mouse."""
    start = QPoint(field.width() // 2, field.height() // 2)
    left, plain = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    # The stubs take these static functions for methods.
    QTest.mousePress(field, left, plain, start)  # type: ignore[call-overload]
    for step in range(1, steps + 1):
        QTest.mouseMove(field, start + QPoint(pixels * step // steps, 0))  # type: ignore[call-overload]
        QApplication.processEvents()
        time.sleep(0.02)
    QTest.mouseRelease(field, left, plain, start + QPoint(pixels, 0))  # type: ignore[call-overload]


def scrub(window: DeskWindow, hour: float, steps: int = 12) -> None:
    """Drag the day ribbon to an hour by the mouse."""
    ribbon = window.day.ribbon
    start, end = ribbon.x_of(window.session.hour), ribbon.x_of(hour)
    left, plain = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    QTest.mousePress(ribbon, left, plain, QPoint(round(start), 20))  # type: ignore[call-overload]
    for step in range(1, steps + 1):
        at = QPoint(round(start + (end - start) * step / steps), 20)
        QTest.mouseMove(ribbon, at)  # type: ignore[call-overload]
        QApplication.processEvents()
        time.sleep(0.02)
    QTest.mouseRelease(ribbon, left, plain, QPoint(round(end), 20))  # type: ignore[call-overload]


def intensity_field(window: DeskWindow) -> NumberField:
    """The field of the selected lamp's intensity."""
    fields = window.tune.pane.findChildren(NumberField)
    return next(one for one in fields if one.info.label == "Intensity")


def _yard_by_dusk(folder: Path) -> Iterator[str]:
    with open_desk(DEMO) as window:
        wait_settled(window)
        yield _shoot(window, folder / "desk-dusk.png")
        window.session.select("mast-2")
        window.looking.look_through("shot-kiln")
        wait_settled(window)
        yield _shoot(window, folder / "desk-spot-selected.png")
        window.session.select("sun")
        window.looking.look_through("shot-gate")
        window.session.set_hour(7.4)
        wait_settled(window)
        yield _shoot(window, folder / "desk-morning.png")
        window.views.setCurrentText("false colour")
        wait_settled(window)
        yield _shoot(window, folder / "desk-false-colour.png")
        window.views.setCurrentText("final")
        window.tune.show_group("air")
        window.session.set_hour(18.3)
        wait_settled(window)
        yield _shoot(window, folder / "desk-night.png")


def _room(folder: Path) -> Iterator[str]:
    with open_desk("demo:pale-room") as window:
        window.session.select("spot")
        wait_settled(window)
        yield _shoot(window, folder / "desk-pale-room.png")


def _level_of_ones_own(folder: Path) -> Iterator[str]:
    """A bare level file as it opens by day, and a spot put in the shade."""
    with TemporaryDirectory() as temporary:
        level = Path(temporary) / "potters-yard.glb"
        yard = jar_yard()
        export_gltf(Project(name="Potter's yard", shots=yard.shots), yard, level)
        with open_desk(str(level)) as window:
            window.pointer.put_at(
                "spot", QPointF(window.picture.width() * 0.62, window.picture.height() * 0.72)
            )
            wait_settled(window)
            yield _shoot(window, folder / "desk-day.png")


def refresh_screenshots() -> Iterator[str]:
    """Write docs/screenshots/ anew; yields each path."""
    with screen_of_its_own():
        yield from _yard_by_dusk(ROOT / "docs" / "screenshots")
        yield from _room(ROOT / "docs" / "screenshots")
        yield from _level_of_ones_own(ROOT / "docs" / "screenshots")


def write_tour() -> Iterator[str]:
    """Open the demo, put a lamp, drag it brighter, take it back, scrub the day, save; pictures
    to out/demo/."""
    folder = ROOT / "out" / "demo"
    with screen_of_its_own(), open_desk(DEMO) as window:
        wait_settled(window)
        yield _shoot(window, folder / "1-opened.png")
        middle = QPointF(window.picture.width() * 0.36, window.picture.height() * 0.72)
        window.pointer.put_at("point", middle)
        wait_settled(window)
        yield _shoot(window, folder / "2-lamp-put.png")
        drag(intensity_field(window), 90)
        wait_settled(window)
        yield _shoot(window, folder / "3-dragged-brighter.png")
        window.act["undo"].trigger()
        wait_settled(window)
        yield _shoot(window, folder / "4-undone.png")
        window.act["redo"].trigger()
        scrub(window, 12.0)
        wait_settled(window)
        yield _shoot(window, folder / "5-scrubbed-to-noon.png")
        scrub(window, 21.5)
        wait_settled(window)
        yield _shoot(window, folder / "6-scrubbed-to-night.png")
        with TemporaryDirectory() as temporary:
            window.save_to(Path(temporary) / "tour.wallum")
            (folder / "tour.wallum").write_bytes((Path(temporary) / "tour.wallum").read_bytes())
        yield str(folder / "tour.wallum")


def run_demo() -> int:
    """The desk with the demo; with no display the same desk, driven through the tour."""
    if has_display():
        return run_desk(DEMO)
    for path in write_tour():
        print(path)
    return 0
