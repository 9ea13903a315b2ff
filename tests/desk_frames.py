"""Pictures as they come to a window."""

from PyQt6.QtWidgets import QCheckBox

LONG_MS = 120_000


def wait_light(qtbot, window):
    """The picture once all light from surfaces is in it; none comes later to change it."""
    background, client = window.background, window.link.client

    def known():
        return background.bounce is not None and background.at_rest and not client.busy

    qtbot.waitUntil(known, timeout=LONG_MS)
    seen, number = frames(window), client.latest_number
    window.ask_picture()
    return wait_frame(qtbot, window, seen, lambda frame: frame.number > number)[1]


def frames(window):
    seen = []
    window.link.frame_came.connect(lambda frame, image: seen.append((frame, image.copy())))
    return seen


def wait_frame(qtbot, window, seen, wanted=lambda frame: True):
    def there():
        return any(window.link.client.is_current(f) and wanted(f) for f, _ in seen)

    qtbot.waitUntil(there, timeout=LONG_MS)
    return next((f, i) for f, i in reversed(seen) if wanted(f))


def tick(sheet, key, on):
    """Tick the line of a sheet that has a key, as a click on its box does."""
    sheet.findChild(QCheckBox, key).setChecked(on)
