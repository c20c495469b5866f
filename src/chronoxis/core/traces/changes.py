"""How much of the picture changes from frame to frame, anywhere: a word typed in a corner counts.

Each frame is compared with the one before it, all of its pixels, block by block. What a camera's noise or a
codec makes of a still picture is told apart: noise is there all the time and much the same in all blocks, a
key frame changes all blocks a little at once. What only comes and goes, such as a caret that blinks, is no
change either: a block is then again what it was before its last change.
"""

from collections import deque
from collections.abc import Sequence

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from chronoxis.core.picture.kernels import block_differences

ROWS, COLUMNS = 36, 64
TOGETHER = 24
"""Frames that are judged at once."""

REMEMBERED = 5
"""Such lots before them in which a block's noise is looked for."""

_QUIET_SHARE = 20  # per cent of frames in which a block does no more than its noise
_FLAT_SHARE = 25  # per cent of blocks that do no more than noise even where the camera moves
# By how much the noise of a block may exceed that of flat ones: times, and 8-bit codes.
_SAME_NOISE_RATIO = 1.5
_SAME_NOISE_CODES = 1.0
_MOST_POP = 4.0  # 8-bit codes by which a key frame changes all blocks at most
# 8-bit codes of a change that is looked at, and within which a block is the same.
_NOTED_CODES = 3.0
_UNCHANGED_CODES = 2.0
_MOST_BLINKING = 64  # blocks that change at once, above which nobody's caret is at work
# Times its noise, and 8-bit codes, above which a block has changed.
_CHANGED_RATIO = 1.25
_CHANGED_CODES = 1.5
_WHITE_CODE = 255.0

Luma = npt.NDArray[np.uint8] | npt.NDArray[np.uint16]
Blocks = npt.NDArray[np.float32]
"""Mean differences of luma in 8-bit codes, shape (frames, `ROWS`, `COLUMNS`)."""


class ChangeWatch:
    """Looks at frames that follow one another, and judges them in lots."""

    def __init__(self) -> None:
        self._before: Luma | None = None
        self._older: Luma | None = None  # each block as it was before its last change
        self._quiet: deque[npt.NDArray[np.float32]] = deque(maxlen=REMEMBERED + 1)
        self._waiting: list[npt.NDArray[np.float32]] = []

    def see(self, frame: VideoFrame) -> None:
        """Compare the next frame with the one before."""
        luma = luma_of(frame)
        blocks = differences(self._before, luma)
        if self._before is not None and self._before.shape == luma.shape:
            self._pass_over_blinking(blocks, self._before, luma)
        self._waiting.append(blocks)
        self._before = luma

    def _pass_over_blinking(self, blocks: Blocks, before: Luma, luma: Luma) -> None:
        """Take those blocks out that are again what they were before their last change."""
        places = np.argwhere(blocks > _NOTED_CODES)
        if len(places) > _MOST_BLINKING:
            self._older = None
        elif len(places):
            older = self._older = before.copy() if self._older is None else self._older
            white = 255 if luma.dtype == np.uint8 else 65535
            for row, column in places.tolist():
                block = _slices(row, column, luma.shape)
                apart = float(cv2.absdiff(luma[block], older[block]).mean()) * _WHITE_CODE / white
                if apart < _UNCHANGED_CODES:
                    blocks[row, column] = 0
                older[block] = before[block]

    def judged(self) -> tuple[npt.NDArray[np.float32], npt.NDArray[np.float32]]:
        """Of the frames since the last lot: the largest change of a block, and the share that changed."""
        blocks = np.stack(self._waiting)
        self._waiting = []
        self._quiet.append(np.percentile(blocks, _QUIET_SHARE, axis=0, method="lower").astype(np.float32))
        return judged(blocks, noise_in(self._quiet))


def judged(
    blocks: Blocks, noise: npt.NDArray[np.float32]
) -> tuple[npt.NDArray[np.float32], npt.NDArray[np.float32]]:
    """The largest change of a block of each frame, 0 to 1, and the share of blocks that changed.

    Args:
        blocks: differences.
        noise: of each block, in 8-bit codes; shape (`ROWS`, `COLUMNS`).
    """
    above = blocks - noise
    pop = np.clip(np.median(above, axis=(1, 2), keepdims=True), 0, _MOST_POP)
    changed = np.maximum(above - pop - (_CHANGED_RATIO - 1) * noise - _CHANGED_CODES, 0)
    return changed.max(axis=(1, 2)) / np.float32(_WHITE_CODE), np.mean(
        changed > 0, axis=(1, 2), dtype=np.float32
    )


def noise_in(quiet: Sequence[npt.NDArray[np.float32]]) -> npt.NDArray[np.float32]:
    """The noise of each block, from what it does in the quieter frames of some lots."""
    least: npt.NDArray[np.float32] = np.min(np.stack(quiet), axis=0)
    flat = float(np.percentile(least, _FLAT_SHARE))
    return np.minimum(least, np.float32(_SAME_NOISE_RATIO * flat + _SAME_NOISE_CODES))


def differences(before: Luma | None, luma: Luma) -> Blocks:
    """By how much each block differs from one picture to the next; all by nothing where there is none."""
    if before is None or before.shape != luma.shape:
        return np.zeros((ROWS, COLUMNS), np.float32)
    height, width = luma.shape
    if height < ROWS or width < COLUMNS:
        apart = cv2.absdiff(before, luma)
        means = cv2.resize(apart, (COLUMNS, ROWS), interpolation=cv2.INTER_AREA).astype(np.float32)
    else:
        means = block_differences(before, luma, (ROWS, COLUMNS))
    return means if luma.dtype == np.uint8 else means * np.float32(_WHITE_CODE / 65535)


def _slices(row: int, column: int, shape: tuple[int, ...]) -> tuple[slice, slice]:
    """Where a block lies."""
    rows, columns = (row * shape[0] // ROWS, (row + 1) * shape[0] // ROWS), (column, column + 1)
    across = [column * shape[1] // COLUMNS for column in columns]
    return slice(rows[0], max(rows[1], rows[0] + 1)), slice(across[0], max(across[1], across[0] + 1))


def luma_of(frame: VideoFrame) -> Luma:
    """The luma of a frame, uint8, or uint16 over its whole range."""
    components = frame.format.components
    bits = components[0].bits
    if frame.format.is_rgb or not components[0].is_luma or bits not in (8, 10, 12, 16):
        return np.asarray(frame.reformat(format="gray").to_ndarray(), np.uint8)
    plane = frame.planes[0]
    if bits == 8 and frame.format.is_planar:
        lines = np.frombuffer(memoryview(plane), np.uint8).reshape(frame.height, plane.line_size)
        return lines[:, : frame.width]  # it lies in the frame, which stays as long as this does
    if frame.format.is_planar and frame.format.name.endswith("le"):
        wide = np.frombuffer(memoryview(plane), np.uint16).reshape(frame.height, plane.line_size // 2)
        return np.asarray(wide[:, : frame.width] << (16 - bits), np.uint16)
    return np.asarray(frame.reformat(format="gray").to_ndarray(), np.uint8)
