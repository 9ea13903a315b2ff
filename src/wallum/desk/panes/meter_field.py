"""The reading of the meter, and the number that it should be."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QWidget

from wallum.desk.session.session import Session
from wallum.desk.viewport.picture_tools import PictureTools
from wallum.document.quantities import format_quantity, parse_quantity
from wallum.errors import WallumError
from wallum.transport.direct.meter import MeterReading

__all__ = ["MeterField"]


class MeterField(QWidget):
    """Shows lux; what is typed, the selected source is to deliver."""

    def __init__(self, session: Session, tools: PictureTools, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._tools = session, tools
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 0, 0)
        row.setSpacing(4)
        label = QLabel("reads")
        label.setObjectName("quiet")
        self.field = QLineEdit()
        self.field.setFixedWidth(84)
        self.field.setPlaceholderText("lx")
        self.field.setAccessibleName("MeterReading in lux")
        self.field.setToolTip(
            "The meter's reading. Type what it should be: the selected source is trimmed to deliver it"
        )
        self.field.returnPressed.connect(self._typed)
        row.addWidget(label)
        row.addWidget(self.field)
        tools.read.connect(self._show)

    def _show(self, reading: MeterReading, _: NDArray[np.float64]) -> None:
        self.field.setText(format_quantity(reading.direct_lx, "lx"))

    def _typed(self) -> None:
        try:
            quantity = parse_quantity(self.field.text().replace("\u202f", "").replace(" ", ""))
        except WallumError as error:
            self._session.failed.emit(str(error))
            return
        if quantity.unit not in ("", "lx"):
            self._session.failed.emit(f"A reading cannot be given in {quantity.unit} (expected lx)")
            return
        self._tools.make_it_read(quantity.value)
