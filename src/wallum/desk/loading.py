"""Opening a level in the background: read, packed for the renderer, ready for rays."""

import gc
import logging
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, QThread, pyqtSignal

from wallum.errors import WallumError
from wallum.level.flatten import flatten
from wallum.level.model import Level
from wallum.level.opening import open_level
from wallum.realtime.bundling import bundle_level
from wallum.realtime.memory import Block, store_value
from wallum.transport.rays import RayScene

__all__ = ["LevelLoader", "LoadedLevel", "load_now"]

log = logging.getLogger("wallum.loading")


@dataclass(frozen=True)
class LoadedLevel:
    """A level in the three forms that the desk needs.

    follows : by part, the lamp that its glow follows in the packed form
    """

    level: Level
    block: Block
    rays: RayScene
    follows: dict[str, str] = field(default_factory=dict)


def load_now(reference: str, beside: Path | None, follows: dict[str, str] | None = None) -> LoadedLevel:
    """Open a level and make it ready. Raises LevelProblem.

    follows : by part, the lamp that its glow follows
    """
    level = open_level(reference, beside)
    triangles = flatten(level)
    block = store_value(bundle_level(level, triangles, follows))
    rays = RayScene(level, triangles)
    # The first ray makes Embree build its tree: here, and not under the artist's hand.
    rays.first_visible(np.zeros((1, 3)), np.array([[0.0, -1.0, 0.0]]))
    # What is loaded stays: the collector need not walk through it again and again.
    # A level that was loaded before is let go of first.
    gc.unfreeze()
    gc.collect()
    gc.freeze()
    return LoadedLevel(level, block, rays, follows or {})


class LevelLoader(QThread):
    """One level being opened. A loader that was given up tells no one."""

    loaded = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(
        self,
        reference: str,
        beside: Path | None,
        follows: dict[str, str],
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._reference, self._beside, self._follows = reference, beside, follows
        self._given_up = False

    def give_up(self) -> None:
        """Its answer is not wanted any more."""
        self._given_up = True

    def run(self) -> None:
        try:
            answer = load_now(self._reference, self._beside, self._follows)
        except WallumError as error:
            if not self._given_up:
                self.failed.emit(str(error))
            return
        except Exception:
            log.exception("opening a level failed")
            if not self._given_up:
                self.failed.emit(f"{self._reference} could not be opened: a fault of Wallum's, see the log")
            return
        if self._given_up:
            answer.block.close()
        else:
            self.loaded.emit(answer)
