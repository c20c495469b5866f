"""Colours of a photo's profile, brought to sRGB."""

import io
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
from PIL import Image, ImageCms

from chronoxis.core.picture.colour import SRGB, from_linear

_GRID_NODES = 9  # a side of the colours that are looked at to tell what a profile does
_CODE_TOLERANCE = 1  # code of eight bits, by which a profile that does nothing may be off
_SAME_LIGHT = 1e-5  # of white, by which sums may miss what the library gives
_TRIED_COLOURS = 1000  # colours that they are held against
_STRIP_ROWS = 128  # rows that are worked on at a time
# Of BT.709 and D65: x, y and a luminance of 1 (ITU-R BT.709).
_WHITE_POINT = (0.3127, 0.3290, 1.0)
_PRIMARIES = (0.64, 0.33, 1.0, 0.30, 0.60, 1.0, 0.15, 0.06, 1.0)

_Light = npt.NDArray[np.float32]
"""Linear light."""


def in_srgb(image: Image.Image, profile: bytes | None) -> Image.Image:
    """Samples of eight bits as R′G′B′ in sRGB; as they are, where the profile is none that can be read."""
    transform = _to_srgb(profile, image.mode) if profile else None
    if transform is not None:
        return ImageCms.applyTransform(image, transform) or image
    return image if image.mode == "RGB" else image.convert("RGB")


def deep_in_srgb(samples: npt.NDArray[np.uint16], profile: bytes | None) -> npt.NDArray[np.uint16]:
    """The same of sixteen bits; grey, shape (height, width), or R′G′B′, shape (height, width, 3)."""
    is_grey = samples.ndim == 2
    if profile is None or _to_srgb(profile, "L" if is_grey else "RGB") is None:
        return np.repeat(samples[..., None], 3, -1) if is_grey else samples
    tables = None if is_grey else _light_tables(profile)
    if tables is None:
        return np.asarray(_transformed(samples, profile, _srgb().tobytes(), np.uint16))
    outcome = np.empty_like(samples)
    for top in range(0, len(samples), _STRIP_ROWS):
        strip = samples[top : top + _STRIP_ROWS]
        outcome[top : top + _STRIP_ROWS] = np.rint(from_linear(_summed(tables, strip), SRGB) * 65535)
    return outcome


@lru_cache(2)
def _light_tables(profile: bytes) -> list[_Light] | None:
    """Linear light in sRGB's colours that each code of red, green and blue adds, shape (65536, 3).

    Most profiles are curves and a matrix: their colours are sums of these, which is far faster to reckon than
    the library's way. None where the profile is another kind.
    """
    linear = _linear_srgb()
    ramps = np.zeros((3, 65536, 3), np.uint16)
    for channel in range(3):
        ramps[channel, :, channel] = np.arange(65536)
    tables = list(_transformed(ramps, profile, linear, np.float32))
    some = np.random.default_rng(0).integers(0, 65536, (1, _TRIED_COLOURS, 3)).astype(np.uint16)
    off = np.abs(_summed(tables, some) - _transformed(some, profile, linear, np.float32)).max()
    return tables if off < _SAME_LIGHT else None


def _summed(tables: list[_Light], samples: npt.NDArray[np.uint16]) -> _Light:
    red, green, blue = (table[samples[..., channel]] for channel, table in enumerate(tables))
    return red + green + blue


def _transformed(
    samples: npt.NDArray[np.uint16], profile: bytes, into: bytes, form: type[np.uint16 | np.float32]
) -> npt.NDArray[Any]:
    """Samples in the colours of another profile, by the library's exact and slow way."""
    from imagecodecs import CMS, cms_transform  # noqa: PLC0415 - slow to import, and seldom needed

    return cms_transform(
        samples,
        profile,
        into,
        colorspace="gray" if samples.ndim == 2 else "rgb",
        outcolorspace="rgb",
        outdtype=form,
        intent=CMS.INTENT.RELATIVE_COLORIMETRIC,
        flags=CMS.FLAGS.NOOPTIMIZE,
    )


@lru_cache(1)
def _linear_srgb() -> bytes:
    """A profile of sRGB's colours without its curve."""
    from imagecodecs import cms_profile  # noqa: PLC0415 - slow to import, and seldom needed

    return cms_profile("rgb", whitepoint=_WHITE_POINT, primaries=_PRIMARIES, gamma=1.0)


@lru_cache(1)
def _srgb() -> ImageCms.ImageCmsProfile:
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB"))


@lru_cache(8)
def _to_srgb(profile: bytes, mode: str) -> ImageCms.ImageCmsTransform | None:
    """What brings colours of a profile to sRGB; None where that is not needed or not to be had.

    What a profile does tells that, and not what it is called.
    """
    try:
        transform = ImageCms.buildTransform(
            ImageCms.ImageCmsProfile(io.BytesIO(profile)),
            _srgb(),
            mode,
            "RGB",
            ImageCms.Intent.RELATIVE_COLORIMETRIC,
        )
    except (ImageCms.PyCMSError, OSError):
        return None  # a profile that is damaged, or of another kind of colour
    return transform if mode == "CMYK" or _changes_colours(transform, mode) else None


def _changes_colours(transform: ImageCms.ImageCmsTransform, mode: str) -> bool:
    codes = np.rint(np.linspace(0, 255, _GRID_NODES)).astype(np.uint8)
    grid = np.stack(np.meshgrid(codes, codes, codes, indexing="ij"), -1).reshape(1, -1, 3)
    before = Image.fromarray(grid if mode == "RGB" else np.arange(256, dtype=np.uint8)[None])
    after = np.asarray(ImageCms.applyTransform(before, transform), np.int16)
    return bool(np.abs(after - np.asarray(before.convert("RGB"), np.int16)).max() > _CODE_TOLERANCE)
