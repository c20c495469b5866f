"""A small picture of sound."""

import numpy as np
from PySide6.QtCore import QLineF
from PySide6.QtGui import QImage, QPainter, QPen

from chronoxis.app.theme.theme import GROUND, SOUND
from chronoxis.core.traces.levels import Levels

_WIDTH, _HEIGHT = 120, 72


def waveform_image(levels: Levels) -> QImage:
    """All of a sound, as bars about the middle; ``levels`` are not empty."""
    image = QImage(_WIDTH, _HEIGHT, QImage.Format.Format_RGB32)
    image.fill(GROUND)
    edges = np.linspace(0, len(levels), _WIDTH // 3 + 1).astype(int)
    peaks = np.maximum.reduceat(levels.astype(np.float32), np.minimum(edges[:-1], len(levels) - 1))
    heights = peaks / max(float(peaks.max()), 1e-6) * (_HEIGHT / 2 - 3)
    painter = QPainter(image)
    try:
        painter.setPen(QPen(SOUND, 2))
        middle = _HEIGHT / 2
        painter.drawLines(
            [
                QLineF(place * 3 + 1.5, middle - height, place * 3 + 1.5, middle + height)
                for place, height in enumerate(np.maximum(heights, 0.5).tolist())
            ]
        )
    finally:
        painter.end()
    return image
