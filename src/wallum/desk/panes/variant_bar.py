"""Variants of the lighting: keep the present one, flip to another and back, see what differs."""

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from wallum.desk.session.session import Session
from wallum.desk.widgets.buttons import text_button
from wallum.desk.widgets.sheet import Line, Sheet
from wallum.document.project import Project
from wallum.document.variants import applied, differences, kept, renamed, without_variant

__all__ = ["VariantBar"]

SHOWN_DIFFERENCES = 4


class VariantBar(QWidget):
    """One row; every change is a step of undo."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.sheet: Sheet | None = None  # where what differs is listed
        self._flipped: tuple[Project, Project] | None = None  # where from, and where to
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self.choice = QComboBox()
        self.choice.setAccessibleName("Variant")
        self.choice.setToolTip("The variant to flip to; type over its name to change it")
        self.choice.setEditable(True)
        self.choice.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        editor = self.choice.lineEdit()
        assert editor is not None
        editor.editingFinished.connect(self._renamed)
        self.choice.setMinimumWidth(110)
        self.choice.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        row.addWidget(self.choice)
        self._buttons = [
            text_button("Flip", "Flip to the variant, and back (B)", self.flip),
            text_button("Differs", "What the variant has other than the present lighting", self.tell),
            text_button("Forget", "Forget the variant", self.forget),
        ]
        self._keep = text_button(
            "Keep variant", "Keep the present lighting; its name can be typed over", self.keep_next
        )
        for button in (*self._buttons, self._keep):
            row.addWidget(button)
        session.changed.connect(self.refresh)
        self._shown: object = None
        self.refresh()

    def refresh(self) -> None:
        """Show the present variants."""
        variants = self._session.project.variants
        if variants is self._shown:
            return
        self._shown = variants
        chosen = self.choice.currentData()
        with QSignalBlocker(self.choice):
            self.choice.clear()
            for variant in variants:
                self.choice.addItem(variant.name, variant.id)
            index = self.choice.findData(chosen)
            self.choice.setCurrentIndex(index if index >= 0 else self.choice.count() - 1)
        self.choice.setVisible(bool(variants))
        for button in self._buttons:
            button.setVisible(bool(variants))

    def keep_next(self) -> None:
        """Keep the present lighting at once; its name can be typed over."""
        taken = {variant.name for variant in self._session.project.variants}
        number = next(n for n in range(1, len(taken) + 2) if f"Variant {n}" not in taken)
        self.keep(f"Variant {number}")

    def _renamed(self) -> None:
        editor, variant_id = self.choice.lineEdit(), self.choice.currentData()
        variants = self._session.history.present.variants
        variant = next((item for item in variants if item.id == variant_id), None)
        if editor is None or variant is None:
            return
        name = editor.text().strip()
        if not name:
            editor.setText(variant.name)
        elif name != variant.name:
            project = renamed(self._session.history.present, variant.id, name)
            self._session.history.edit(f"rename {variant.name}", project)

    def keep(self, name: str) -> None:
        """Keep the present lighting as a variant."""
        project = kept(self._session.history.present, name)
        self._session.history.edit(f"keep variant {name}", project)
        self.choice.setCurrentIndex(self.choice.count() - 1)
        self._session.told.emit(f"Kept as {name}: {len(project.resolved_sources)} sources")

    def flip(self) -> None:
        """Go to the chosen variant; from there, back to where one came from."""
        present = self._session.history.present
        if self._flipped is not None and present is self._flipped[1]:
            back = self._flipped[0].revised(variants=present.variants, shots=present.shots)
            self._flipped = None
            self._session.history.edit("flip back", back)
            self._session.told.emit("Back at the lighting before")
            return
        variant_id = self.choice.currentData()
        if variant_id is None:
            self._session.told.emit("Keep a variant first")
            return
        there = applied(present, variant_id)
        self._session.history.edit(f"flip to {self.choice.currentText()}", there)
        self._flipped = (present, self._session.history.present)
        self._session.told.emit(f"{self.choice.currentText()}; flip again to go back")

    def tell(self) -> None:
        """Say what the chosen variant has other than the present lighting."""
        present = self._session.history.present
        variant = next((item for item in present.variants if item.id == self.choice.currentData()), None)
        if variant is None:
            return
        result = differences(present, variant)
        more = f"; and {len(result) - SHOWN_DIFFERENCES} more" if len(result) > SHOWN_DIFFERENCES else ""
        text = "; ".join(result[:SHOWN_DIFFERENCES]) + more if result else "nothing differs"
        self._session.told.emit(f"{variant.name}: {text}")
        if self.sheet is not None:
            lines = [Line(item) for item in result] or [Line("Nothing differs")]
            self.sheet.open(f"From the present to {variant.name}", lines)

    def forget(self) -> None:
        """Take the chosen variant out of the project."""
        name, variant_id = self.choice.currentText(), self.choice.currentData()
        if variant_id is not None:
            project = without_variant(self._session.history.present, variant_id)
            self._session.history.edit(f"forget variant {name}", project)
