"""What is done with the selected sources: copied, hidden, locked, seen alone, taken out."""

import numpy as np

from wallum.desk.panes.balance import BalanceView
from wallum.desk.session.session import Session, names_of
from wallum.desk.viewport.view import PictureView
from wallum.document.names import free_name
from wallum.document.sources import Lamp, Placed, new_id

__all__ = ["SourceTools"]

# A copy stands this far beside what it was made from, by the distance to the camera.
ASIDE_SHARE = 0.06


class SourceTools:
    """Each is one step of undo; what cannot be done is said."""

    def __init__(self, session: Session, picture: PictureView, balance: BalanceView) -> None:
        self._session, self._picture, self._balance = session, picture, balance

    def select_all(self) -> None:
        """Select every lamp whose mark is not hidden."""
        lamps = (source for source in self._session.project.resolved_sources if isinstance(source, Lamp))
        self._session.selection.select(*(lamp.id for lamp in lamps if not lamp.hidden))

    def duplicate(self) -> None:
        """Copy the selected lamps, a step to the right; the copies are then selected."""
        project = self._session.history.present
        lamps = [source for source in self._session.selection.sources if isinstance(source, Placed)]
        if not lamps:
            self._session.told.emit("Select the lamps first that are to be copied")
            return
        camera, built = self._picture.camera, []
        right = camera.rotation()[0]
        for lamp in lamps:
            away = float(np.linalg.norm(np.array(lamp.position) - np.array(camera.eye)))
            place = np.array(lamp.position) + right * away * ASIDE_SHARE
            x, y, z = (round(float(part), 4) for part in place)
            values = {"id": new_id("source"), "name": free_name(project, lamp.name), "locked": False}
            copy = lamp.revised(**values, position=(x, y, z))
            project = project.revised(sources=(*project.sources, copy))
            for lane in self._session.history.present.lanes:
                if lane.owner == lamp.id:
                    project = project.with_lane(lane.revised(owner=copy.id))
            built.append(copy)
        self._session.history.edit(f"duplicate {names_of(lamps)}", project)
        self._session.selection.select(*(item.id for item in built))

    def toggle_hidden(self) -> None:
        """Hide the marks of the selected lamps; show them where the leading one is hidden."""
        self._toggle("hidden", "hide the mark of", "show the mark of", Placed)

    def toggle_locked(self) -> None:
        """Lock the selected sources; free them where the leading one is locked."""
        self._toggle("locked", "lock", "unlock", object)

    def _toggle(self, name: str, on: str, off: str, kind: type) -> None:
        chosen = [source for source in self._session.selection.sources if isinstance(source, kind)]
        if not chosen:
            self._session.told.emit("Select the sources first")
            return
        value = not getattr(chosen[-1], name)
        label = f"{on if value else off} {names_of(chosen)}"
        self._session.set_all(label, {f"sources/@{item.id}/{name}": value for item in chosen})
        self._session.told.emit(label[0].upper() + label[1:])

    def see_only(self) -> None:
        """See the selected source alone, or all again."""
        chosen = self._session.selection.lead
        self._balance.see_only("" if self._balance.only else chosen)
