"""What is said of the level's parts: heroes, and glow that follows a lamp."""

from PyQt6.QtCore import pyqtSignal

from wallum.desk.jobs.loading import LoadedLevel, pack_level
from wallum.desk.jobs.work_thread import WorkThread
from wallum.desk.session.session import Session
from wallum.document.project import PartMarks
from wallum.document.sources import Lamp
from wallum.level.model.level_overrides import LevelOverrides

__all__ = [
    "Rebundler",
    "toggle_body",
    "toggle_follow",
    "toggle_hero",
    "toggle_ignored",
    "toggle_uncast",
    "toggle_water",
]


def _mark(session: Session, text: str, marks: PartMarks, told: str = "") -> None:
    """Mark a part anew, as one step, and say so."""
    session.history.edit(text, session.history.present.with_marks(marks))
    session.told.emit(f"{text}{told}")


def toggle_hero(session: Session, part: str, name: str) -> None:
    """Make a part a hero, or one no more."""
    marks = session.project.marks_of(part)
    word = "is no hero any more" if marks.hero else "is a hero"
    _mark(session, f"{name} {word}", marks.revised(hero=not marks.hero))


def toggle_ignored(session: Session, part: str, name: str) -> None:
    """Leave a part out altogether, or bring it back."""
    marks = session.project.marks_of(part)
    word = "is back" if marks.ignored else "is left out"
    _mark(session, f"{name} {word}", marks.revised(ignored=not marks.ignored), "; undo brings it back")


def toggle_uncast(session: Session, part: str, name: str) -> None:
    """Let a part cast no shadow, or cast one again."""
    marks = session.project.marks_of(part)
    word = "casts no shadow" if marks.casts else "casts shadows again"
    _mark(session, f"{name} {word}", marks.revised(casts=not marks.casts))


def toggle_water(session: Session, part: str, name: str) -> None:
    """Make a part's surface water, or what it was again."""
    marks = session.project.marks_of(part)
    word = "is what it was again" if marks.water else "is water"
    _mark(session, f"{name} {word}", marks.revised(water=not marks.water))


def toggle_follow(session: Session, part: str, name: str) -> None:
    """Let a part's glow follow the selected lamp, or let it go."""
    lamp, marks = session.selection.source, session.project.marks_of(part)
    if marks.follows and (lamp is None or marks.follows == lamp.id):
        lamp_id, text = "", f"The glow of {name} follows no lamp any more"
        marks = marks.revised(is_lamp=False)
    elif isinstance(lamp, Lamp):
        lamp_id, text = lamp.id, f"The glow of {name} follows {lamp.name}"
    else:
        session.told.emit("Select the lamp first that this glow is to follow")
        return
    _mark(session, text, marks.revised(follows=lamp_id))


def toggle_body(session: Session, part: str, name: str) -> None:
    """Say that a part's glow is the light of the lamp that it follows, or of the selected one; or no more."""
    lamp, marks = session.selection.source, session.project.marks_of(part)
    if marks.is_lamp:
        _mark(session, f"The glow of {name} lights by itself", marks.revised(is_lamp=False))
        return
    own = lamp.id if isinstance(lamp, Lamp) else marks.follows
    source = session.project.source(own) if own else None
    if source is None:
        session.told.emit("Select the lamp first whose light this glow is")
        return
    _mark(
        session, f"The glow of {name} is the light of {source.name}", marks.revised(follows=own, is_lamp=True)
    )


class Rebundler(WorkThread):
    """Packs the level anew, in the background, as the project wants it now."""

    ready = pyqtSignal(object)  # a LoadedLevel
    doing = "packing the level anew"

    def __init__(self, loaded: LoadedLevel, follows: dict[str, str], dress: LevelOverrides) -> None:
        super().__init__()
        self._loaded, self._follows, self._dress = loaded, follows, dress

    def work(self) -> None:
        self.ready.emit(pack_level(self._loaded.plain, self._follows, self._dress, self._loaded))
