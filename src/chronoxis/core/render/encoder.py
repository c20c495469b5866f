"""Writing result frames and kept sound into a file."""

import os
from contextlib import suppress
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Self

import av
import cv2
from av.video.frame import PictureType, VideoFrame
from av.video.stream import VideoStream

from chronoxis.core.render.matroska_aspect import write_pixel_aspect
from chronoxis.core.render.sound_track import SoundTrack
from chronoxis.core.render.writing import Writing
from chronoxis.core.sound.samples import Samples

_NEVER_REORDERED = 2  # frames
_AVX_512 = 13  # as OpenCV numbers what processors can do
# Where it counts what later frames take from a frame, x264's code for AVX-512 reads past the ends of rows
# that are no multiple of 16 blocks: the same frames were now and then written in other bytes.
_X264_REPEATS = {"x264-params": "asm=AVX2,FMA3,BMI2,LZCNT"} if cv2.checkHardwareSupport(_AVX_512) else {}
os.environ.setdefault("SVT_LOG", "1")  # that encoder else tells of itself on the error output


def _return_to(policy: int) -> None:
    """Let all threads have a place among others again.

    As root, SVT-AV1 gives its threads and the one that opens it the highest real-time priority when it is
    opened: until it is done, nothing else on the machine would run.
    """
    for task in [int(entry.name) for entry in Path("/proc/self/task").iterdir()]:
        with suppress(ProcessLookupError):
            if policy == os.SCHED_OTHER != os.sched_getscheduler(task):
                os.sched_setscheduler(task, policy, os.sched_param(0))


class Encoder:
    """One file being written. Use it in a ``with`` statement; leaving it completes the file."""

    def __init__(self, path: Path, writing: Writing, pixel_format: str | None = None) -> None:
        """Open the file.

        Args:
            path: where to write; its ending does not matter.
            writing: what to write, and how.
            pixel_format: of the frames that are encoded, where that is not the one to be written.
        """
        format_, self._path = writing.format, path
        self._format = format_
        options = dict(format_.muxer_options)
        self._container = av.open(f"file:{path}", "w", format=format_.muxer, options=options)
        video = self._container.add_stream(format_.codec, rate=writing.rate)
        assert isinstance(video, VideoStream)
        video.width, video.height = writing.size
        video.pix_fmt = pixel_format or writing.pixel_format
        context, colour = video.codec_context, writing.colour
        context.time_base = 1 / writing.rate
        self._aspect = writing.pixel_aspect
        if self._aspect != 1:
            context.sample_aspect_ratio = self._aspect
        context.color_primaries = colour.primaries
        context.color_trc = colour.transfer
        context.colorspace = colour.matrix
        context.color_range = int(colour.scaler_range)
        context.thread_type = "AUTO"
        context.options = writing.options | (_X264_REPEATS if format_.codec == "libx264" else {})
        if format_.codec_tag:
            context.codec_tag = format_.codec_tag
        self._video = video
        self._count = 0
        self._sound = SoundTrack(self._container, format_) if writing.sound else None
        self._container.metadata.update(writing.metadata)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            if kind is None:
                self._finish()
        finally:
            self._container.close()
        if kind is None and self._aspect != 1 and self._format.muxer == "matroska":
            write_pixel_aspect(self._path, self._aspect)

    @property
    def seconds(self) -> Fraction:
        """Result time up to which frames were written."""
        return self._count / Fraction(self._video.codec_context.framerate)

    def write(self, frame: VideoFrame, *, by_itself: bool = False) -> None:
        """Write the next frame, perhaps so that those before it do not help to code it."""
        frame.pts = self._count
        frame.time_base = self._video.codec_context.time_base
        # The recording's choice of key frames is not ours.
        frame.pict_type = PictureType.I if by_itself else PictureType.NONE
        policy = os.sched_getscheduler(0)
        encoded = self._video.encode(frame)
        if not self._count:
            _return_to(policy)
        self._count += 1
        self._container.mux(encoded)

    @property
    def sound_seconds(self) -> Fraction:
        """Result time up to which sound was written."""
        assert self._sound is not None
        return self._sound.seconds

    def write_sound(self, samples: Samples) -> None:
        """Write the next samples."""
        assert self._sound is not None
        self._sound.write(samples)

    def _finish(self) -> None:
        last = self._video.encode(None)
        for packet in last if self._count <= _NEVER_REORDERED else []:
            packet.dts = packet.pts  # x265 leaves it unset where fewer frames came than it may reorder
        self._container.mux(last)
        if self._sound is not None:
            self._sound.finish()
