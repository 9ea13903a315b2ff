"""Speed of the real window: from an input event to the painted picture, and its heartbeat."""

import os
import signal
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from unittest.mock import patch

from PyQt6.QtCore import QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QWidget

from wallum.desk.shell.window import DeskWindow
from wallum.desk.widgets.number_field import NumberField
from wallum.document.derived import derived_folder
from wallum.figures import Row, percentile
from wallum.realtime.process.request import Frame
from wallum_dev.tours.tour import intensity_field, open_desk, wait_for, wait_settled

__all__ = ["desk_rows", "sky_rows"]

MOVES = 60
BEAT_MS = 5
# A hand's moves come this often, and for so long.
HAND_MS, SCRUB_S = 8, 4.0
# Hours that the ribbon is dragged through; so often each with and without light that follows.
SCRUB, PAIRS = (8.0, 21.0), 6
PICTURE = (960, 540)


class Heartbeat:
    """A timer that notes how late it comes: what sticks in the window shows here."""

    def __init__(self) -> None:
        self.late_ms: list[float] = []
        self._last = time.perf_counter()
        self._timer = QTimer()
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(BEAT_MS)
        self._timer.timeout.connect(self._beat)
        self._timer.start()

    def _beat(self) -> None:
        now = time.perf_counter()
        self.late_ms.append(max((now - self._last) * 1e3 - BEAT_MS, 0.0))
        self._last = now

    def stop(self) -> None:
        self._timer.stop()

    def row(self, name: str) -> Row:
        """How late it came."""
        late = self.late_ms
        details = {"worst": round(max(late), 1), "asked of the worst": 50, "beats": len(late)}
        return Row(name, percentile(late, 0.99), "ms", 16.0, details=details)


def _send(widget: QWidget, kind: QMouseEvent.Type, at: QPoint, button: Qt.MouseButton) -> None:
    current = Qt.MouseButton.NoButton if kind == QMouseEvent.Type.MouseButtonRelease else button
    place = QPointF(at)
    event = QMouseEvent(
        kind, place, QPointF(widget.mapToGlobal(at)), button, current, Qt.KeyboardModifier.NoModifier
    )
    QApplication.sendEvent(widget, event)


def timed_drag(
    window: DeskWindow,
    widget: QWidget,
    start: QPoint,
    step: Callable[[int], QPoint],
    button: Qt.MouseButton = Qt.MouseButton.LeftButton,
) -> list[float]:
    """Times from each move of a drag to the painting of the picture it asked for [ms]."""
    painted: list[Frame] = []
    connection = window.picture.painted.connect(painted.append)
    times: list[float] = []
    # A move is asked for at once only where none waits.
    wait_for(lambda: not window.link.client.busy, "the picture before")
    try:
        _send(widget, QMouseEvent.Type.MouseButtonPress, start, button)
        for i in range(1, MOVES + 1):
            painted.clear()
            before = window.link.client.latest_number
            began = time.perf_counter()
            _send(widget, QMouseEvent.Type.MouseMove, start + step(i), button)
            if window.link.client.latest_number == before:
                continue  # below the threshold of a drag
            wanted = window.link.client.latest_number
            wait_for(lambda n=wanted: any(f is not None and f.number >= n for f in painted), "a picture")  # type: ignore[misc]
            times.append((time.perf_counter() - began) * 1e3)
        _send(widget, QMouseEvent.Type.MouseButtonRelease, start + step(MOVES), button)
    finally:
        window.picture.painted.disconnect(connection)
    return times


def fit_picture(window: DeskWindow) -> None:
    """Make the window as large as gives the picture its size for measuring."""
    for _ in range(3):
        extra = window.size() - window.picture.size()
        window.resize(PICTURE[0] + extra.width(), PICTURE[1] + extra.height())
        QApplication.processEvents()


# The fields that darken and brighten the picture, by hand and metered.
EXPOSURES = ("Exposure", "Compensation")


