"""One still photo: what its header says, and its pixels."""

import io
import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, timezone
from functools import lru_cache
from importlib import import_module
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image, ImageCms, ImageFile, UnidentifiedImageError

from chronoxis.core.errors import FootageError
from chronoxis.core.model.export_format import Size

Pixels = npt.NDArray[np.uint8] | npt.NDArray[np.uint16]
"""R′G′B′ in sRGB, shape (height, width, 3), upright; uint8 or, where the photo is deeper, uint16."""

PLAIN_ENDINGS = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp")
HEIF_ENDINGS = (".heic", ".heif", ".hif")
RAW_ENDINGS = (
    ".dng", ".nef", ".nrw", ".cr2", ".cr3", ".arw", ".srf", ".sr2", ".raf",
    ".orf", ".rw2", ".pef", ".srw", ".x3f", ".iiq", ".3fr", ".erf",
)  # fmt: skip
ENDINGS = PLAIN_ENDINGS + HEIF_ENDINGS + RAW_ENDINGS

# Optional libraries: which module reads which endings, and what to install for it.
_EXTRAS = {
    HEIF_ENDINGS: ("pillow_heif", "HEIF photos", "pillow-heif"),
    RAW_ENDINGS: ("rawpy", "camera raw photos", "rawpy"),
}
_SRGB_GAMMA = 2.4, 12.92  # power and slope at black (IEC 61966-2-1)
_MOST_PIXELS = 16384 * 16384
_LATTICE = 52  # nodes a side of a table of colours: every fifth code
_STRIP = 128  # rows that are worked on at a time
_REDUCTIONS = (8, 4, 2)
_ORIENTATION, _DETAILS = 0x0112, 0x8769
_TAKEN, _DIGITISED, _CHANGED = 0x9003, 0x9004, 0x0132
_OFFSET, _FRACTION = 0x9011, 0x9291
_QUARTER_TURNED = frozenset({5, 6, 7, 8})
_ENDS = {"JPEG": (b"\xff\xd9", 2048), "PNG": (b"IEND", 64)}
_TRANSPOSED: dict[int, Callable[[Pixels], Pixels]] = {
    2: lambda p: p[:, ::-1],
    3: lambda p: p[::-1, ::-1],
    4: lambda p: p[::-1],
    5: lambda p: p.transpose(1, 0, 2),
    6: lambda p: np.rot90(p, -1),
    7: lambda p: p[::-1, ::-1].transpose(1, 0, 2),
    8: lambda p: np.rot90(p, 1),
}

# Sizes are checked here, by a limit of our own; and what is wrong with a photo is said here.
Image.MAX_IMAGE_PIXELS = None
cv2.utils.logging.setLogLevel(cv2.utils.logging.LOG_LEVEL_SILENT)


@dataclass(frozen=True)
class PhotoHeader:
    """What a photo's header says.

    Attributes:
        name: of its file.
        size: width and height, upright.
        form: such as ``JPEG``.
        deep: whether it has more than eight bits a sample.
        turned: whether its tag turns or mirrors it.
        profile: whether it carries a colour profile.
        taken: when, by the camera's clock; None if it does not say.
        offset: of that clock from universal time, if the photo says so.
        bytes: of its file.
        wrong: why it cannot be read, or nothing.
    """

    name: str
    size: Size = (0, 0)
    form: str = ""
    deep: bool = False
    turned: bool = False
    profile: bool = False
    taken: datetime | None = None
    offset: timedelta | None = None
    bytes: int = 0
    wrong: str = ""


def read_header(path: Path) -> PhotoHeader:
    """Read a photo's header. What is wrong with it stands in `PhotoHeader.wrong`."""
    try:
        size = path.stat().st_size
        if size == 0:
            return PhotoHeader(path.name, wrong="is empty (0 bytes)")
        return _raw_header(path, size) if _is_raw(path) else _plain_header(path, size)
    except FileNotFoundError:
        return PhotoHeader(path.name, wrong="is not there")
    except PermissionError:
        return PhotoHeader(path.name, wrong="may not be read")
    except FootageError as error:
        return PhotoHeader(path.name, wrong=str(error))
    except Exception:  # what libraries raise for damaged headers is without end
        return PhotoHeader(path.name, wrong="is damaged, or of another kind than its name says")


def read_pixels(path: Path, reduction: int = 1) -> Pixels:
    """Decode a photo, turned upright and brought to sRGB.

    Args:
        path: where it lies.
        reduction: 1, 2, 4 or 8: by how much each side may be smaller, rounded up. Formats that cannot
            decode at a smaller size are reduced afterwards, so that all photos of a run come out alike.

    Raises:
        FootageError: it cannot be read; says why.
    """
    try:
        return _raw_pixels(path, reduction) if _is_raw(path) else _plain_pixels(path, reduction)
    except FileNotFoundError:
        raise FootageError(f"{path.name} is not there.") from None
    except FootageError:
        raise
    except MemoryError:
        raise FootageError(f"{path.name} does not fit into the memory.") from None
    except Exception as error:  # as above
        raise FootageError(f"{path.name} is damaged or cut off.") from error


