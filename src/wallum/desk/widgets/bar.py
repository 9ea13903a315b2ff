"""The strips at the top of the picture: what happened, and below each other what waits for an answer."""

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

__all__ = ["Bar", "Offers"]

Answer = tuple[str, Callable[[], object]]


class Bar(QFrame):
    """One sentence of what happened; the next one takes its place."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("bar")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 5, 6, 5)
        self._text = QLabel()
        self._text.setWordWrap(True)
        layout.addWidget(self._text, 1)
        close = QPushButton("Close")
        close.clicked.connect(self.hide)
        layout.addWidget(close)
        self.hide()

    @property
    def text(self) -> str:
        return self._text.text() if self.isVisible() else ""

    def tell(self, text: str) -> None:
        """Show a sentence."""
        self._text.setText(text)
        self.show()


class _Offer(QFrame):
    """One question with its answers."""

    def __init__(self, text: str, answers: Sequence[Answer], answered: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("bar")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 5, 6, 5)
        self.text = text
        label = QLabel(text)
        label.setWordWrap(True)
        layout.addWidget(label, 1)
        self.buttons: dict[str, QPushButton] = {}
        for word, act in answers:
            button = self.buttons[word] = QPushButton(word)

            def pressed(_: bool = False, act: Callable[[], object] = act) -> None:
                answered()
                act()

            button.clicked.connect(pressed)
            layout.addWidget(button)


class Offers(QWidget):
    """What waits for an answer. Nothing else that is said takes an offer away; only its own
    answers do, or what offered it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._offers: dict[str, _Offer] = {}
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(1)
        self.hide()

    @property
    def texts(self) -> dict[str, str]:
        """What each offer says, by its key."""
        return {key: offer.text for key, offer in self._offers.items()}

    def make(self, key: str, text: str, *answers: Answer) -> None:
        """Offer something; an offer of the same key is made anew."""
        self.withdraw(key)
        offer = self._offers[key] = _Offer(text, answers, lambda: self.withdraw(key))
        self._rows.addWidget(offer)
        self.show()

    def answer(self, key: str, word: str) -> None:
        """Press one of the buttons of an offer."""
        self._offers[key].buttons[word].click()

    def withdraw(self, key: str) -> None:
        """An offer was answered, or means nothing any more."""
        offer = self._offers.pop(key, None)
        if offer is not None:
            offer.hide()
            self._rows.removeWidget(offer)
            offer.deleteLater()
        self.setVisible(bool(self._offers))
