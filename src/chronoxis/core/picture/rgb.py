"""Pictures as R′G′B′ codes, which all formats can be turned into."""

import re
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from av.video.plane import VideoPlane
from av.video.reformatter import Interpolation

from chronoxis.core.picture.colour import Colour

SCALING = Interpolation.BICUBIC | Interpolation.ACCURATE_RND | Interpolation.FULL_CHR_H_INT
"""How frames are brought to another size or format."""

Rgb16 = npt.NDArray[np.uint16]
"""Shape (height, width, 3), full range."""


_INTERLEAVED = {"nv12": "yuv420p", "nv16": "yuv422p", "p010le": "yuv420p10le"}
_PLANAR = re.compile(r"(?:yuva?j?(4[0-4][0-4])p|(gray))(\d*)(?:le)?")


def rgb16(frame: VideoFrame, colour: Colour) -> Rgb16:
    """A decoded frame as R′G′B′ codes, uint16, shape (height, width, 3).

    The library's own conversion to 16 bits leaves white a little short of it and moves chroma, so planes
    are taken as they are and the matrix of H.273, 8.3, is applied here.
    """
    if frame.format.is_rgb:
        return _from_rgb(frame)
    if not _PLANAR.fullmatch(frame.format.name):
        depth = max(part.bits for part in frame.format.components)
        frame = frame.reformat(format=f"yuv444p{depth}le" if depth > 8 else "yuv444p")
    match = _PLANAR.fullmatch(frame.format.name)
    assert match is not None
    depth = int(match[3] or 8)
    luma, *chroma = (
        samples_of(plane, depth).astype(np.float32) for plane in frame.planes[: 1 if match[2] else 3]
    )
    if chroma:
        halvings = chroma_halvings(frame)
        wide = [_upsampled(part, luma.shape, halvings) for part in chroma]
    else:
        wide = [np.full_like(luma, 1 << (depth - 1))] * 2
    matrix = colour.rgb_matrix(depth)
    matrix *= 65535
    codes = cv2.transform(cv2.merge([luma, *wide]), matrix)
    return np.asarray(np.rint(codes, out=codes).clip(0, 65535), np.uint16)


def planar_format(frame: VideoFrame) -> str | None:
    """The format whose planes hold the very samples of a Y′CbCr or grey frame; None if there is none."""
    name = _INTERLEAVED.get(frame.format.name, frame.format.name)
    return name if _PLANAR.fullmatch(name) else None


def planar_depth(name: str) -> int:
    """Bits per sample of a planar Y′CbCr or grey format. Raises ValueError if it is none."""
    match = _PLANAR.fullmatch(name)
    if match is None:
        raise ValueError(f"{name} is not planar Y′CbCr")
    return int(match[3] or 8)


def _from_rgb(frame: VideoFrame) -> Rgb16:
    depth = max(part.bits for part in frame.format.components)
    if depth <= 8:
        return np.asarray(frame.to_ndarray(format="rgb24"), np.uint16) * np.uint16(257)
    planar = frame.reformat(format=f"gbrp{depth}le")
    green, blue, red = (samples_of(plane, depth) for plane in planar.planes[:3])
    whole = (1 << depth) - 1
    scaled = [(part.astype(np.uint32) * 65535 + whole // 2) // whole for part in (red, green, blue)]
    return np.asarray(np.stack(scaled, -1), np.uint16)


def samples_of(plane: VideoPlane, depth: int) -> npt.NDArray[np.uint16] | npt.NDArray[np.uint8]:
    """The samples of a decoded plane of so many bits each, without what pads its rows."""
    return _rows(plane, deep=depth > 8)[:, : plane.width]


def rgb_samples(frame: VideoFrame) -> npt.NDArray[Any]:
    """The samples of a frame of rgb24 or rgb48le, shape (height, width, 3), where they lie."""
    rows = _rows(frame.planes[0], deep=frame.format.name == "rgb48le")
    return rows[:, : 3 * frame.width].reshape(frame.height, frame.width, 3)


def _rows(plane: VideoPlane, *, deep: bool) -> npt.NDArray[Any]:
    """The samples of a plane, with what pads its rows."""
    kind = np.uint16 if deep else np.uint8
    return np.frombuffer(memoryview(plane), kind).reshape(plane.height, -1)


def chroma_halvings(frame: VideoFrame) -> tuple[int, int]:
    """How many times the chroma of a planar frame is halved, across and down."""
    side = 1 << 8  # of a picture that all formats divide without a rest
    form = frame.format
    across, down = (side // part for part in (form.chroma_width(side), form.chroma_height(side)))
    return across.bit_length() - 1, down.bit_length() - 1


def _upsampled(
    chroma: npt.NDArray[np.float32], shape: tuple[int, ...], halvings: tuple[int, int]
) -> npt.NDArray[np.float32]:
    """Chroma at every luma sample, interpolated; ``halvings`` as `chroma_halvings` has them.

    A chroma sample is taken to stand between the luma samples that share it, as the library has it when
    it goes the other way: there and back, nothing moves.
    """
    if chroma.shape == shape:
        return chroma
    across, down = (1 << each for each in halvings)
    inverse = np.array([[1 / across, 0, 0.5 / across - 0.5], [0, 1 / down, 0.5 / down - 0.5]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    wide = cv2.warpAffine(chroma, inverse, shape[::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(wide, np.float32)
