"""What a recording is, as far as its header and its first frame tell."""

from collections.abc import Iterable
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from fractions import Fraction
from math import atan2, degrees
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.recording.containers import open_container, packets_of, picture_stream
from chronoxis.core.footage.recording.frame_index import FrameIndex
from chronoxis.core.footage.source import SoundFacts
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.timecode import format_time

_QUARTER_TURNS = {90, 270}


@dataclass(frozen=True)
class RecordingFacts:
    """What a recording is.

    Attributes:
        path: where it lies.
        length: recorded seconds; as the header says until the frames were counted.
        rate: frames per second, exact; the average, where it varies.
        variable: whether the rate varies, or None until the frames were counted.
        frame_count: frames; as the header says until they were counted.
        picture: what its frames are like.
        codec: name of the picture's codec.
        sound: the main sound, if any.
        bitrate: average over the whole file, bits per second.
        size: bytes.
        recorded_on: when it was recorded, if the file says so.
        container: FFmpeg's name of the file format.
        indexed: whether length, rate and count were counted from the frames.
        missing: recorded seconds that the header promises and the file does not hold.
        promised: seconds of the picture by the header, on the file's own clock; None if it does not say.
        left_out: frames at the beginning and at the end that cannot be decoded.
        joints: how many times its clock begins anew: files were joined there.
    """

    path: Path
    length: Fraction
    rate: Fraction
    variable: bool | None
    frame_count: int
    picture: PictureFormat
    codec: str
    sound: SoundFacts | None
    bitrate: int
    size: int
    recorded_on: datetime | None
    container: str
    indexed: bool = False
    missing: Fraction = Fraction(0)
    promised: Fraction | None = None
    left_out: tuple[int, int] = (0, 0)
    joints: int = 0

    @property
    def origin(self) -> Path:
        """The path of its file."""
        return self.path

    @property
    def caution(self) -> str:
        """What is wrong with it, or nothing."""
        said = []
        if self.missing:
            lost = format_time(self.missing)
            said.append(f"The file is cut off: its last {lost} are missing. The rest can be used.")
        places = [
            f"{n} at its {end}" for n, end in zip(self.left_out, ("beginning", "end"), strict=True) if n
        ]
        if places:
            said.append(f"Frames that cannot be decoded are left out: {' and '.join(places)}.")
        if self.joints:
            many = f"{self.joints + 1} files" if self.joints > 1 else "two files"
            said.append(f"It was joined from {many}; their clocks run on into one another.")
        return " ".join(said)

    def summary(self) -> list[str]:
        """Size, sound, and what is unusual."""
        said = [_size_in_words(self.picture), "sound" if self.sound else "no sound"]
        if self.variable:
            said.append("rate varies")
        if self.picture.attitude:
            said.append(self.picture.attitude)
        return said

    def rows(self) -> list[tuple[str, str]]:
        """All of it by name, for a person to read."""
        picture, sound = self.picture, self.sound
        turned = f", {picture.attitude}" if picture.attitude else ""
        varies = " on average, varying" if self.variable else ""
        rows = [
            ("file", str(self.path)),
            ("length", format_time(self.length, 2)),
            ("frame rate", f"{format_rate(self.rate)} fps{varies}"),
            ("frames", f"{self.frame_count:,}"),
            ("size", f"{picture.width}×{picture.height}{turned}"),
            ("codec", f"{self.codec}, {picture.pixel_format}, {picture.bit_depth} bit"),
            ("sound", f"{sound.codec}, {sound.sample_rate} Hz, {sound.channels} ch" if sound else "none"),
            ("bitrate", f"{self.bitrate / 1e6:.2f} Mbit/s"),
            ("file size", f"{self.size / 1e6:.1f} MB"),
            ("recorded on", self.recorded_on.isoformat(" ") if self.recorded_on else "unknown"),
        ]
        if self.missing:
            lost = format_time(self.missing)
            rows.append(("cut off", f"the last {lost} that its header promises are missing"))
        return rows

    def as_json(self) -> dict[str, Any]:
        """All of it for a program to read; seconds, bits per second, bytes."""
        picture, sound = self.picture, self.sound
        return {
            "kind": "recording",
            "path": str(self.path),
            "length": float(self.length),
            "rate": str(self.rate),
            "variable": self.variable,
            "frames": self.frame_count,
            "width": picture.width,
            "height": picture.height,
            "rotation": picture.rotation,
            "mirrored": picture.mirrored,
            "codec": self.codec,
            "pixel_format": picture.pixel_format,
            "bit_depth": picture.bit_depth,
            "colour": asdict(picture.colour),
            "sound": {"codec": sound.codec, "sample_rate": sound.sample_rate, "channels": sound.channels}
            if sound
            else None,
            "bitrate": self.bitrate,
            "size": self.size,
            "recorded_on": self.recorded_on.isoformat() if self.recorded_on else None,
            "missing": float(self.missing),
            "left_out": list(self.left_out),
            "joints": self.joints,
        }

    def counted(self, index: FrameIndex) -> "RecordingFacts":
        """These facts with what the frame index found."""
        begin = max(index.start, Fraction(0)) if index.stamped else Fraction(0)
        gap = Fraction(0) if self.promised is None else self.promised - begin - index.length
        return replace(
            self,
            length=index.length,
            rate=index.rate,
            variable=index.variable,
            frame_count=len(index),
            indexed=True,
            missing=gap if gap > max(Fraction(1), self.length / 50) else Fraction(0),
            left_out=index.left_out,
            joints=len(index.splices) - 1,
        )


