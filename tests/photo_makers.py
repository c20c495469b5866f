"""Small runs of photos, made on the spot."""

from collections.abc import Iterable
from datetime import datetime, timedelta
from fractions import Fraction
from pathlib import Path

import numpy as np
import numpy.typing as npt
from PIL import Image

START = datetime(2026, 5, 1, 5, 0)


def photo_pixels(number: int, size: tuple[int, int]) -> npt.NDArray[np.uint8]:
    """Photo ``number`` of a made run, R′G′B′, shape (height, width, 3)."""
    y, x = np.mgrid[0 : size[1], 0 : size[0]]
    planes = [(x * 2 + number * 9) % 256, (y * 3 + number * 5) % 256, np.full_like(x, number * 10 % 256)]
    return np.stack(planes, -1).astype(np.uint8)


def make_photos(
    folder: Path,
    numbers: Iterable[int],
    *,
    size: tuple[int, int] = (96, 64),
    interval: Fraction | None = Fraction(5),
    ending: str = ".png",
    stem: str = "IMG_",
    turned: Iterable[int] = (),
) -> Path:
    """Write photos of these numbers; dated by an interval, or without dates."""
    folder.mkdir(parents=True, exist_ok=True)
    for number in numbers:
        image, exif = Image.fromarray(photo_pixels(number, size)), Image.Exif()
        if number in turned:
            image, exif[0x0112] = image.rotate(90, expand=True), 6
        if interval is not None:
            exif[0x0131] = "made up"  # with nothing but a date, some formats keep none of it
            date = START + timedelta(seconds=int(number * interval))
            exif.get_ifd(0x8769)[0x9003] = date.strftime("%Y:%m:%d %H:%M:%S")
        image.save(folder / f"{stem}{number:04d}{ending}", exif=exif)
    return folder
