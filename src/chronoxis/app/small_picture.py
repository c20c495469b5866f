"""Pictures small enough to be kept beside what they are of."""

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, Qt
from PySide6.QtGui import QImage, QImageWriter

_QUALITY = 82  # of JPEG, 0 to 100


def small_picture(image: QImage | None, height: int) -> bytes:
    """A JPEG file of a picture at a height in pixels; nothing, of none."""
    if image is None or image.isNull():
        return b""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    wide = max(1, round(image.width() * height / image.height()))
    mode = Qt.TransformationMode.SmoothTransformation
    small = image.scaled(wide, height, Qt.AspectRatioMode.IgnoreAspectRatio, mode)
    writer = QImageWriter(buffer, QByteArray(b"jpg"))
    writer.setQuality(_QUALITY)
    if not writer.write(small):
        raise AssertionError(f"a small picture was not encoded: {writer.errorString()}")
    return bytes(buffer.data().data())
