"""What is said of the level's parts: heroes, and glow that follows a lamp."""

import logging
from dataclasses import replace

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from wallum.desk.loading import LoadedLevel
from wallum.desk.session import Session
from wallum.document.sources import Lamp
from wallum.realtime.bundling import bundle_level
from wallum.realtime.memory import store_value

__all__ = ["Rebundler", "toggle_follow", "toggle_hero"]

log = logging.getLogger("wallum.parts")


def toggle_hero(session: Session, part: str, name: str) -> None:
    """Make a part a hero, or one no more."""
    marks = session.project.marks_of(part)
    word = "is no hero any more" if marks.hero else "is a hero"
    project = session.history.present.with_marks(marks.revised(hero=not marks.hero))
    session.history.edit(f"{name} {word}", project)
    session.told.emit(f"{name} {word}")


def toggle_follow(session: Session, part: str, name: str) -> None:
    """Let a part's glow follow the selected lamp, or let it go."""
    lamp, marks = session.selected_source, session.project.marks_of(part)
    if marks.follows and (lamp is None or marks.follows == lamp.id):
        lamp_id, text = "", f"The glow of {name} follows no lamp any more"
    elif isinstance(lamp, Lamp):
        lamp_id, text = lamp.id, f"The glow of {name} follows {lamp.name}"
    else:
        session.told.emit("Select the lamp first that this glow is to follow")
        return
    project = session.history.present.with_marks(marks.revised(follows=lamp_id))
    session.history.edit(text, project)
    session.told.emit(text)


class Rebundler(QThread):
    """Packs the level anew, in the background, for glow that follows other lamps."""

    ready = pyqtSignal(object)  # a LoadedLevel

    def __init__(self, loaded: LoadedLevel, follows: dict[str, str], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._loaded, self._follows = loaded, follows

    def run(self) -> None:
        try:
            loaded = self._loaded
            block = store_value(bundle_level(loaded.level, loaded.rays.triangles, self._follows))
        except Exception:
            log.exception("packing the level anew failed")
            return
        self.ready.emit(replace(loaded, block=block, follows=self._follows))
