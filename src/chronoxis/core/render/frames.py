"""Result frames: the schedule, the recording and the way each frame is made, brought together."""

import os
from collections.abc import Generator, Iterator, Sequence
from contextlib import closing
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import Interpolation

from chronoxis.core.footage.facts import Facts
from chronoxis.core.footage.frame_index import FrameIndex
from chronoxis.core.footage.frame_reader import FrameReader
from chronoxis.core.model.settings import Size
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.framing import barred, encoded_rgb, fitted, turned
from chronoxis.core.picture.gather import LightMean, rgb16
from chronoxis.core.render.ahead import ahead
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.schedule import Frames, Schedule

# Gathering a recorded frame takes the cores about as long as decoding it does.
THREADS_BESIDE_GATHERING = max(1, (os.cpu_count() or 1) // 2)
_DECODED_AHEAD = 6
_BLOCK_BYTES = 128 * 1024 * 1024
_BYTES_PER_PIXEL = 2
_MOST_BLOCK = 64
_SAME_ASPECT = 2  # pixels by which rounding and odd sides may miss the result's size


@dataclass(frozen=True)
class Recording:
    """A recording that is ready for exact access."""

    facts: Facts
    index: FrameIndex

    @property
    def path(self) -> Path:
        """Where it lies."""
        return self.facts.path


@dataclass(frozen=True)
class Target:
    """What frames are made for.

    Attributes:
        size: width and height of the frames, upright and in square pixels.
        one_format: pixel format of frames that are one recorded frame.
        mean_format: pixel format of frames that are a mean.
        colour: how their code values stand for light.
        gather_small: whether frames are scaled before they are gathered: quicker, for previews.
        stretch: whether a recording of another aspect fills the size, rather than stands between bars.
    """

    size: Size
    one_format: str
    mean_format: str
    colour: Colour
    gather_small: bool = False
    stretch: bool = False


def result_frames(
    sources: Sequence[Recording], schedule: Schedule, target: Target
) -> Generator[VideoFrame, None, None]:
    """Yield every frame of a schedule, in order.

    A recorded frame is decoded once, however many result frames of a shot it takes part in; in shots
    that play backwards, once for each block of result frames. Memory holds the frames under way or one
    block, whatever the length.

    Args:
        sources: the recording of each shot.
        schedule: which frames.
        target: what they are made for.

    Raises:
        FootageError: a recorded frame cannot be decoded.
    """
    changes = np.flatnonzero(np.diff(schedule.shots)) + 1
    for start, stop in pairwise([0, *changes.tolist(), len(schedule)]):
        recording = sources[int(schedule.shots[start])]
        part = schedule.portion(start, stop)
        gathers = len(part.frames) > len(part) and not target.gather_small
        threads = THREADS_BESIDE_GATHERING if gathers else 0
        with FrameReader(recording.path, recording.index, threads) as reader:
            firsts = part.frames[part.offsets[:-1]]
            if np.any(np.diff(firsts) < 0):
                yield from _backwards(reader, part, target, recording.facts)
            else:
                yield from _forwards(reader, part, target, recording.facts)


def _forwards(
    reader: FrameReader, schedule: Schedule, target: Target, facts: Facts
) -> Generator[VideoFrame, None, None]:
    with closing(ahead(reader.frames(np.unique(schedule.frames)), _DECODED_AHEAD)) as decoded:
        yield from _assemble(decoded, schedule, target, facts)


def _backwards(
    reader: FrameReader, schedule: Schedule, target: Target, facts: Facts
) -> Generator[VideoFrame, None, None]:
    """Make blocks of result frames the way the recording was encoded, and give each out in reverse."""
    frame_bytes = target.size[0] * target.size[1] * _BYTES_PER_PIXEL
    block = int(np.clip(_BLOCK_BYTES // frame_bytes, 1, _MOST_BLOCK))
    for start in range(0, len(schedule), block):
        part = schedule.portion(start, min(start + block, len(schedule))).backwards()
        yield from reversed(list(_forwards(reader, part, target, facts)))


def _assemble(
    decoded: Iterator[tuple[int, VideoFrame]], schedule: Schedule, target: Target, facts: Facts
) -> Iterator[VideoFrame]:
    """Open each result frame when its first recorded frame comes by, and close it after its last."""
    firsts = schedule.frames[schedule.offsets[:-1]]
    lasts = schedule.frames[schedule.offsets[1:] - 1]
    opened = closed = 0
    under_way: dict[int, _ResultFrame] = {}
    idle: list[LightMean] = []
    for number, frame in decoded:
        ready = _prepared(frame, target, facts)
        while opened < len(schedule) and firsts[opened] == number:
            frames, weights = schedule.sources(opened)
            mean = None
            if len(frames) > 1:
                mean = idle.pop() if idle else LightMean(facts.colour, len(frames))
            under_way[opened] = _ResultFrame(frames, weights, mean)
            opened += 1
        for result in under_way.values():
            result.take(number, ready)
        while closed < opened and lasts[closed] <= number:
            done = under_way.pop(closed)
            yield done.finish(target, facts)
            if done.mean is not None:
                idle.append(done.mean)
            closed += 1


def _prepared(frame: VideoFrame, target: Target, facts: Facts) -> VideoFrame:
    if not target.gather_small:
        return frame
    fit = _fit(target, facts)
    width, height = fit if facts.rotation % 180 == 0 else fit[::-1]
    scaled = frame.reformat(
        width=width,
        height=height,
        format="yuv420p",
        src_colorspace=facts.colour.scaler_matrix,
        dst_colorspace=facts.colour.scaler_matrix,
        src_color_range=facts.colour.scaler_range,
        dst_color_range=facts.colour.scaler_range,
        interpolation=Interpolation.AREA,
    )
    return facts.colour.tag(scaled)


def _fit(target: Target, facts: Facts) -> Size:
    """The size a recording takes up in the result: all of it, or as much as its aspect allows."""
    width, height = target.size
    scale = min(width / facts.width, height / facts.height)
    inside = round(facts.width * scale), round(facts.height * scale)
    near = width - inside[0] <= _SAME_ASPECT and height - inside[1] <= _SAME_ASPECT
    return target.size if target.stretch or near else (max(2, inside[0] // 2 * 2), max(2, inside[1] // 2 * 2))


class _ResultFrame:
    """One result frame under way."""

    def __init__(self, frames: Frames, weights: Seconds, mean: LightMean | None) -> None:
        self._weights = dict(zip(frames.tolist(), (weights / weights.max()).tolist(), strict=True))
        self.mean = mean
        self._one: VideoFrame | None = None

    def take(self, number: int, frame: VideoFrame) -> None:
        weight = self._weights.get(number)
        if weight is None:
            return
        if self.mean is None:
            self._one = frame
        else:
            # The overlaps of whole frames differ in their last digits only; as 1 they are summed faster.
            self.mean.add(frame, 1.0 if weight > 1 - 1e-9 else weight)

    def finish(self, target: Target, facts: Facts) -> VideoFrame:
        fit = _fit(target, facts)
        if self.mean is None:
            assert self._one is not None
            if fit == target.size:
                upright = turned(self._one, facts.rotation)
                return fitted(upright, facts.colour, target.size, target.one_format, target.colour)
            codes, pixel_format = rgb16(self._one, facts.colour), target.one_format
        else:
            codes, pixel_format = self.mean.mean(), target.mean_format
        codes = np.rot90(codes, facts.rotation // 90)
        if fit != target.size:
            codes = barred(codes, fit, target.size)
        return encoded_rgb(codes, target.size, pixel_format, target.colour)
