"""Long exposure: the weighted mean of recorded frames in linear light."""

from collections.abc import Callable, Sequence
from functools import cache
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from av.video.plane import VideoPlane

from chronoxis.core.picture.colour import Colour, encoded_table, from_linear, linear_table, to_linear
from chronoxis.core.picture.rgb import Rgb16, rgb16
from chronoxis.core.picture.row_work import RowWork

Plane = npt.NDArray[np.uint8]

# Whole frames are summed in uint16, up to this many before the sum is poured into float32; the fewer
# they are, the finer the steps of light.
_MOST_SUMS = 16
# Whole frames are added so many at a time: the sum is fetched from memory less often.
_TOGETHER = 2
# Pieces of work that may wait for the cores, so that these never wait for the next frame.
_MOST_WAITING = 2
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

    def __init__(self, colour: Colour, frames: int = _MOST_SUMS) -> None:
        """``frames`` is how many there will be, as far as that is known: a few are summed more finely."""
        self._colour = colour
        self._sums = min(max(frames, 1), _MOST_SUMS)
        self._scale = 65535 // self._sums
        self._poured = False
        self._sum = np.zeros((0, 0, 3), np.float32)
        self._whole = np.zeros((0, 0, 3), np.uint16)
        self._whole_frames = 0
        self._weight = 0.0
        self._together: list[VideoFrame] = []
        self._work = RowWork()

    def add(self, frame: VideoFrame, weight: float = 1.0) -> None:
        """Add a decoded frame; weights count relative to one another, whole ones fastest.

        The work goes on after this returns; the frame must not change before `made`.

        Raises:
            ValueError: the frame has another size than those before it.
        """
        shape = (frame.height, frame.width, 3)
        if self._sum.shape != shape:
            if self._weight:
                raise ValueError("the frames of a mean have one size")
            self._sum, self._whole = np.zeros(shape, np.float32), np.zeros(shape, np.uint16)
        quick = frame.format.name in _PLANAR_420 and self._colour.transfer not in _STEEP_TRANSFERS
        if quick and weight == 1.0:
            self._add_whole(frame)
        elif quick:
            self._add_part(frame, weight)
        else:
            self._add_any(frame, weight)
        self._weight += weight
        self._work.wait(_MOST_WAITING)

    def made(self) -> Rgb16:
        """The mean as R′G′B′ codes, uint16, shape (height, width, 3). Empties the collection for another.

        Raises:
            ValueError: nothing was added.
        """
        if self._weight <= 0:
            raise ValueError("a mean needs at least one frame")
        self._add_together()
        if self._poured or self._weight != self._whole_frames:
            self._pour()
            encoded = self._encoded_sum()
        else:
            encoded = self._encoded_whole()
        self._work.wait()
        self._weight, self._whole_frames, self._poured = 0.0, 0, False
        return encoded

    def _encoded_whole(self) -> Rgb16:
        """The mean where the uint16 sum holds all of it: one look-up."""
        whole, encoded = self._whole, np.empty(self._whole.shape, np.uint16)
        table = _mean_table(self._colour.transfer, self._scale * self._whole_frames)

        def encode(rows: slice) -> None:
            cv2.LUT(whole[rows], table, encoded[rows])
            whole[rows] = 0

        self._work.give(encode, whole.shape[0])
        return encoded

    def _encoded_sum(self) -> Rgb16:
        total, transfer = self._sum, self._colour.transfer
        scale = np.float32(65535.0 / self._weight)
        encoded = np.empty(total.shape, np.uint16)
        table = None if transfer in _STEEP_TRANSFERS else encoded_table(transfer)

        def encode(rows: slice) -> None:
            light = total[rows]
            light *= scale
            if table is None:
                encoded[rows] = np.rint(from_linear(light / 65535.0, transfer) * 65535)
            else:
                light += 0.5  # what follows cuts off
                cv2.LUT(np.minimum(light, 65535).astype(np.uint16), table, encoded[rows])
            light[:] = 0

        self._work.give(encode, total.shape[0])
        return encoded

    def _add_whole(self, frame: VideoFrame) -> None:
        if self._whole_frames == self._sums:
            self._pour()
        self._together.append(frame)
        self._whole_frames += 1
        if len(self._together) == _TOGETHER or self._whole_frames == self._sums:
            self._add_together()

    def _add_together(self) -> None:
        if not self._together:
            return
        whole, pairs = self._whole, _pair_table(self._colour.transfer, self._scale)
        single = linear_table(self._colour.transfer, 8, self._scale)

        def gather(into: Rgb16, codes: Plane) -> None:
            if codes.size % 2:
                cv2.add(into, cv2.LUT(codes, single), into)
                return
            light = cv2.LUT(codes.reshape(1, -1).view(np.uint16), pairs).view(np.uint16)
            cv2.add(into, light.reshape(codes.shape), into)

        self._over_lines(self._together, whole, gather)
        self._together = []

    def _add_part(self, frame: VideoFrame, weight: float) -> None:
        light = to_linear(np.arange(256) / 255, self._colour.transfer)
        table = (light * weight).astype(np.float32)

        def gather(into: npt.NDArray[np.float32], codes: Plane) -> None:
            cv2.add(into, cv2.LUT(codes, table), into)

        self._over_lines([frame], self._sum, gather)

    def _over_lines(
        self,
        frames: Sequence[VideoFrame],
        target: npt.NDArray[Any],
        gather: Callable[[npt.NDArray[Any], Plane], None],
    ) -> None:
        """Have ``gather`` called with pieces of the target and each frame's R′G′B′ codes for them.

        Lines that share a chroma line lie two apart; even and odd ones are taken by themselves.
        """
        pictures = [[_samples(plane) for plane in frame.planes] for frame in frames]
        matrix, (height, width, _) = self._colour.rgb_matrix(), target.shape

        def work(rows: slice) -> None:
            halves = slice(rows.start // 2, -(-rows.stop // 2))
            for luma, *chroma in pictures:
                wide = [(c[halves] * _DOUBLE).view(np.uint8)[:, :width] for c in chroma]
                for parity in (0, 1):
                    lines = slice(rows.start + parity, rows.stop, 2)
                    own = luma[lines]
                    codes = cv2.transform(cv2.merge([own, *(w[: len(own)] for w in wide)]), matrix)
                    gather(target[lines], np.asarray(codes, np.uint8))

        self._work.give(work, height)

    def _add_any(self, frame: VideoFrame, weight: float) -> None:
        total, codes = self._sum, rgb16(frame, self._colour)
        table = (_light_table(self._colour.transfer) * weight).astype(np.float32)

        def gather(rows: slice) -> None:
            total[rows] += np.take(table, codes[rows])

        self._work.give(gather, codes.shape[0])

    def _pour(self) -> None:
        if not self._whole_frames:
            return
        total, whole, scale = self._sum, self._whole, 1 / self._scale

        def pour(rows: slice) -> None:
            cv2.scaleAdd(whole[rows].astype(np.float32), scale, total[rows], total[rows])
            whole[rows] = 0

        self._work.give(pour, total.shape[0])
        self._whole_frames, self._poured = 0, True


@cache
def _pair_table(transfer: int, scale: int) -> npt.NDArray[np.int32]:
    """Light of two neighbouring codes at once: a look-up for two samples costs little more than for one."""
    light = linear_table(transfer, 8, scale)
    second, first = np.meshgrid(light, light, indexing="ij")
    return np.stack([first, second], -1).reshape(-1).view(np.int32)


@cache
def _mean_table(transfer: int, whole: int) -> npt.NDArray[np.uint16]:
    """16-bit code values for sums of light in which ``whole`` is full light; shape (65536,)."""
    return np.rint(from_linear(np.arange(65536) / whole, transfer) * 65535).astype(np.uint16)


@cache
def _light_table(transfer: int) -> npt.NDArray[np.float64]:
    return to_linear(np.arange(65536) / 65535, transfer)


def _samples(plane: VideoPlane) -> Plane:
    rows: Plane = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)
    return rows[:, : plane.width]
