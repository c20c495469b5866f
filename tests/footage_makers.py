"""Small recordings of every awkward kind, made on the spot."""

from collections.abc import Callable, Iterable, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Concatenate, ParamSpec

import av
import numpy as np
from av.packet import Packet
from av.video.frame import VideoFrame

from chronoxis.core.model.recording import Recording

_KEPT_AT_MOST = 2_000_000  # bytes of a recording
_REPEATED = 240  # frames of a long recording that are encoded
Choices = ParamSpec("Choices")


def made_once(
    write: Callable[Concatenate[Path, Choices], None],
) -> Callable[Concatenate[Path, Choices], Path]:
    """Have a recording that was made before copied: many tests want the very same. Gives its path."""
    made: dict[tuple[object, ...], bytes] = {}

    def write_or_copy(path: Path, /, *positional: Choices.args, **choices: Choices.kwargs) -> Path:
        wished = path.suffix, *positional, *((name, str(each)) for name, each in sorted(choices.items()))
        if wished in made:
            path.write_bytes(made[wished])
            return path
        write(path, *positional, **choices)
        if path.stat().st_size <= _KEPT_AT_MOST:
            made[wished] = path.read_bytes()
        return path

    return write_or_copy


@made_once
def make_recording(
    path: Path,
    *,
    frames: int = 60,
    size: tuple[int, int] = (96, 64),
    rate: Fraction = Fraction(25),
    codec: str = "libx264",
    pixel_format: str = "yuv420p",
    stamps: Sequence[int] | None = None,
    time_base: Fraction | None = None,
    options: dict[str, str] | None = None,
    rotation: int = 0,
    sound: bool = False,
    container_format: str | None = None,
) -> None:
    """Encode frames that all differ: a moving ramp with the frame's number in its brightness."""
    with av.open(str(path), "w", format=container_format) as container:
        stream = container.add_stream(codec, rate=rate)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height = size
        stream.pix_fmt = pixel_format
        stream.codec_context.time_base = time_base or 1 / rate
        stream.codec_context.options = options or {"crf": "18", "g": "12", "bf": "3", "preset": "veryfast"}
        if rotation:
            stream.set_display_rotation(rotation)
        audio = container.add_stream("aac", rate=48000, layout="mono") if sound else None
        for number, stamp in enumerate(stamps or range(frames)):
            frame = picture(number, size).reformat(format=pixel_format)
            frame.pts, frame.time_base = stamp, time_base or 1 / rate
            container.mux(stream.encode(frame))
        if audio is not None:
            assert isinstance(audio, av.AudioStream)
            _add_tone(container, audio, float(frames / rate))
        container.mux(stream.encode(None))


@made_once
def make_long_recording(path: Path, *, frames: int, size: tuple[int, int] = (32, 32)) -> None:
    """A recording of so many frames, which are some hundred time and again: made far quicker than encoded."""
    part = path.with_name(f"part-of-{path.name}")
    make_recording(part, frames=_REPEATED, size=size)
    with av.open(str(part)) as given, av.open(str(path), "w") as container:
        source = given.streams.video[0]
        stream = container.add_stream_from_template(source)
        packets = [packet for packet in given.demux(source) if packet.size]
        for begin in range(0, frames, _REPEATED):
            for packet in packets[: frames - begin]:
                again = Packet(bytes(packet))
                again.stream, again.time_base, again.is_keyframe = (
                    stream,
                    packet.time_base,
                    packet.is_keyframe,
                )
                offset = round(begin * Fraction(1, 25) / Fraction(packet.time_base))
                again.pts, again.dts = (packet.pts or 0) + offset, (packet.dts or 0) + offset
                container.mux(again)
    part.unlink()


def write_pictures(path: Path, pictures: Iterable[np.ndarray], *, size: tuple[int, int], rate: int) -> Path:
    """Encode grey pictures of a size, of codes, as a camera would."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=rate)
        assert isinstance(stream, av.VideoStream)
        stream.options = {"crf": "20", "preset": "veryfast"}
        stream.width, stream.height = size
        for picture_ in pictures:
            grey = np.clip(picture_, 0, 255).astype(np.uint8)
            container.mux(stream.encode(VideoFrame.from_ndarray(grey, "gray").reformat(format="yuv420p")))
        container.mux(stream.encode(None))
    return path


def recording_of(path: Path, rate: Fraction, length: Fraction, *, counted: bool = False) -> Recording:
    """What a project keeps of a recording, without reading it."""
    key = path.stem.lower()
    return Recording(key=key, path=path, stored_rate=rate, stored_length=length, counted=counted)


def picture(number: int, size: tuple[int, int]) -> VideoFrame:
    """Frame ``number`` of a made recording, in R′G′B′."""
    width, height = size
    codes = np.empty((height, width, 3), np.uint8)
    codes[..., 0] = (np.arange(width) * 3 + number * 7) % 256
    codes[..., 1] = ((np.arange(height) * 4 + number * 3) % 200)[:, None]
    codes[..., 2] = number * 11 % 256
    return VideoFrame.from_ndarray(codes, "rgb24")


def decode_all(path: Path, pixel_format: str | None = None) -> list[np.ndarray]:
    """Every frame by the plainest loop there is."""
    with av.open(str(path)) as container:
        return [frame.to_ndarray(format=pixel_format) for frame in container.decode(video=0)]


def _add_tone(container: av.container.OutputContainer, audio: av.AudioStream, seconds: float) -> None:
    t = np.arange(round(seconds * 48000)) / 48000
    tone = (0.3 * np.sin(t * 440 * 6.2832)).astype(np.float32)
    for first in range(0, len(tone), 1024):
        frame = av.AudioFrame.from_ndarray(tone[None, first : first + 1024], "fltp", "mono")
        frame.sample_rate, frame.pts, frame.time_base = 48000, first, Fraction(1, 48000)
        container.mux(audio.encode(frame))
    container.mux(audio.encode(None))
