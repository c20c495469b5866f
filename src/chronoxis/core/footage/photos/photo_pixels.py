"""A photo's pixels: decoded, upright, in sRGB."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.photos.image_memory import pixels_in
from chronoxis.core.footage.photos.photo_colour import deep_in_srgb, in_srgb
from chronoxis.core.footage.photos.photo_file import (
    import_extra,
    is_deep,
    is_raw,
    left_to_turn,
    opened,
    raw_size,
    tiff_as_stored,
)
from chronoxis.core.model.export_format import Size
from chronoxis.core.picture.scaling import averaged

Pixels = npt.NDArray[np.uint8] | npt.NDArray[np.uint16]
"""R′G′B′ in sRGB, shape (height, width, 3), upright; uint8 or, where the photo is deeper, uint16."""

_SRGB_GAMMA = 2.4, 12.92  # power and slope at black (IEC 61966-2-1)
_REDUCTIONS = (8, 4, 2)
_SAME_SHAPE = 0.01  # by which width by height may differ through rounding
_QUARTERS = (5, 6, 7, 8)  # orientations by which width and height change places
_TRANSPOSED: dict[int, Callable[[Pixels], Pixels]] = {
    2: lambda p: p[:, ::-1],
    3: lambda p: p[::-1, ::-1],
    4: lambda p: p[::-1],
    5: lambda p: p.swapaxes(0, 1),
    6: lambda p: np.rot90(p, -1),
    7: lambda p: p[::-1, ::-1].swapaxes(0, 1),
    8: lambda p: np.rot90(p, 1),
}


def read_pixels(path: Path, reduction: int = 1, fitted: Size | None = None) -> Pixels:
    """Decode a photo, turned upright and brought to sRGB.

    Args:
        path: where it lies.
        reduction: 1, 2, 4 or 8: by how much each side may be smaller, rounded up. Formats that cannot
            decode at a smaller size are reduced afterwards, so that all photos of a run come out alike.
        fitted: the size, upright, to which photos of its shape are brought at once if they are larger.

    Raises:
        FootageError: it cannot be read; says why.
    """
    try:
        return _raw_pixels(path, reduction) if is_raw(path) else _plain_pixels(path, reduction, fitted)
    except FileNotFoundError:
        raise FootageError(f"{path.name} is not there.") from None
    except FootageError:
        raise
    except MemoryError:
        raise FootageError(f"{path.name} does not fit into the memory.") from None
    except Exception as error:  # as above
        raise FootageError(f"{path.name} is damaged or cut off.") from error


def resized(pixels: Pixels, size: Size) -> Pixels:
    """Pixels at another, mostly smaller size; as they are, if that is theirs."""
    if pixels.shape[1::-1] == size:
        return pixels
    return cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)  # type: ignore[return-value]


def largest_reduction(photo: Size, needed: Size) -> int:
    """By how much a photo may be smaller and still be at least so large."""
    for reduction in _REDUCTIONS:
        if photo[0] >= reduction * needed[0] and photo[1] >= reduction * needed[1]:
            return reduction
    return 1


def has_shape_of(size: Size, other: Size) -> bool:
    """Whether two sizes have one aspect, but for whole pixels."""
    return abs(size[0] / size[1] - other[0] / other[1]) < _SAME_SHAPE


def _plain_pixels(path: Path, reduction: int, fitted: Size | None) -> Pixels:
    if path.suffix.lower() == ".png":
        with opened(path) as image:
            image.verify()  # against its check sums: decoding goes on without a word where data is damaged
    with opened(path) as image:
        width, height = image.size
        smaller = -(-width // reduction), -(-height // reduction)
        orientation = left_to_turn(image)
        turn, profile = _TRANSPOSED.get(orientation), image.info.get("icc_profile")
        if is_deep(image):
            pixels = resized(_deep_pixels(path, image, profile), smaller)
        else:
            lying = fitted[::-1] if fitted and orientation in _QUARTERS else fitted
            pixels = _shallow_pixels(image, profile, smaller, lying)
    return pixels if turn is None else turn(pixels)


def _shallow_pixels(image: Image.Image, profile: bytes | None, smaller: Size, fitted: Size | None) -> Pixels:
    """Samples of eight bits, at the size that is wished if they can be brought to that, else smaller."""
    if image.format == "JPEG" and smaller != image.size:
        image.draft("RGB" if image.mode == "RGB" else image.mode, smaller)
    image.load()
    found = pixels_in(in_srgb(_flat(image), profile))
    if fitted and _can_be(found, fitted):
        return averaged(found, fitted)
    return resized(np.asarray(cv2.cvtColor(found, cv2.COLOR_RGBA2RGB), np.uint8), smaller)


def _can_be(pixels: Pixels, fitted: Size) -> bool:
    """Whether pixels can be brought to a size that is no larger."""
    height, width = pixels.shape[:2]
    return width >= fitted[0] and height >= fitted[1] and has_shape_of((width, height), fitted)


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


def _deep_pixels(path: Path, image: Image.Image, profile: bytes | None) -> Pixels:
    """Samples of sixteen bits, which Pillow does not keep in colour."""
    read, turn = _stored_samples(path, image)
    if read is None:
        image.load()
        return np.asarray(in_srgb(_flat(image), profile))
    if read.dtype == np.float32:
        read = np.rint(read.clip(0, 1) * 65535).astype(np.uint16)
    deep = read.astype(np.uint16) * np.uint16(257) if read.dtype == np.uint8 else read.astype(np.uint16)
    match deep.shape[2:]:
        case ():
            colour = deep
        case (4,):
            over = deep[..., 3:].astype(np.uint32)
            colour = (deep[..., 2::-1] * over // 65535).astype(np.uint16)
        case _:
            colour = deep[..., ::-1]
    if turn is not None:
        colour = turn(colour)
    return deep_in_srgb(np.ascontiguousarray(colour), profile)


def _stored_samples(
    path: Path, image: Image.Image
) -> tuple[npt.NDArray[Any] | None, Callable[[Pixels], Pixels] | None]:
    """Samples as they are stored, if they can be had, and how they are still to be turned.

    OpenCV turns TIFF by itself, whatever it is told, and fails at some of it.
    """
    way = cv2.IMREAD_UNCHANGED | cv2.IMREAD_IGNORE_ORIENTATION
    if image.format != "TIFF":
        return cv2.imread(str(path), way), None
    content, orientation = tiff_as_stored(path)
    return cv2.imdecode(np.frombuffer(content, np.uint8), way), _TRANSPOSED.get(orientation)


def _raw_pixels(path: Path, reduction: int) -> Pixels:
    library = import_extra(path)
    with library.imread(str(path)) as raw:
        width, height = raw_size(raw.sizes)  # before it is told to work at half the size
        full = raw.postprocess(
            use_camera_wb=True,
            no_auto_bright=True,
            output_bps=16,
            half_size=reduction > 1,
            gamma=_SRGB_GAMMA,
        )
    smaller = -(-width // reduction), -(-height // reduction)
    return resized(full, smaller)
