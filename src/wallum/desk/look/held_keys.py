"""While a key is held, the picture without its look, or with one effect of it alone."""

from typing import Final

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit

from wallum.desk.session.session import Session
from wallum.document.look import Look
from wallum.document.picture_values import EFFECT_WORDS, effect_of
from wallum.moment.looks import looked_by
from wallum.moment.scene import LitScene

__all__ = ["HeldLookKeys"]

BEFORE, ALONE = Qt.Key.Key_Comma, Qt.Key.Key_Period
NO_EFFECT: Final = ""


class HeldLookKeys(QObject):
    """Watches both keys. The effect that is seen alone is the one whose value was touched last."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._key: int | None = None
        application = QApplication.instance()
        assert application is not None
        application.installEventFilter(self)

    @property
    def effect(self) -> str | None:
        """The effect that is left of the look; "" for none; None: all of it, no key is held."""
        if self._key is None:
            return None
        return NO_EFFECT if self._key == BEFORE else self._touched()

    def _touched(self) -> str:
        path = self._session.touched
        return (effect_of(path.removeprefix("look/")) or NO_EFFECT) if path.startswith("look/") else NO_EFFECT

    def of(self, scene: LitScene, look: Look) -> LitScene:
        """A scene as it is developed while the key is held; its light is the same."""
        effect = self.effect
        return scene if effect is None else looked_by(scene, look, effect)

    def eventFilter(self, _: QObject | None, event: QEvent | None) -> bool:
        # It sees every event there is: what is cheapest is asked first.
        if self._key is not None and event is not None and event.type() == QEvent.Type.WindowDeactivate:
            self._let_go()  # who goes to another window lets go of the key there
        if not isinstance(event, QKeyEvent) or event.isAutoRepeat() or event.modifiers():
            return False
        pressed = event.type() == QEvent.Type.KeyPress
        if event.key() not in (BEFORE, ALONE) or isinstance(
            QApplication.focusWidget(), QLineEdit | QComboBox
        ):
            return False
        if pressed and self._key is None:
            self._key = event.key()
            self._say()
            self.changed.emit()
            return True
        if event.type() == QEvent.Type.KeyRelease and self._key == event.key():
            self._let_go()
            return True
        return False

    def _let_go(self) -> None:
        self._key = None
        self._say()
        self.changed.emit()

    def _say(self) -> None:
        if self._key == ALONE and not self._touched():
            self._session.told.emit("Touch a value of the look first: its effect is then seen alone")
        elif self._key == ALONE:
            self._session.told.emit(f"Of the look, {EFFECT_WORDS[self._touched()].lower()} alone")
        else:
            self._session.told.emit("Without the look" if self._key == BEFORE else "")

    def end(self) -> None:
        """Watch no more."""
        application = QApplication.instance()
        if application is not None:
            application.removeEventFilter(self)
