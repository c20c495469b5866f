"""A list of ramps' shapes, each with its curve."""

from collections.abc import Mapping

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox

from chronoxis.app.bench.drawn_curve import CURVE_SIZE, curve_icon
from chronoxis.core.timing.ramps import RampShape

_PLACES = np.linspace(0, 1, 24)


def ramp_shapes(name: str, tip: str, about: Mapping[RampShape, str]) -> QComboBox:
    """A list of shapes to choose from.

    Args:
        name: for a screen reader.
        tip: of the list.
        about: what each shape is like, in the order of the list.
    """
    shapes = QComboBox()
    shapes.setAccessibleName(name)
    shapes.setToolTip(tip)
    shapes.setIconSize(CURVE_SIZE)
    for number, (shape, words) in enumerate(about.items()):
        shapes.addItem(curve_icon(np.asarray(shape.share(_PLACES))), str(shape), shape)
        shapes.setItemData(number, words, Qt.ItemDataRole.ToolTipRole)
    return shapes
