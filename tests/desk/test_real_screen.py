"""The desk on a real X screen (Xvfb): the tour that `./wallum demo` makes without a display."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from wallum.document.storage import load

SCRIPT = """
import sys
from pathlib import Path
from wallum.desk import tour
tour.ROOT = Path(sys.argv[1])
for path in tour.write_tour():
    print(path)
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
    out = tmp_path / "out" / "demo"
    opened, put, brighter, undone = (
        picture(out / f"{name}.png") for name in ("1-opened", "2-lamp-put", "3-dragged-brighter", "4-undone")
    )
    assert opened.std() > 20
    # The picture is metered: what is near the lamp brightens more than the rest darkens.
    assert blocks(put - opened).max() > 4.0
    assert blocks(brighter - put).max() > 4.0
    # Settled pictures of the same light are the same picture.
    assert np.abs(undone - put).mean() < 0.5
    saved = load(out / "tour.wallum")
    assert [one.name for one in saved.sources][-1] == "Point 33"
