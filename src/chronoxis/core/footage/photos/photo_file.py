"""Opening photo files, with the libraries that read them."""

from importlib import import_module
from importlib.util import find_spec
from pathlib import Path
from struct import pack_into, unpack_from
from typing import Any

import cv2
from PIL import Image, ImageFile, UnidentifiedImageError

from chronoxis.core.errors import FootageError
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.photo_endings import HEIF_ENDINGS, RAW_ENDINGS

# Optional libraries: which module reads which endings, and what to install for it.
_EXTRAS = {
    HEIF_ENDINGS: ("pillow_heif", "HEIF photos", "pillow-heif"),
    RAW_ENDINGS: ("rawpy", "camera raw photos", "rawpy"),
}
_MOST_PIXELS = 16384 * 16384
_TIFF = 42  # of any TIFF with offsets of 32 bits
_ORIENTATION = 0x0112  # the tag of how a photo is to be turned

# Sizes are checked here, by a limit of our own; and what is wrong with a photo is said here.
Image.MAX_IMAGE_PIXELS = None
cv2.utils.logging.setLogLevel(cv2.utils.logging.LOG_LEVEL_SILENT)


def missing_extra(path: Path) -> str:
    """What has to be installed to read a photo of this ending, in a sentence; nothing, if it is there."""
    for endings, (module, kind, package) in _EXTRAS.items():
        if path.suffix.lower() in endings and find_spec(module) is None:
            return f"{kind} need the optional library {package}: pip install {package}"
    return ""


_FORMATS = ("JPEG", "PNG", "TIFF", "WEBP", "BMP", "GIF")
"""What is no camera raw is one of these: others may start programs, or open files beside them."""


def is_raw(path: Path) -> bool:
    """Whether a name ends like camera raw."""
    return path.suffix.lower() in RAW_ENDINGS


def opened(path: Path) -> Image.Image:
    """Open a photo that is not raw, to be closed. Raises FootageError, and what the library raises."""
    if path.suffix.lower() in HEIF_ENDINGS:
        import_extra(path).register_heif_opener()
    try:
        image = Image.open(path, formats=None if path.suffix.lower() in HEIF_ENDINGS else _FORMATS)
    except UnidentifiedImageError:
        raise FootageError("is damaged, or of another kind than its name says") from None
    if image.width * image.height > _MOST_PIXELS:
        raise FootageError(f"is too large ({image.width}×{image.height})")
    return image


def import_extra(path: Path) -> Any:
    """The optional library that reads a photo. Raises FootageError if it is not there."""
    if wanting := missing_extra(path):
        raise FootageError(f"cannot be read: {wanting}")
    return import_module("rawpy" if is_raw(path) else "pillow_heif")


def is_deep(image: Image.Image) -> bool:
    """Whether an opened photo has more than eight bits a sample."""
    if image.mode.startswith(("I;16", "I", "F")):
        return True
    tiles = image.tile if isinstance(image, ImageFile.ImageFile) else []
    raw = [str(tile[3][0] if isinstance(tile[3], tuple) and tile[3] else tile[3]) for tile in tiles]
    return any(";16" in each for each in raw)


def raw_size(sizes: Any) -> Size:
    """Width and height of a developed raw photo, upright."""
    turned = sizes.flip in (5, 6)  # a quarter, one way or the other
    return (sizes.iheight, sizes.iwidth) if turned else (sizes.iwidth, sizes.iheight)


def exif_of(image: Image.Image) -> Image.Exif:
    """What a camera wrote beside a photo, read without decoding it."""
    return image.getexif() if image.format != "PNG" or "exif" in image.info else Image.Exif()


def orientation_of(exif: Image.Exif) -> int:
    """How a photo is to be turned or mirrored, 1 to 8 (Exif 2.32, tag 0x0112); 1 is not at all."""
    found = exif.get(_ORIENTATION, 1)
    return found if isinstance(found, int) else 1


def left_to_turn(image: Image.Image) -> int:
    """How an opened photo is still to be turned: Pillow gives TIFF out upright, and tells that size."""
    return 1 if image.format == "TIFF" else orientation_of(exif_of(image))


def tiff_as_stored(path: Path) -> tuple[bytes, int]:
    """The bytes of a TIFF, now saying that it is not turned, and what it said (TIFF 6.0, section 2)."""
    content = bytearray(path.read_bytes())
    order = "<" if content[:2] == b"II" else ">"
    magic, at = unpack_from(f"{order}HI", content, 2)
    if magic != _TIFF:
        return bytes(content), 1
    (count,) = unpack_from(f"{order}H", content, at)
    for entry in range(at + 2, at + 2 + 12 * count, 12):
        tag, _, _, found = unpack_from(f"{order}HHIH", content, entry)
        if tag == _ORIENTATION:
            pack_into(f"{order}H", content, entry + 8, 1)
            return bytes(content), int(found)
    return bytes(content), 1
