"""Long exposure: the weighted mean of recorded frames in linear light."""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache

import av
import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from av.video.plane import VideoPlane
from av.video.reformatter import Interpolation

from chronoxis.core.picture.colour import Colour, encoded_table, from_linear, linear_table, to_linear

Plane = npt.NDArray[np.uint8]
Rgb16 = npt.NDArray[np.uint16]

# The strips below use every core already.
cv2.setNumThreads(1)
_CORES = os.cpu_count() or 1
_POOL = ThreadPoolExecutor(_CORES, thread_name_prefix="gather")

# Whole frames are summed in uint16 and poured into float32 before the sum can overflow.
_LIGHT_SCALE = 8191
_SUMS = 65535 // _LIGHT_SCALE
# Rows of a strip, even, few enough that what is worked on stays in the processor's cache.
_STRIP = 60
_DOUBLE = np.uint16(0x0101)

_PLANAR_420 = frozenset({"yuv420p", "yuvj420p"})
# Curves so steep at black that 13 bits of light would show steps there.
_STEEP_TRANSFERS = frozenset({4, 5, 16})


class LightMean:
    """Collects frames of one size and colour and gives their mean.

    Eight-bit 4:2:0 frames go a short way: the matrix in fixed steps with correct rounding, chroma taken
    from the nearest sample, so that the mean of equal frames is that frame again. All other formats
    go through 16-bit R′G′B′.
    """

    def __init__(self, colour: Colour) -> None:
        self._colour = colour
        self._sum: npt.NDArray[np.float32] | None = None
        self._whole: npt.NDArray[np.uint16] | None = None
        self._whole_frames = 0
        self._weight = 0.0

    def add(self, frame: VideoFrame, weight: float = 1.0) -> None:
        """Add a decoded frame; weights count relative to one another, whole ones fastest."""
        if self._sum is None:
            shape = (frame.height, frame.width, 3)
            self._sum = np.zeros(shape, np.float32)
            self._whole = np.zeros(shape, np.uint16)
        quick = frame.format.name in _PLANAR_420 and self._colour.transfer not in _STEEP_TRANSFERS
        if quick:
            self._add_planar(frame, weight)
        else:
            self._add_any(frame, weight)
        self._weight += weight

    def mean(self) -> Rgb16:
        """The mean as R′G′B′ codes, uint16, shape (height, width, 3). Empties the collection.

        Raises:
            ValueError: nothing was added.
        """
        if self._sum is None or self._weight <= 0:
            raise ValueError("a mean needs at least one frame")
        self._pour()
        total = self._sum
        transfer, scale = self._colour.transfer, 1.0 / self._weight
        encoded = np.empty(total.shape, np.uint16)
        table = None if transfer in _STEEP_TRANSFERS else encoded_table(transfer)

        def encode(rows: slice) -> None:
            if table is None:
                encoded[rows] = np.rint(from_linear(total[rows] * scale, transfer) * 65535)
                return
            light = np.rint(total[rows] * np.float32(65535.0 * scale))
            np.take(table, light.astype(np.uint16), out=encoded[rows], mode="clip")

        _over_strips(encode, total.shape[0])
        self._sum = self._whole = None
        self._weight = 0.0
        return encoded

    def _add_planar(self, frame: VideoFrame, weight: float) -> None:
        assert self._sum is not None and self._whole is not None
        luma, *chroma = (_samples(plane) for plane in frame.planes)
        matrix, total, whole = self._colour.rgb_matrix(), self._sum, self._whole
        table = linear_table(self._colour.transfer, 8, _LIGHT_SCALE)
        partial = None if weight == 1.0 else (table * (weight / _LIGHT_SCALE)).astype(np.float32)

        def gather(rows: slice) -> None:
            for parity in (0, 1):
                lines = slice(rows.start + parity, rows.stop, 2)
                light = _light(luma[lines], [c[rows.start // 2 :] for c in chroma], matrix, table, partial)
                into = whole[lines] if partial is None else total[lines]
                cv2.add(into, light, into)

        _over_strips(gather, luma.shape[0])
        if partial is None:
            self._whole_frames += 1
            if self._whole_frames == _SUMS:
                self._pour()

    def _add_any(self, frame: VideoFrame, weight: float) -> None:
        assert self._sum is not None
        total, codes = self._sum, rgb16(frame, self._colour)
        table = (_light_table(self._colour.transfer) * weight).astype(np.float32)

        def gather(rows: slice) -> None:
            total[rows] += np.take(table, codes[rows])

        _over_strips(gather, codes.shape[0])

    def _pour(self) -> None:
        if not self._whole_frames:
            return
        assert self._sum is not None and self._whole is not None
        total, whole = self._sum, self._whole

        def pour(rows: slice) -> None:
            cv2.scaleAdd(whole[rows].astype(np.float32), 1 / _LIGHT_SCALE, total[rows], total[rows])
            whole[rows] = 0

        _over_strips(pour, total.shape[0])
        self._whole_frames = 0


def rgb16(frame: VideoFrame, colour: Colour) -> Rgb16:
    """A decoded frame as R′G′B′ codes, uint16, shape (height, width, 3)."""
    converted = frame.reformat(
        format="rgb48le",
        src_colorspace=colour.scaler_matrix,
        src_color_range=colour.scaler_range,
        dst_color_range=av.video.reformatter.ColorRange.JPEG,
        interpolation=Interpolation.BILINEAR | Interpolation.ACCURATE_RND,
    )
    return converted.to_ndarray().astype(np.uint16, copy=False)


def _light(
    luma: Plane,
    chroma: list[Plane],
    matrix: npt.NDArray[np.float32],
    table: npt.NDArray[np.uint16],
    partial: npt.NDArray[np.float32] | None,
) -> npt.NDArray[np.uint16] | npt.NDArray[np.float32]:
    height, width = luma.shape
    wide = [(c[:height] * _DOUBLE).view(np.uint8)[:, :width] for c in chroma]
    codes = cv2.transform(cv2.merge([luma, *wide]), matrix)
    return cv2.LUT(codes, table if partial is None else partial)  # type: ignore[return-value]


@cache
def _light_table(transfer: int) -> npt.NDArray[np.float64]:
    return to_linear(np.arange(65536) / 65535, transfer)


def _samples(plane: VideoPlane) -> Plane:
    rows: Plane = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)
    return rows[:, : plane.width]


def _over_strips(work: Callable[[slice], None], height: int) -> None:
    """Run ``work`` on strips of rows, shared out among the cores."""
    strips = [slice(top, min(top + _STRIP, height)) for top in range(0, height, _STRIP)]
    share = -(-len(strips) // _CORES)

    def run(first: int) -> None:
        for rows in strips[first : first + share]:
            work(rows)

    if share >= len(strips):
        run(0)
        return
    for outcome in [_POOL.submit(run, first) for first in range(0, len(strips), share)]:
        outcome.result()
