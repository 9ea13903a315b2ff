"""Kinds of lamps as the desk shows them: a line of the table each, with the diagram of its light."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

__all__ = ["LAMP_LOOKS", "LampLook"]


@dataclass(frozen=True)
class LampLook:
    """One kind at the desk.

    text, key, tip : of the command that puts one
    in_bar         : whether that has a button at the top of the window, where there is room for few
    diagram        : draws its light, 18 x 18, with the painter's pen
    """

    text: str
    key: str
    tip: str
    diagram: Callable[[QPainter], None]
    in_bar: bool = False


def _point(painter: QPainter) -> None:
    middle = QPointF(9, 9)
    painter.drawEllipse(middle, 3.0, 3.0)
    for dx, dy in ((0, 1), (1, 0), (0, -1), (-1, 0), (0.7, 0.7), (-0.7, 0.7), (0.7, -0.7), (-0.7, -0.7)):
        direction = QPointF(dx, dy)
        painter.drawLine(middle + direction * 5.2, middle + direction * 7.4)


def _spot(painter: QPainter) -> None:
    painter.drawEllipse(QPointF(9, 4), 2.4, 2.4)
    painter.drawLine(QPointF(7.4, 6.5), QPointF(3.5, 15))
    painter.drawLine(QPointF(10.6, 6.5), QPointF(14.5, 15))


def _panel(painter: QPainter) -> None:
    painter.drawLine(QPointF(3, 4), QPointF(15, 4))
    for x in (4.5, 9.0, 13.5):
        painter.drawLine(QPointF(x, 7), QPointF(x, 14))


def _tube(painter: QPainter) -> None:
    painter.drawRoundedRect(2, 5, 14, 3, 1.5, 1.5)
    for x in (4.5, 9.0, 13.5):
        painter.drawLine(QPointF(x, 10.5), QPointF(x, 14))


def _beam(painter: QPainter) -> None:
    for x in (3.5, 7.2, 10.8, 14.5):
        painter.drawLine(QPointF(x, 3), QPointF(x, 15))


LAMP_LOOKS: Final[dict[str, LampLook]] = {
    "point": LampLook("Point", "P", "Put a point lamp at the surface under the pointer", _point, True),
    "spot": LampLook("Spot", "O", "Put a spot over the surface under the pointer", _spot, True),
    "panel": LampLook("Panel", "Shift+P", "Put a lit disc that faces the surface under the pointer", _panel),
    "tube": LampLook("Tube", "Alt+P", "Put a lit tube over the surface under the pointer", _tube),
    "beam": LampLook(
        "Beam", "Alt+O", "Put a beam of parallel light onto the surface under the pointer", _beam
    ),
}
