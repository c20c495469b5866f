"""The program's icon in the sizes that desktops ask for."""

from importlib.resources import files

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, Qt
from PySide6.QtGui import QImage, QImageWriter, QPainter
from PySide6.QtSvg import QSvgRenderer

SIZES = (16, 22, 24, 32, 48, 64, 128, 256, 512)
"""Pixels to a side."""


def icon_files() -> dict[int, bytes]:
    """PNG files of the icon, by size. It needs no display."""
    drawing = QSvgRenderer(QByteArray((files("chronoxis.desktop") / "chronoxis.svg").read_bytes()))
    return {size: _png(drawing, size) for size in SIZES}


def _png(drawing: QSvgRenderer, size: int) -> bytes:
    image = QImage(size, size, QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    drawing.render(painter)
    painter.end()
    written = QBuffer()
    written.open(QIODevice.OpenModeFlag.WriteOnly)
    QImageWriter(written, QByteArray(b"png")).write(image)
    return bytes(written.data().data())
