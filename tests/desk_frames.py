"""Pictures as they come to a window."""

LONG_MS = 120_000


def frames(window):
    seen = []
    window.link.frame_came.connect(lambda frame, image: seen.append((frame, image.copy())))
    return seen


def wait_frame(qtbot, window, seen, wanted=lambda frame: True):
    def there():
        return any(window.link.client.is_current(f) and wanted(f) for f, _ in seen)

    qtbot.waitUntil(there, timeout=LONG_MS)
    return next((f, i) for f, i in reversed(seen) if wanted(f))
