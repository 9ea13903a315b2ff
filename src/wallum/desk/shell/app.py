"""Starting the desk: the application, its look, and a screen of its own where there is none."""

import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QColor, QPalette
from PyQt6.QtWidgets import QApplication

from wallum.desk.widgets.tokens import TOKENS, style_sheet
from wallum.errors import MissingProblem
from wallum.realtime.process.memory import share_one_pool

__all__ = ["application", "has_display", "run_desk", "screen_of_its_own"]

# Threads beside the window's give the interpreter's lock back within this time [s]: of its own accord
# Python lets them keep it for five times as long, and the hand would feel it.
LOCK_S = 0.001
# What the first start opens.
FIRST_DEMO = "demo:kilnworks"
# Qt's application object must outlive every window; no one else holds it.
_kept: list[QApplication] = []


def has_display() -> bool:
    """Whether a window can be shown to someone."""
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def application() -> QApplication:
    """The one application, with the desk's look."""
    sys.setswitchinterval(LOCK_S)
    share_one_pool()
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    _kept[:] = [app]
    app.setApplicationName("Wallum")
    app.setStyle("Fusion")
    palette = QPalette()
    for role, token in (
        (QPalette.ColorRole.Window, "pane"),
        (QPalette.ColorRole.Base, "pane"),
        (QPalette.ColorRole.Button, "raised"),
        (QPalette.ColorRole.Text, "text"),
        (QPalette.ColorRole.WindowText, "text"),
        (QPalette.ColorRole.ButtonText, "text"),
        (QPalette.ColorRole.Highlight, "line"),
        (QPalette.ColorRole.HighlightedText, "text"),
        (QPalette.ColorRole.ToolTipBase, "raised"),
        (QPalette.ColorRole.ToolTipText, "text"),
    ):
        palette.setColor(role, QColor(TOKENS[token]))
    app.setPalette(palette)
    app.setStyleSheet(style_sheet())
    return app


@contextmanager
def screen_of_its_own(width: int = 1280, height: int = 800) -> Iterator[None]:
    """A screen without a monitor (Xvfb) for what runs inside. Raises MissingProblem."""
    program = shutil.which("Xvfb")
    if program is None:
        raise MissingProblem("Xvfb is not on this machine", "display", "the package xvfb")
    read_end, write_end = os.pipe()
    server = subprocess.Popen(
        [program, "-displayfd", str(write_end), "-screen", "0", f"{width}x{height}x24", "-nolisten", "tcp"],
        pass_fds=[write_end],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    os.close(write_end)
    with os.fdopen(read_end) as stream:
        number = stream.readline().strip()
    selected = {name: os.environ.get(name) for name in ("DISPLAY", "QT_QPA_PLATFORM")}
    try:
        if not number:
            raise MissingProblem("Xvfb could not be started", "display")
        os.environ["DISPLAY"] = f":{number}"
        os.environ["QT_QPA_PLATFORM"] = "xcb"
        yield
    finally:
        for name, value in selected.items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value
        server.terminate()
        server.wait()


def run_desk(reference: str) -> int:
    """Open the window and run until it is closed."""
    from wallum.desk.shell.guard import Guard
    from wallum.desk.shell.window import DeskWindow

    if not has_display() and not os.environ.get("QT_QPA_PLATFORM"):
        raise MissingProblem("there is no display to open a window on", "desk", "DISPLAY or WAYLAND_DISPLAY")
    app = application()
    window = DeskWindow()
    guard = Guard(window)
    guard.caught.connect(window.fault)
    signal.signal(signal.SIGINT, lambda *_: window.close())
    # Python sees signals only between its own steps: give it some.
    pulse = QTimer()
    pulse.timeout.connect(lambda: None)
    pulse.start(250)
    first = not reference and not window.settings.started_before
    reference = FIRST_DEMO if first else reference
    window.show()
    if first:
        window.path.begin()
    with guard.installed():
        if not window.open_reference(reference):
            window.picture.show_note("Open a level (.glb, .gltf) or a project to begin: Ctrl+O")
        return app.exec()
