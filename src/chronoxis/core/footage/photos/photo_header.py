"""What a photo's header says."""

import re
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta, timezone
from pathlib import Path
from typing import Any

from PIL import Image

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.photos.photo_file import (
    exif_of,
    import_extra,
    is_deep,
    is_raw,
    left_to_turn,
    opened,
    raw_size,
)
from chronoxis.core.model.export_format import Size

_DETAILS = 0x8769
_TAKEN, _DIGITISED, _CHANGED = 0x9003, 0x9004, 0x0132
_OFFSET, _FRACTION = 0x9011, 0x9291
_QUARTER_TURNED = frozenset({5, 6, 7, 8})
_ENDS = {"JPEG": (b"\xff\xd9", 2048), "PNG": (b"IEND", 64)}


@dataclass(frozen=True)
class PhotoHeader:
    """What a photo's header says.

    Attributes:
        name: of its file.
        size: width and height, upright.
        form: such as ``JPEG``.
        deep: whether it has more than eight bits a sample.
        taken: when, by the camera's clock; None if it does not say.
        offset: of that clock from universal time, if the photo says so.
        bytes: of its file.
        wrong: why it cannot be read, or nothing.
    """

    name: str
    size: Size = (0, 0)
    form: str = ""
    deep: bool = False
    taken: datetime | None = None
    offset: timedelta | None = None
    bytes: int = 0
    wrong: str = ""

    def told(self) -> dict[str, Any]:
        """All of it as JSON values, to be read back by `of_told`."""
        return {
            **asdict(self),
            "taken": self.taken.isoformat() if self.taken else None,
            "offset": self.offset.total_seconds() if self.offset is not None else None,
        }

    @classmethod
    def of_told(cls, told: dict[str, Any]) -> "PhotoHeader":
        """The header that said so."""
        taken, offset = told["taken"], told["offset"]
        width, height = told["size"]
        return cls(
            name=str(told["name"]),
            size=(int(width), int(height)),
            form=str(told["form"]),
            deep=bool(told["deep"]),
            taken=datetime.fromisoformat(taken) if taken else None,
            offset=timedelta(seconds=float(offset)) if offset is not None else None,
            bytes=int(told["bytes"]),
            wrong=str(told["wrong"]),
        )


def read_header(path: Path) -> PhotoHeader:
    """Read a photo's header. What is wrong with it stands in `PhotoHeader.wrong`."""
    try:
        size = path.stat().st_size
        if size == 0:
            return PhotoHeader(path.name, wrong="is empty (0 bytes)")
        return _raw_header(path, size) if is_raw(path) else _plain_header(path, size)
    except FileNotFoundError:
        return PhotoHeader(path.name, wrong="is not there")
    except PermissionError:
        return PhotoHeader(path.name, wrong="may not be read")
    except FootageError as error:
        return PhotoHeader(path.name, wrong=str(error))
    except Exception:  # what libraries raise for damaged headers is without end
        return PhotoHeader(path.name, wrong="is damaged, or of another kind than its name says")


def universal(header: PhotoHeader) -> datetime | None:
    """When a photo was taken by universal time; by the camera's clock if it says no offset."""
    if header.taken is None or header.offset is None:
        return header.taken
    return header.taken.replace(tzinfo=timezone(header.offset)).astimezone(UTC).replace(tzinfo=None)


def _plain_header(path: Path, size: int) -> PhotoHeader:
    with opened(path) as image:
        exif = exif_of(image)
        orientation = left_to_turn(image)
        taken, offset = _date(exif)
        width, height = image.size
        return PhotoHeader(
            name=path.name,
            size=(height, width) if orientation in _QUARTER_TURNED else (width, height),
            form=image.format or "",
            deep=is_deep(image),
            taken=taken,
            offset=offset,
            bytes=size,
            wrong="" if _is_complete(path, image.format, size) else "is cut off",
        )


def _raw_header(path: Path, size: int) -> PhotoHeader:
    library = import_extra(path)
    with library.imread(str(path)) as raw:
        shape = raw_size(raw.sizes)
    exif = Image.Exif()
    with path.open("rb") as file:
        try:
            exif.load_from_fp(file)
        except (SyntaxError, OSError):
            exif = Image.Exif()  # a raw format of another make than TIFF
    taken, offset = _date(exif)
    return PhotoHeader(path.name, shape, "raw", True, taken, offset, size)


def _is_complete(path: Path, form: str | None, size: int) -> bool:
    """Whether a file ends as its format says; a cheap way to find most that were cut off."""
    if form not in _ENDS:
        return True
    mark, tail = _ENDS[form]
    with path.open("rb") as file:
        file.seek(max(0, size - tail))
        return mark in file.read()


def _date(exif: Image.Exif) -> tuple[datetime | None, timedelta | None]:
    """When a photo was taken, to its fraction of a second, and the offset of the camera's clock."""
    details = exif.get_ifd(_DETAILS)
    for text in (details.get(_TAKEN), details.get(_DIGITISED), exif.get(_CHANGED)):
        try:
            taken = datetime.strptime(str(text).strip("\0 ")[:19], "%Y:%m:%d %H:%M:%S")
        except ValueError:
            continue
        part = re.match(r"\d+", str(details.get(_FRACTION, "")).strip())
        if part:
            taken += timedelta(seconds=float(f"0.{part[0]}"))
        return taken, _offset(str(details.get(_OFFSET, "")))
    return None, None


def _offset(text: str) -> timedelta | None:
    found = re.fullmatch(r"([+-])(\d\d):(\d\d)", text.strip("\0 "))
    if not found:
        return None
    offset = timedelta(hours=int(found[2]), minutes=int(found[3]))
    return -offset if found[1] == "-" else offset
