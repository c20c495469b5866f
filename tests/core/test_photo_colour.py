"""Colours of photos with a profile, against the sums that the profile stands for."""

import struct
import zlib
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt
import pytest
from PIL import ImageCms

from chronoxis.core.footage.photos.photo_pixels import read_pixels

Light = npt.NDArray[np.float64]
Place = tuple[int, int]

# Red, green and blue of Display P3, seen from D50.
DISPLAY_P3 = ((0.51512, 0.24120, -0.00105), (0.29198, 0.69225, 0.04189), (0.15710, 0.06657, 0.78407))
LINEAR = (1.0, 1.0, 0.0, 1.0, 0.0)
"""Parameters of a curve that changes nothing."""


def tags_of(profile: bytes) -> dict[bytes, Place]:
    count = struct.unpack_from(">I", profile, 128)[0]
    entries = (struct.unpack_from(">4sII", profile, 132 + 12 * number) for number in range(count))
    return {name: (offset, size) for name, offset, size in entries}


def profile_of(
    colours: tuple[tuple[float, ...], ...] | None = None, curve: tuple[float, ...] | None = None
) -> bytes:
    """What says that it is sRGB, with other colours or another curve."""
    profile = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    tags = tags_of(bytes(profile))
    for name, colour in zip((b"rXYZ", b"gXYZ", b"bXYZ"), colours or (), strict=bool(colours)):
        struct.pack_into(">3i", profile, tags[name][0] + 8, *(round(each * 65536) for each in colour))
    for name in (b"rTRC", b"gTRC", b"bTRC"):
        if curve:
            struct.pack_into(">5i", profile, tags[name][0] + 12, *(round(each * 65536) for each in curve))
    return bytes(profile)


def matrix_of(profile: bytes) -> Light:
    tags = tags_of(profile)
    columns = [struct.unpack_from(">3i", profile, tags[n][0] + 8) for n in (b"rXYZ", b"gXYZ", b"bXYZ")]
    return np.array(columns, np.float64).T / 65536


def from_curve(codes: Light) -> Light:
    return np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4)


def to_curve(light: Light) -> Light:
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * light.clip(0) ** (1 / 2.4) - 0.055)


def seen(codes: Light, profile: bytes, curve: Callable[[Light], Light]) -> Light:
    """What codes of a profile are in sRGB, 0 to 1."""
    across = np.linalg.inv(matrix_of(profile_of())) @ matrix_of(profile)
    return to_curve((curve(codes) @ across.T).clip(0, 1))


PROFILES = {
    "sRGB": (profile_of(), from_curve),
    "Display P3": (profile_of(DISPLAY_P3), from_curve),
    "linear": (profile_of(curve=LINEAR), lambda codes: codes),
}


def saved(folder: Path, codes: npt.NDArray[np.uint8] | npt.NDArray[np.uint16], profile: bytes) -> Path:
    """A photo of 16 bits, or of 8 bits, with a profile, which no library here writes into deep ones."""
    path = folder / "photo.png"
    content = bytearray(cv2.imencode(".png", codes[..., ::-1] if codes.ndim == 3 else codes)[1].tobytes())
    body = b"iCCPown\0\0" + zlib.compress(profile)
    content[33:33] = struct.pack(">I", len(body) - 4) + body + struct.pack(">I", zlib.crc32(body))
    path.write_bytes(content)
    return path


@pytest.mark.parametrize("deep", [False, True])
@pytest.mark.parametrize("name", PROFILES)
def test_a_profile_counts_for_what_it_does(tmp_path: Path, name: str, deep: bool) -> None:
    profile, curve = PROFILES[name]
    most = 65535 if deep else 255
    codes = np.random.default_rng(1).integers(0, most + 1, (120, 160, 3))
    codes[:8] = np.linspace(0, most // 16, 160)[None, :, None]  # where curves are steepest
    path = saved(tmp_path, codes.astype(np.uint16) if deep else codes.astype(np.uint8), profile)
    read = read_pixels(path).astype(np.float64) / most
    assert read_pixels(path).dtype == (np.uint16 if deep else np.uint8)
    off = np.abs(read - seen(codes / most, profile, curve))
    assert off.max() * 255 < (0.1 if deep else 1.6)


@pytest.mark.parametrize("name", PROFILES)
def test_a_profile_of_another_kind_of_colour_changes_nothing(tmp_path: Path, name: str) -> None:
    for most in (255, 65535):
        grey = np.random.default_rng(1).integers(0, most + 1, (12, 16))
        path = saved(
            tmp_path, grey.astype(np.uint8) if most == 255 else grey.astype(np.uint16), PROFILES[name][0]
        )
        assert np.array_equal(read_pixels(path), np.repeat(grey[..., None], 3, -1))