def resized(pixels: Pixels, size: Size) -> Pixels:
    """Pixels at another, mostly smaller size."""
    return cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)  # type: ignore[return-value]


def largest_reduction(photo: Size, needed: Size) -> int:
    """By how much a photo may be smaller and still be at least so large."""
    for reduction in _REDUCTIONS:
        if photo[0] >= reduction * needed[0] and photo[1] >= reduction * needed[1]:
            return reduction
    return 1


def missing_extra(path: Path) -> str:
    """What has to be installed to read a photo of this ending, in a sentence; nothing, if it is there."""
    for endings, (module, kind, package) in _EXTRAS.items():
        if path.suffix.lower() in endings and find_spec(module) is None:
            return f"{kind} need the optional library {package}: pip install {package}"
    return ""


def _is_raw(path: Path) -> bool:
    return path.suffix.lower() in RAW_ENDINGS


def _opened(path: Path) -> Image.Image:
    if path.suffix.lower() in HEIF_ENDINGS:
        _import_extra(path).register_heif_opener()
    try:
        image = Image.open(path)
    except UnidentifiedImageError:
        raise FootageError("is damaged, or of another kind than its name says") from None
    if image.width * image.height > _MOST_PIXELS:
        raise FootageError(f"is too large ({image.width}×{image.height})")
    return image


def _import_extra(path: Path) -> Any:
    if wanting := missing_extra(path):
        raise FootageError(f"cannot be read: {wanting}")
    return import_module("rawpy" if _is_raw(path) else "pillow_heif")


def _plain_header(path: Path, size: int) -> PhotoHeader:
    with _opened(path) as image:
        exif = image.getexif() if image.format != "PNG" or "exif" in image.info else Image.Exif()
        orientation = exif.get(_ORIENTATION, 1)
        taken, offset = _date(exif)
        width, height = image.size
        return PhotoHeader(
            name=path.name,
            size=(height, width) if orientation in _QUARTER_TURNED else (width, height),
            form=image.format or "",
            deep=_is_deep(image),
            turned=orientation in _TRANSPOSED,
            profile=bool(image.info.get("icc_profile")),
            taken=taken,
            offset=offset,
            bytes=size,
            wrong="" if _is_complete(path, image.format, size) else "is cut off",
        )


def _is_complete(path: Path, form: str | None, size: int) -> bool:
    """Whether a file ends as its format says; a cheap way to find most that were cut off."""
    if form not in _ENDS:
        return True
    mark, tail = _ENDS[form]
    with path.open("rb") as file:
        file.seek(max(0, size - tail))
        return mark in file.read()


def _is_deep(image: Image.Image) -> bool:
    if image.mode.startswith(("I;16", "I", "F")):
        return True
    tiles = image.tile if isinstance(image, ImageFile.ImageFile) else []
    raw = [str(tile[3][0] if isinstance(tile[3], tuple) and tile[3] else tile[3]) for tile in tiles]
    return any(";16" in each for each in raw)


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


def universal(header: PhotoHeader) -> datetime | None:
    """When a photo was taken by universal time; by the camera's clock if it says no offset."""
    if header.taken is None or header.offset is None:
        return header.taken
    return header.taken.replace(tzinfo=timezone(header.offset)).astimezone(UTC).replace(tzinfo=None)


