"""The player's cameras, as they look at this hour: kept, named, ordered, looked through."""

from PyQt6.QtCore import QSignalBlocker, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QImage, QKeyEvent, QPixmap
from PyQt6.QtWidgets import QAbstractItemView, QListView, QListWidget, QListWidgetItem, QWidget

from wallum.desk.session.session import Session
from wallum.desk.viewport.at_rest import THUMB_SIZE
from wallum.document.project import Project, Shot
from wallum.document.sources import new_id
from wallum.moment.camera import Camera

__all__ = ["ShotList"]

ID = Qt.ItemDataRole.UserRole


class ShotList(QListWidget):
    """A click looks through a shot; F2 renames, Delete removes, Ctrl with Up and Down orders."""

    chosen = pyqtSignal(str)  # to look through for a moment
    stayed = pyqtSignal(str)  # to look through and stay
    left = pyqtSignal()  # to go back

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._shown: tuple[Shot, ...] = ()
        self._pictures: dict[str, QIcon] = {}
        self.setAccessibleName("Shots")
        self.itemDoubleClicked.connect(lambda item: self.stayed.emit(item.data(ID)))
        self.setToolTip(
            "A click looks through a shot for a moment, Enter stays, Escape goes back. "
            "F2 renames, Delete removes, Ctrl+Up and Ctrl+Down order; Ctrl chooses several"
        )
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setFlow(QListView.Flow.TopToBottom)
        self.setWrapping(False)
        self.setMovement(QListView.Movement.Static)
        self.setIconSize(QSize(*THUMB_SIZE))
        self.setUniformItemSizes(True)
        self.setWordWrap(True)
        self.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.setGridSize(QSize(THUMB_SIZE[0] + 8, THUMB_SIZE[1] + 44))
        self.setEditTriggers(QAbstractItemView.EditTrigger.EditKeyPressed)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemClicked.connect(lambda item: self.chosen.emit(item.data(ID)))
        self.itemChanged.connect(self._renamed)
        session.changed.connect(self.refresh)
        self.refresh()

    # -- what is shown -----------------------------------------------------------------

    def refresh(self) -> None:
        """Show the present shots."""
        shots = self._session.project.shots
        if shots == self._shown:
            return
        chosen = self._chosen_id()
        self._shown = shots
        with QSignalBlocker(self):
            self.clear()
            for shot in shots:
                item = QListWidgetItem(shot.name)
                item.setData(ID, shot.id)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
                item.setToolTip(f"Look through {shot.name}, {shot.fov:.0f} deg")
                item.setIcon(self._pictures.get(shot.id, _empty()))
                self.addItem(item)
                if shot.id == chosen:
                    self.setCurrentItem(item)

    def show_picture(self, shot_id: str, picture: QImage) -> None:
        """How a shot looks at this hour."""
        icon = QIcon(QPixmap.fromImage(picture))
        self._pictures[shot_id] = icon
        with QSignalBlocker(self):
            for row in range(self.count()):
                item = self.item(row)
                if item is not None and item.data(ID) == shot_id:
                    item.setIcon(icon)
        self.viewport().update()  # type: ignore[union-attr]

    def chosen_ids(self) -> tuple[str, ...]:
        """The shots that are selected, by their ids."""
        return tuple(str(item.data(ID)) for item in self.selectedItems())

    def _chosen_id(self) -> str:
        item = self.currentItem()
        return str(item.data(ID)) if item is not None else ""

    # -- changes -----------------------------------------------------------------------

    def keep(self, camera: Camera) -> Shot:
        """Keep a camera as a new shot, at the end."""
        project = self._session.history.present
        taken = {item.name for item in project.shots}
        number = next(n for n in range(1, len(taken) + 2) if f"Shot {n}" not in taken)
        shot = Shot(
            id=new_id("shot"),
            name=f"Shot {number}",
            eye=camera.eye,
            direction=camera.direction,
            fov=camera.fov,
        )
        self._edit(f"keep {shot.name}", (*project.shots, shot))
        return shot

    def _edit(self, label: str, shots: tuple[Shot, ...]) -> None:
        project: Project = self._session.history.present
        self._session.history.edit(label, project.revised(shots=shots))

    def _renamed(self, item: QListWidgetItem) -> None:
        shot = next((entry for entry in self._shown if entry.id == item.data(ID)), None)
        name = item.text().strip()
        if shot is None or name == shot.name:
            return
        if not name:
            self._shown = ()
            self.refresh()  # a shot keeps a name
            return
        shots = self._session.history.present.shots
        self._edit(
            f"rename {shot.name}", tuple(s.revised(name=name) if s.id == shot.id else s for s in shots)
        )

    def remove(self, shot_id: str) -> None:
        """Take a shot out of the project."""
        shots = self._session.history.present.shots
        gone = next((shot for shot in shots if shot.id == shot_id), None)
        if gone is not None:
            self._edit(f"remove {gone.name}", tuple(shot for shot in shots if shot is not gone))

    def reorder(self, shot_id: str, step: int) -> None:
        """Put a shot earlier or later."""
        shots = list(self._session.history.present.shots)
        here = next((i for i, shot in enumerate(shots) if shot.id == shot_id), -1)
        there = here + step
        if here >= 0 and 0 <= there < len(shots):
            shots[here], shots[there] = shots[there], shots[here]
            self._edit("order of shots", tuple(shots))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.state() != self.State.EditingState:
            self.stayed.emit(self._chosen_id())
        elif event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        elif event.key() == Qt.Key.Key_Delete:
            self.remove(self._chosen_id())
        elif control and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.reorder(self._chosen_id(), -1 if event.key() == Qt.Key.Key_Up else 1)
        else:
            super().keyPressEvent(event)


def _empty() -> QIcon:
    pixmap = QPixmap(*THUMB_SIZE)
    pixmap.fill(Qt.GlobalColor.black)
    return QIcon(pixmap)
