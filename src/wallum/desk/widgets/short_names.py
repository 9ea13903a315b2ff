"""Names where there is little room: first words by a letter, since rows of names differ at their ends."""

from collections.abc import Callable

from PyQt6.QtCore import QModelIndex
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem

__all__ = ["ShortNames", "shortened"]

# What a row keeps free about its icon and its words [px].
ROOM_PX = 26


def shortened(name: str, fits: Callable[[str], bool]) -> str:
    """The name; or with as many of its first words cut to a letter as make it fit, the last kept whole:
    `Shed Work Lamp`, `S. Work Lamp`, `S. W. Lamp`."""
    words = name.split()
    out = name
    for number in range(len(words) - 1):
        if fits(out):
            break
        if len(words[number]) > 2:
            words[number] = f"{words[number][0]}."
            out = " ".join(words)
    return out


class ShortNames(QStyledItemDelegate):
    """Shows the words of a list's rows shortened; the rows themselves keep them whole."""

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        super().initStyleOption(option, index)
        if option is None:
            return
        room = option.rect.width() - option.decorationSize.width() - ROOM_PX
        metrics = option.fontMetrics
        option.text = shortened(option.text or "", lambda text: metrics.horizontalAdvance(text) <= room)
