"""The desk driven by a script: for the demo without a display, and for the screenshots."""

import os
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Final

from PyQt6.QtCore import QEventLoop, QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from wallum.desk.shell.app import application
from wallum.desk.shell.window import DeskWindow
from wallum.desk.widgets.number_field import NumberField
from wallum.errors import RendererProblem
from wallum.frame.quality import HIGH
from wallum.realtime.process.request import Frame

__all__ = [
    "DEMO",
    "drag",
    "intensity_field",
    "open_desk",
    "scrub",
    "shoot",
    "wait_for",
    "wait_settled",
    "wait_whole",
]

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


def wait_settled(window: DeskWindow, least: int = HIGH.settled) -> Frame:
    """Run the window until a picture of what is wanted now has settled."""
    came: list[Frame] = []
    connection = window.link.frame_came.connect(lambda frame, _: came.append(frame))
    wait_for(
        lambda: bool(came) and came[-1].settled >= least and window.link.client.is_current(came[-1]),
        "a settled picture",
    )
    window.link.frame_came.disconnect(connection)
    return came[-1]


def wait_whole(window: DeskWindow, least: int = HIGH.settled) -> Frame:
    """Run the window until light from surfaces is known too, and a picture with it has settled."""
    window.ask_picture()
    wait_for(lambda: window.background.at_rest, "light from surfaces")
    return wait_settled(window, least)


@contextmanager
def open_desk(reference: str, size: tuple[int, int] = (1280, 800)) -> Iterator[DeskWindow]:
    """A real window on a project, closed without asking."""
    application()
    with TemporaryDirectory() as own, ExitStack() as restored:
        # The artist's own settings and unsaved work are left alone.
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME"):
            restored.callback(_set_variable, name, os.environ.get(name))
            os.environ[name] = own
        yield from _opened(reference, size)


def _set_variable(name: str, value: str | None) -> None:
    if value is None:
        os.environ.pop(name, None)
    else:
        os.environ[name] = value


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


def shoot(window: DeskWindow, path: Path) -> str:
    """Grab the window once its balance and its day are worked out."""
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
    start, end = ribbon.x_of(window.session.playhead.hour), ribbon.x_of(hour)
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
    return next(field for field in fields if field.info.label == "Intensity")
