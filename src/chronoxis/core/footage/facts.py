"""What a recording is, as far as its header and its first frame tell."""

from dataclasses import dataclass, replace
from datetime import datetime
from fractions import Fraction
from pathlib import Path

import av
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.containers import open_container, packets_of, picture_stream
from chronoxis.core.footage.frame_index import FrameIndex
from chronoxis.core.picture.colour import Colour

_QUARTER_TURNS = {90, 270}


@dataclass(frozen=True)
class SoundFacts:
    """The sound beside the picture."""

    codec: str
    sample_rate: int
    channels: int


@dataclass(frozen=True)
class Facts:
    """What a recording is.

    Attributes:
        path: where it lies.
        length: recorded seconds; as the header says until the frames were counted.
        rate: frames per second, exact; the average, where it varies.
        variable: whether the rate varies, or None until the frames were counted.
        frame_count: frames; as the header says until they were counted.
        width: in square pixels, as shown, after rotation.
        height: likewise.
        coded_width: of the frames as decoded.
        coded_height: likewise.
        rotation: degrees counter-clockwise by which decoded frames are turned to be shown: 0, 90, 180, 270.
        codec: name of the picture's codec.
        pixel_format: FFmpeg's name of the decoded frames' format.
        bit_depth: bits per sample.
        colour: how code values stand for light.
        sound: the main sound, if any.
        bitrate: average over the whole file, bits per second.
        size: bytes.
        recorded_on: when it was recorded, if the file says so.
        container: FFmpeg's name of the file format.
        indexed: whether length, rate and count were counted from the frames.
        missing: recorded seconds that the header promises and the file does not hold.
    """

    path: Path
    length: Fraction
    rate: Fraction
    variable: bool | None
    frame_count: int
    width: int
    height: int
    coded_width: int
    coded_height: int
    rotation: int
    codec: str
    pixel_format: str
    bit_depth: int
    colour: Colour
    sound: SoundFacts | None
    bitrate: int
    size: int
    recorded_on: datetime | None
    container: str
    indexed: bool = False
    missing: Fraction = Fraction(0)

    def counted(self, index: FrameIndex) -> "Facts":
        """These facts with what the frame index found."""
        gap = self.length - index.length
        return replace(
            self,
            length=index.length,
            rate=index.rate,
            variable=index.variable,
            frame_count=len(index),
            indexed=True,
            missing=gap if gap > max(Fraction(1), self.length / 50) else Fraction(0),
        )


def read_facts(path: Path) -> Facts:
    """Read a recording's facts from its header and first frame.

    Raises:
        FootageError: the file cannot be opened or its first frame cannot be decoded.
    """
    return read_opening(path)[0]


def read_opening(path: Path) -> tuple[Facts, VideoFrame]:
    """Read a recording's facts and its first frame.

    Raises:
        FootageError: the file cannot be opened or its first frame cannot be decoded.
    """
    with open_container(path) as container:
        stream = picture_stream(container, path)
        stream.thread_type = "SLICE"  # one frame alone comes out sooner without frame threads
        frame = _first_frame(container, stream, path)
        width, height = shown_size(stream, frame)
        length = _length(container, stream)
        rate = Fraction(stream.guessed_rate or stream.average_rate or 25)
        size = path.stat().st_size
        facts = Facts(
            path=path,
            length=length,
            rate=rate,
            variable=None,
            frame_count=stream.frames or round(length * rate),
            width=width,
            height=height,
            coded_width=frame.width,
            coded_height=frame.height,
            rotation=frame.rotation % 360,
            codec=stream.codec_context.name,
            pixel_format=frame.format.name,
            bit_depth=max((part.bits for part in frame.format.components), default=8),
            colour=Colour.of(frame),
            sound=_sound(container),
            bitrate=round(size * 8 / length) if length else 0,
            size=size,
            recorded_on=_recorded_on(container),
            container=container.format.name,
        )
    return facts, frame


def _first_frame(container: InputContainer, stream: VideoStream, path: Path) -> VideoFrame:
    try:
        for packet in packets_of(container, stream):
            for frame in packet.decode():
                return frame
    except (av.FFmpegError, OSError) as error:
        raise FootageError(f"{path.name} cannot be decoded; it may be damaged or cut off.") from error
    raise FootageError(f"{path.name} holds no frames; the recording may have been cut off at once.")


def shown_size(stream: VideoStream, frame: VideoFrame) -> tuple[int, int]:
    """Width and height in square pixels after pixel aspect and rotation are honoured."""
    aspect = Fraction(stream.sample_aspect_ratio or 1) or Fraction(1)
    width, height = frame.width, frame.height
    if aspect > 1:
        width = round(width * aspect)
    elif aspect < 1:
        height = round(height / aspect)
    return (height, width) if frame.rotation % 360 in _QUARTER_TURNS else (width, height)


def _length(container: InputContainer, stream: VideoStream) -> Fraction:
    if stream.duration and stream.time_base:
        return stream.duration * Fraction(stream.time_base)
    return Fraction(container.duration or 0, av.time_base)


def _sound(container: InputContainer) -> SoundFacts | None:
    for stream in container.streams.audio:
        context = stream.codec_context
        return SoundFacts(context.name, context.sample_rate, context.channels)
    return None


def _recorded_on(container: InputContainer) -> datetime | None:
    text = container.metadata.get("creation_time") or container.metadata.get("date") or ""
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        return None
