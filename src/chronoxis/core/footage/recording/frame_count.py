"""Which frames a recording really has: those of its index, but for what cannot be decoded at its ends."""

from pathlib import Path

import numpy as np

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.own_process import Told
from chronoxis.core.footage.recording.frame_index import FrameIndex, build_index
from chronoxis.core.footage.recording.frame_reader import FrameReader
from chronoxis.core.footage.source import Progress

_TAIL_FRAMES = 12  # frames at the end that are decoded to see which come out


def tell_frames(paths: list[str], progress: Progress) -> Told:
    """`count_frames` of the only path, in numbers. Raises as that."""
    return count_frames(Path(paths[0]), progress).told()


def count_frames(path: Path, progress: Progress | None = None) -> FrameIndex:
    """The index of a recording, without frames at its ends that refer to others which are not there.

    A stream that was cut out of another one begins inside a group of pictures; a recorder that lost
    its power leaves a last frame in part. Only what lies at the ends is decoded to find them.

    Raises:
        FootageError: the file cannot be read, or no frame of it can be decoded.
        Cancelled: ``progress`` raised it.
    """
    index = build_index(path, progress)
    if not index.stamped:
        return index
    with FrameReader(path, index) as reader:
        head = reader.first_number()
    if head is None:
        raise FootageError(f"{path.name} holds no frame that can be decoded; copy it again from the camera.")
    with FrameReader(path, index) as reader:
        last = reader.last_number(np.arange(max(head, len(index) - _TAIL_FRAMES), len(index)))
    return index.without_ends(head, len(index) - 1 - max(last, head))