def _plain_pixels(path: Path, reduction: int) -> Pixels:
    if path.suffix.lower() == ".png":
        with _opened(path) as image:
            image.verify()  # against its check sums: decoding goes on without a word where data is damaged
    with _opened(path) as image:
        width, height = image.size
        smaller = -(-width // reduction), -(-height // reduction)
        exif = image.getexif() if image.format != "PNG" or "exif" in image.info else Image.Exif()
        pixels: Pixels
        turn = _TRANSPOSED.get(exif.get(_ORIENTATION, 1))
        profile = image.info.get("icc_profile")
        if _is_deep(image):
            pixels = _deep_pixels(path, image, profile)
        else:
            if reduction > 1 and image.format == "JPEG":
                image.draft("RGB" if image.mode == "RGB" else image.mode, smaller)
            image.load()
            pixels = np.asarray(_in_srgb(_flat(image), profile))
    if pixels.shape[:2] != smaller[::-1]:
        pixels = resized(pixels, smaller)
    return pixels if turn is None else turn(pixels)


def _flat(image: Image.Image) -> Image.Image:
    """Without transparency, on black, and in a mode that colour profiles know."""
    if image.mode in ("RGB", "L", "CMYK"):
        return image
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        over = image.convert("RGBA")
        flat = Image.new("RGB", image.size)
        flat.paste(over, mask=over.getchannel("A"))
        return flat
    return image.convert("RGB")


def _in_srgb(image: Image.Image, profile: bytes | None) -> Image.Image:
    transform = _to_srgb(profile, image.mode) if profile else None
    if transform is not None:
        return ImageCms.applyTransform(image, transform) or image
    return image.convert("RGB")


@lru_cache(8)
def _to_srgb(profile: bytes, mode: str) -> ImageCms.ImageCmsTransform | None:
    """What brings colours of a profile to sRGB; None where that is not needed or not to be had."""
    try:
        known = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        if "srgb" in ImageCms.getProfileDescription(known).lower():
            return None
        return ImageCms.buildTransform(
            known, ImageCms.createProfile("sRGB"), mode, "RGB", ImageCms.Intent.RELATIVE_COLORIMETRIC
        )
    except (ImageCms.PyCMSError, OSError):
        return None  # a profile that is damaged, or of another kind of colour


def _deep_pixels(path: Path, image: Image.Image, profile: bytes | None) -> Pixels:
    """Samples of sixteen bits, which Pillow does not keep in colour."""
    read = cv2.imread(str(path), cv2.IMREAD_UNCHANGED | cv2.IMREAD_IGNORE_ORIENTATION)
    if read is None:
        image.load()
        return np.asarray(_in_srgb(_flat(image), profile))
    if read.dtype == np.float32:
        read = np.rint(read.clip(0, 1) * 65535).astype(np.uint16)
    deep = read.astype(np.uint16) * np.uint16(257) if read.dtype == np.uint8 else read.astype(np.uint16)
    match deep.shape[2:]:
        case ():
            colour = np.repeat(deep[..., None], 3, -1)
        case (4,):
            over = deep[..., 3:].astype(np.uint32)
            colour = (deep[..., 2::-1] * over // 65535).astype(np.uint16)
        case _:
            colour = deep[..., ::-1]
    return _deep_in_srgb(np.ascontiguousarray(colour), profile)


def _deep_in_srgb(pixels: npt.NDArray[np.uint16], profile: bytes | None) -> npt.NDArray[np.uint16]:
    """Colours of a profile in sRGB: the change of eight-bit colours, laid over the finer samples."""
    transform = _to_srgb(profile, "RGB") if profile else None
    if transform is None:
        return pixels
    grid = np.rint(np.linspace(0, 255, _LATTICE)).astype(np.uint8)
    nodes = np.stack(np.meshgrid(grid, grid, grid, indexing="ij"), -1).reshape(1, -1, 3)
    seen = ImageCms.applyTransform(Image.fromarray(nodes, "RGB"), transform)
    table = np.asarray(seen, np.float32).reshape(_LATTICE, _LATTICE, _LATTICE, 3) * 257
    outcome = np.empty_like(pixels)
    for top in range(0, len(pixels), _STRIP):
        at = pixels[top : top + _STRIP].astype(np.float32) * ((_LATTICE - 1) / 65535)
        low = np.minimum(at.astype(np.intp), _LATTICE - 2)
        part, total = at - low, np.zeros(at.shape, np.float32)
        for corner in np.ndindex(2, 2, 2):
            place = low + np.array(corner)
            weight = np.prod(np.where(np.array(corner), part, 1 - part), -1, keepdims=True)
            total += weight * table[place[..., 0], place[..., 1], place[..., 2]]
        outcome[top : top + _STRIP] = np.rint(total)
    return outcome


def _raw_header(path: Path, size: int) -> PhotoHeader:
    library = _import_extra(path)
    with library.imread(str(path)) as raw:
        shape, turned = _raw_size(raw.sizes), raw.sizes.flip != 0
    exif = Image.Exif()
    with path.open("rb") as file:
        try:
            exif.load_from_fp(file)
        except (SyntaxError, OSError):
            exif = Image.Exif()  # a raw format of another make than TIFF
    taken, offset = _date(exif)
    return PhotoHeader(path.name, shape, "raw", True, turned, False, taken, offset, size)


def _raw_pixels(path: Path, reduction: int) -> Pixels:
    library = _import_extra(path)
    with library.imread(str(path)) as raw:
        width, height = _raw_size(raw.sizes)  # before it is told to work at half the size
        full = raw.postprocess(
            use_camera_wb=True,
            no_auto_bright=True,
            output_bps=16,
            half_size=reduction > 1,
            gamma=_SRGB_GAMMA,
        )
    smaller = -(-width // reduction), -(-height // reduction)
    return full if full.shape[:2] == smaller[::-1] else resized(full, smaller)


def _raw_size(sizes: Any) -> Size:
    """Width and height of a developed raw photo, upright."""
    turned = sizes.flip in (5, 6)  # a quarter, one way or the other
    return (sizes.iheight, sizes.iwidth) if turned else (sizes.iwidth, sizes.iheight)
