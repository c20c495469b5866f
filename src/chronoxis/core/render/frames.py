"""Result frames: the schedule, the recording and the way each frame is made, brought together."""

from collections.abc import Generator, Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import Interpolation

from chronoxis.core.footage.facts import Facts
from chronoxis.core.footage.frame_index import FrameIndex
from chronoxis.core.footage.frame_reader import FrameReader
from chronoxis.core.model.settings import Size
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.framing import encoded_rgb, fitted, turned
from chronoxis.core.picture.gather import LightMean
from chronoxis.core.render.ahead import ahead
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.schedule import Frames, Schedule

_DECODED_AHEAD = 6


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
    """

    size: Size
    one_format: str
    mean_format: str
    colour: Colour
    gather_small: bool = False


def result_frames(
    recording: Recording, schedule: Schedule, target: Target
) -> Generator[VideoFrame, None, None]:
    """Yield every frame of a schedule, in order.

    A recorded frame is decoded once, however many result frames it takes part in. Memory holds the
    frames under way only, whatever the length.

    Raises:
        FootageError: a recorded frame cannot be decoded.
    """
    with FrameReader(recording.path, recording.index) as reader:
        numbers = np.unique(schedule.frames)
        with closing(ahead(reader.frames(numbers), _DECODED_AHEAD)) as decoded:
            yield from _assemble(decoded, schedule, target, recording.facts)


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
    width, height = target.size if facts.rotation % 180 == 0 else target.size[::-1]
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
        if self.mean is None:
            assert self._one is not None
            upright = turned(self._one, facts.rotation)
            return fitted(upright, facts.colour, target.size, target.one_format, target.colour)
        codes = np.rot90(self.mean.mean(), facts.rotation // 90)
        return encoded_rgb(codes, target.size, target.mean_format, target.colour)