def _drag_row(name: str, times: list[float], asked: float) -> Row:
    # The first move also makes the sum of all other sources; it is part of the figure.
    return Row(
        name,
        percentile(times, 0.95),
        "ms",
        asked,
        details={
            "median": round(percentile(times, 0.5), 1),
            "worst": round(max(times), 1),
            "moves": len(times),
        },
    )


def _rows_of(window: DeskWindow) -> Iterator[Row]:
    fit_picture(window)
    yield from _probe_rows(window)
    wait_settled(window)
    beat = Heartbeat()
    window.session.selection.select("mast-2")
    QApplication.processEvents()
    field = intensity_field(window)
    times = timed_drag(window, field, QPoint(20, 8), lambda i: QPoint(2 * i, 0))
    yield _drag_row("drag of a lamp's strength, event to painted, 95th", times, 50.0)
    wait_settled(window, 2)
    place = next(f for f in window.tune.pane.findChildren(NumberField) if f.info.label == "Place")
    times = timed_drag(window, place, QPoint(20, 8), lambda i: QPoint(2 * i, 0))
    yield _drag_row("drag of a lamp's place, event to painted, 95th", times, 50.0)
    wait_settled(window, 2)
    window.session.selection.select("")
    QApplication.processEvents()
    field = next(
        f for f in window.tune.pane.findChildren(NumberField) if f.info.label in EXPOSURES and f.isEnabled()
    )
    times = timed_drag(window, field, QPoint(20, 8), lambda i: QPoint(2 * i, 0))
    yield _drag_row("drag of the exposure, event to painted, 95th", times, 25.0)
    wait_settled(window, 2)
    yield from _look_rows(window)
    start = QPoint(window.picture.width() // 2, window.picture.height() // 2)
    times = timed_drag(window, window.picture, start, lambda i: QPoint(6 * i, i), Qt.MouseButton.RightButton)
    yield _drag_row("camera move at reduced size, event to painted, 95th", times, 70.0)
    wait_settled(window, 2)
    ribbon = window.day.ribbon
    window.session.selection.select("")
    start = QPoint(round(ribbon.x_of(8.0)), 20)
    # Through the morning and noon into the night: 8:00 to about 22:00.
    step = (ribbon.x_of(22.0) - ribbon.x_of(8.0)) / MOVES
    times = timed_drag(window, ribbon, start, lambda i: QPoint(round(step * i), 0))
    yield _drag_row("scrubbing the hour at reduced size, event to painted, 95th", times, 70.0)
    wait_settled(window, 2)
    yield from _fog_rows(window)
    beat.stop()
    yield beat.row("heartbeat of the window over all these, lateness, 99th")
    yield _restart_row(window)


def _look_rows(window: DeskWindow) -> Iterator[Row]:
    """Values of the look dragged, its head shown; and what scopes take of the window's own time."""
    window.tune.show_group("look")
    wait_settled(window, 2)
    for label in ("Contrast", "Saturation", "Bloom"):
        result = (f for f in window.tune.pane.findChildren(NumberField) if f.info.label == label)
        times = timed_drag(window, next(result), QPoint(20, 8), lambda i: QPoint(2 * i, 0))
        yield _drag_row(f"drag of the look's {label.lower()}, event to painted, 95th", times, 35.0)
        window.session.undo()
        wait_settled(window, 2)
    dock, reader = window.look.dock, window.look.reader
    dock.swap()
    wait_for(lambda: bool(reader.latest is not None and reader.latest.images), "the scopes")
    holder = dock.widget()
    assert reader.latest is not None
    assert holder is not None
    wait_settled(window, 2)
    taken, waited = [], []
    for _ in range(MOVES):
        began, own = time.perf_counter(), time.thread_time()
        dock.show_reading(reader.latest)
        holder.repaint()
        # The renderer may have both processors meanwhile: what the window's thread does is told from waiting.
        taken.append((time.thread_time() - own) * 1e3)
        waited.append((time.perf_counter() - began) * 1e3)
    dock.swap()
    row = _drag_row("scopes shown anew, of the window's own time, 95th", taken, 5.0)
    middle, largest = (round(percentile(waited, share), 1) for share in (0.5, 0.95))
    by_clock = {"by the clock, median": middle, "by the clock, 95th": largest}
    yield replace(row, details=by_clock)
    wait_settled(window, 2)


def _fog_rows(window: DeskWindow) -> Iterator[Row]:
    """Drags in fog that is lit place by place."""
    window.session.set_all("fog", {"air/on": True, "air/visibility": 300.0, "air/base_height": 20.0})
    window.tune.show_group("air")
    wait_settled(window, 2)
    field = next(f for f in window.tune.pane.findChildren(NumberField) if f.info.label == "Visibility")
    times = timed_drag(window, field, QPoint(20, 8), lambda i: QPoint(2 * i, 0))
    yield _drag_row("drag of the air's visibility, event to painted, 95th", times, 50.0)
    wait_settled(window, 2)
    window.session.selection.select("mast-2")
    QApplication.processEvents()
    times = timed_drag(window, intensity_field(window), QPoint(20, 8), lambda i: QPoint(2 * i, 0))
    yield _drag_row("drag of a lamp's strength in fog, event to painted, 95th", times, 50.0)
    wait_settled(window, 2)


def _probe_rows(window: DeskWindow) -> Iterator[Row]:
    """The probes as they are made behind the window, which goes on beating."""
    built: list[object] = []
    connection = window.background.probes_ready.connect(lambda probes, _: built.append(probes))
    beat, began = Heartbeat(), time.perf_counter()
    wait_for(lambda: bool(built), "a quick look about")
    first = time.perf_counter() - began
    wait_for(lambda: len(built) > 1, "the probes")
    seconds = time.perf_counter() - began
    beat.stop()
    window.background.probes_ready.disconnect(connection)
    assert window.session.level is not None
    count = {"triangles": window.session.level.level.triangle_count}
    yield Row("what probes see of a level at a quick look, in the background", first, "s", 8.0, details=count)
    yield Row("the probes of a level, in the background", seconds, "s", 30.0, details=count)
    yield beat.row("heartbeat of the window meanwhile, lateness, 99th")


def _restart_row(window: DeskWindow) -> Row:
    came: list[Frame] = []
    restarts = window.link.client.restarts
    connection = window.link.frame_came.connect(lambda frame, _: came.append(frame))
    os.kill(window.link.client.pid, signal.SIGKILL)
    wait_for(lambda: window.link.client.restarts > restarts, "the restart")
    began = time.perf_counter()
    came.clear()
    wait_for(lambda: bool(came), "the picture after the restart")
    seconds = time.perf_counter() - began
    window.link.frame_came.disconnect(connection)
    return Row("picture back after the renderer was killed and restarted", seconds, "s", 1.0)


def _pace(window: DeskWindow) -> int:
    """Pictures of the hour dragged from morning into the night, by a hand that sends a move every 8 ms."""
    ribbon = window.day.ribbon
    window.session.selection.select("")
    start, end = ribbon.x_of(SCRUB[0]), ribbon.x_of(SCRUB[1])
    press, move, release = (
        QMouseEvent.Type.MouseButtonPress, QMouseEvent.Type.MouseMove, QMouseEvent.Type.MouseButtonRelease
    )  # fmt: skip
    before = window.link.client.latest_number
    painted: set[int] = set()

    def note(frame: Frame | None) -> None:
        if frame is not None and frame.number > before:
            painted.add(frame.number)

    def move_on() -> None:
        share = min((time.perf_counter() - began) / SCRUB_S, 1.0)
        _send(ribbon, move, QPoint(round(start + share * (end - start)), 20), Qt.MouseButton.LeftButton)

    hand = QTimer()
    hand.setTimerType(Qt.TimerType.PreciseTimer)
    hand.timeout.connect(move_on)
    connection = window.picture.painted.connect(note)
    _send(ribbon, press, QPoint(round(start), 20), Qt.MouseButton.LeftButton)
    began = time.perf_counter()
    hand.start(HAND_MS)
    wait_for(lambda: time.perf_counter() - began > SCRUB_S, "the drag's end")
    hand.stop()
    _send(ribbon, release, QPoint(round(end), 20), Qt.MouseButton.LeftButton)
    window.picture.painted.disconnect(connection)
    wait_settled(window, 2)
    return max(len(painted), 1)


def _scrubbed(window: DeskWindow, name: str, asked: float) -> Row:
    """Time from picture to picture while the hour is dragged; and by a hand that waits for each: from a move
    to its picture."""
    count = _pace(window)
    ribbon = window.day.ribbon
    start, end = ribbon.x_of(SCRUB[0]), ribbon.x_of(SCRUB[1])
    step = (end - start) / MOVES
    times = timed_drag(window, ribbon, QPoint(round(start), 20), lambda i: QPoint(round(step * i), 0))
    details = {
        "pictures a second": round(count / SCRUB_S, 1),
        "event to painted, median ms": round(percentile(times, 0.5), 1),
    }
    return Row(name, 1e3 * SCRUB_S / count, "ms", asked, details=details)


def _followed(window: DeskWindow) -> Row:
    """What light from surfaces that follows the hour takes of the pictures' pace: beside the same with that
    light waiting for the hand, in turns."""
    background = window.background
    hand_moves = background.hand_moves

    def pictures(follows: bool) -> int:
        if follows:
            return _pace(window)
        with patch.object(background, "hand_moves", lambda _: hand_moves(needs_rays=False)):
            return _pace(window)

    _pace(window)  # what is made once is made before
    shares = []
    for turn in range(PAIRS):
        count = {follows: pictures(follows) for follows in ((False, True), (True, False))[turn % 2]}
        shares.append(100.0 * (1.0 - count[True] / count[False]))
    details = {"least": round(min(shares), 1), "most": round(max(shares), 1), "pairs": PAIRS}
    name = "what light from surfaces takes of the pace while the hour is dragged"
    return Row(name, percentile(shares, 0.5), "%", 10.0, details=details)


def sky_rows() -> Iterator[Row]:
    """The demo's hour dragged under cloud, and its shot by hours."""
    with open_desk("demo:kilnworks") as window:
        fit_picture(window)
        window.shot_navigation.look_through(window.session.project.shots[1].id)
        wait_for(lambda: window.background.at_rest, "the probes")
        wait_settled(window, 2)
        yield _followed(window)
        window.session.set_value("cloud", "sources/sky/cloud", 0.5)
        wait_settled(window, 2)
        yield _scrubbed(window, "the demo's hour dragged under high cloud, from picture to picture", 50.0)
        window.session.set_all("deck", {"sources/sky/cloud": 0.0, "sources/sky/deck": 0.5})
        wait_settled(window, 2)
        yield _scrubbed(window, "the demo's hour dragged under the deck, from picture to picture", 100.0)
        window.session.set_value("none", "sources/sky/deck", 0.0)
        wait_settled(window, 2)
        began = time.perf_counter()
        window.bench.hours.open()
        wait_for(lambda: window.bench.hours.complete, "the shot by hours")
        seconds = time.perf_counter() - began
        yield Row("the demo's shot at 24 hours, 320x200, on screen", seconds, "s", 8.0)


def desk_rows() -> Iterator[Row]:
    """Measure the real window, at 960x540, on the screen that is there."""
    # Derived data can be deleted and comes back: the probes are to be made, not found.
    for path in derived_folder(None).glob("field-*.npz"):
        path.unlink()
    with open_desk("demo:jar-yard") as window:
        yield from _rows_of(window)