def read_opening(path: Path) -> tuple[RecordingFacts, VideoFrame]:
    """Read a recording's facts and its first frame.

    Raises:
        FootageError: the file cannot be opened or its first frame cannot be decoded.
    """
    with open_container(path) as container:
        stream = picture_stream(container, path)
        stream.thread_type = "SLICE"  # one frame alone comes out sooner without frame threads
        frame = _first_frame(container, stream, path)
        rotation, mirrored = _attitude(frame)
        width, height = shown_size(stream, frame)
        length = _length(container, stream)
        rate = Fraction(stream.guessed_rate or stream.average_rate or 25)
        size = path.stat().st_size
        facts = RecordingFacts(
            path=path,
            length=length,
            rate=rate,
            variable=None,
            frame_count=stream.frames or round(length * rate),
            picture=PictureFormat(
                width=width,
                height=height,
                coded_width=frame.width,
                coded_height=frame.height,
                rotation=rotation,
                mirrored=mirrored,
                pixel_aspect=_pixel_aspect(stream),
                pixel_format=frame.format.name,
                bit_depth=max((part.bits for part in frame.format.components), default=8),
                colour=Colour.of(frame),
            ),
            codec=stream.codec_context.name,
            sound=_sound(container),
            bitrate=round(size * 8 / length) if length else 0,
            size=size,
            recorded_on=_recorded_on(container),
            container=container.format.name,
            promised=_promised(container, stream),
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


def _attitude(frame: VideoFrame) -> tuple[int, bool]:
    """By how many degrees a frame is turned counter-clockwise to be shown, and whether mirrored before.

    The display matrix (ISO/IEC 14496-12, 6.2.2) has x′ = a·x + c·y and y′ = b·x + d·y.
    """
    sides: Iterable[Any] = frame.side_data
    for side in sides:
        if side.type.name == "DISPLAYMATRIX":
            a, b, _, c, d = np.frombuffer(memoryview(side), np.int32)[:5].astype(float).tolist()
            mirrored = a * d - b * c < 0
            turn = degrees(atan2(c, -a if mirrored else a))
            return round(turn / 90) % 4 * 90, mirrored
    return frame.rotation % 360, False


def _pixel_aspect(stream: VideoStream) -> Fraction:
    return Fraction(stream.sample_aspect_ratio or 1) or Fraction(1)


def shown_size(stream: VideoStream, frame: VideoFrame) -> tuple[int, int]:
    """Width and height in square pixels after pixel aspect and rotation are honoured; even, if not square."""
    aspect = _pixel_aspect(stream)
    width, height = frame.width, frame.height
    if aspect > 1:
        width = max(2, round(width * aspect / 2) * 2)
    elif aspect < 1:
        height = max(2, round(height / aspect / 2) * 2)
    return (height, width) if _attitude(frame)[0] in _QUARTER_TURNS else (width, height)


def _length(container: InputContainer, stream: VideoStream) -> Fraction:
    if stream.duration and stream.time_base:
        return stream.duration * Fraction(stream.time_base)
    return Fraction(container.duration or 0, av.time_base)


def _promised(container: InputContainer, stream: VideoStream) -> Fraction | None:
    """What the header says of the picture alone: the whole may be longer by its sound."""
    if stream.duration and stream.time_base:
        return (stream.duration + (stream.start_time or 0)) * Fraction(stream.time_base)
    if container.streams.audio or not container.duration:
        return None
    return Fraction(container.duration, av.time_base)


def _sound(container: InputContainer) -> SoundFacts | None:
    for stream in container.streams.audio:
        context = stream.codec_context
        return SoundFacts(context.name, context.sample_rate, context.channels, context.layout.name)
    return None


def _recorded_on(container: InputContainer) -> datetime | None:
    text = container.metadata.get("creation_time") or container.metadata.get("date") or ""
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        return None
    # Cameras whose clock was never set say the beginning of one calendar or another.
    return None if found.year in (1904, 1970) and (found.month, found.day) == (1, 1) else found


def _size_in_words(picture: PictureFormat) -> str:
    wide = picture.width * 9 == picture.height * 16
    return f"{picture.height}p" if wide else f"{picture.width}×{picture.height}"
