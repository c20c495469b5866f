"""Writing the demo's photos: a folder of dated JPEGs, whole or not there."""

import io
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from pathlib import Path

from PIL import Image

from chronoxis.core.errors import ExportError
from chronoxis.core.files.atomic import publish_folder, temporary_beside, why_not_written
from chronoxis.demo.in_order import CORES, in_order
from chronoxis.demo.sprites import Codes

_QUALITY = 90
_ORIENTATION, _DETAILS, _TAKEN = 0x0112, 0x8769, 0x9003
_CLOCKWISE = 6  # the tag of a photo that is to be turned clockwise to be upright


@dataclass(frozen=True)
class PhotoToDraw:
    """One photo of a run.

    Attributes:
        name: of its file.
        draw: gives its pixels.
        taken: when, if it is dated.
        turned: whether it is stored lying, with a tag that says so.
    """

    name: str
    draw: Callable[[], Codes]
    taken: datetime | None = None
    turned: bool = False


def write_photos(
    folder: Path, photos: Sequence[PhotoToDraw], on_frame: Callable[[], object] = lambda: None
) -> None:
    """Draw and write a run on all cores, calling ``on_frame`` after each photo.

    Raises:
        ExportError: it could not be written; nothing is left of it.
    """
    with temporary_beside(folder, folder=True) as temporary:
        try:
            with ThreadPoolExecutor(CORES) as pool:
                for _ in in_order(pool, (partial(_write, photo, temporary) for photo in photos), CORES):
                    on_frame()
        except OSError as error:
            raise ExportError(why_not_written(folder, error)) from error
        publish_folder(temporary, folder, overwrite=True)


def _write(photo: PhotoToDraw, folder: Path) -> None:
    image, exif = Image.fromarray(photo.draw()), Image.Exif()
    if photo.turned:
        image = image.transpose(Image.Transpose.ROTATE_90)
        exif[_ORIENTATION] = _CLOCKWISE
    if photo.taken is not None:
        exif.get_ifd(_DETAILS)[_TAKEN] = photo.taken.strftime("%Y:%m:%d %H:%M:%S")
    content = io.BytesIO()  # told to write the file itself, the library says nothing of a full disk
    image.save(content, "JPEG", quality=_QUALITY, exif=exif)
    (folder / photo.name).write_bytes(content.getbuffer())
