"""A slider whose drag is one step of undo."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSlider

from chronoxis.app.document.document import Document


class GestureSlider(QSlider):
    """Shows a value of the document, and tells what a person makes of it."""

    def __init__(
        self,
        document: Document,
        name: str,
        tip: str,
        *,
        least: int,
        most: int,
        page: int,
        choose: Callable[[int], object],
        label: str,
    ) -> None:
        """``page`` is a step of Page Up and Page Down, ``label`` the step of undo."""
        super().__init__(Qt.Orientation.Horizontal)
        self.setRange(least, most)
        self.setPageStep(page)
        self.setToolTip(tip)
        self.setAccessibleName(name)
        self.sliderPressed.connect(lambda: document.begin_gesture(label))
        self.sliderReleased.connect(document.end_gesture)
        self.valueChanged.connect(choose)

    def show_value(self, value: int) -> None:
        """Show a value that the document has, unless it is being dragged."""
        if not self.isSliderDown():
            self.blockSignals(True)
            self.setValue(value)
            self.blockSignals(False)
