"""The desk on a real X screen (Xvfb): driven by the mouse as an artist would."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from wallum.document.storage import load
from wallum.level.demos.pale_room import pale_room_project

SCRIPT = """
import sys
from pathlib import Path
from PyQt6.QtCore import QPointF
from wallum.desk.shell.app import screen_of_its_own
from wallum_dev.tours.tour import drag, intensity_field, open_desk, scrub, shoot, wait_whole
out = Path(sys.argv[1])
with screen_of_its_own(), open_desk("demo:pale-room") as window:
    wait_whole(window)
    shoot(window, out / "opened.png")
    window.pointer.put_at("point", QPointF(window.picture.width() * 0.36, window.picture.height() * 0.72))
    wait_whole(window)
    shoot(window, out / "put.png")
    drag(intensity_field(window), 90)
    wait_whole(window)
    shoot(window, out / "brighter.png")
    window.act["undo"].trigger()
    wait_whole(window)
    shoot(window, out / "undone.png")
    scrub(window, 12.0)
    window.save_to(out / "tour.wallum")
"""


def picture(path):
    """The middle of a window's picture: no panes."""
    with Image.open(path) as opened:
        return np.asarray(opened.convert("RGB"), dtype=float)[150:700, 300:900]


def blocks(values):
    """Means of squares of 50 pixels."""
    rows, columns = (n // 50 * 50 for n in values.shape[:2])
    return values[:rows, :columns].mean(axis=2).reshape(rows // 50, 50, columns // 50, 50).mean(axis=(1, 3))


@pytest.mark.slow
@pytest.mark.window
@pytest.mark.skipif(shutil.which("Xvfb") is None, reason="the package xvfb is not on this machine")
def test_the_tour_puts_a_lamp_drags_it_takes_it_back_and_saves(tmp_path):
    environment = {
        k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    }
    environment["PYTHONPATH"] = str(Path(__file__).resolve().parents[2] / "src")
    done = subprocess.run(
        [sys.executable, "-c", SCRIPT, str(tmp_path)],
        env=environment,
        capture_output=True,
        text=True,
        timeout=400,
    )
    assert done.returncode == 0, done.stderr
    out = tmp_path
    opened, put, brighter, undone = (
        picture(out / f"{name}.png") for name in ("opened", "put", "brighter", "undone")
    )
    assert opened.std() > 20
    # The picture is metered: what is near the lamp brightens more than the rest darkens.
    assert blocks(put - opened).max() > 4.0
    assert blocks(brighter - put).max() > 4.0
    # Settled pictures of the same light are the same picture.
    assert np.abs(undone - put).mean() < 0.5
    saved = load(out / "tour.wallum")
    assert len(saved.sources) == len(pale_room_project().sources) + 1
    assert saved.sources[-1].name.startswith("Point ")
