"""What a file of music is."""

from collections.abc import Hashable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from av.audio.stream import AudioStream
from av.container import InputContainer

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.recording.containers import open_container
from chronoxis.core.footage.source import Progress, SoundFacts
from chronoxis.core.model.canvas import Canvas
from chronoxis.core.model.music import SOUND_RATE, Credit, MusicFile
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.timing.timecode import format_time

_NO_PICTURE = Canvas(16, 16, 1, 1, 1, False)
_MOST_SECONDS = 48 * 3600


@dataclass(frozen=True)
class MusicFacts:
    """What a file of music is.

    Attributes:
        path: where it lies.
        length: seconds; as the header says until its packets were counted.
        sound: what kind of sound.
        start: second of its own clock at which it begins.
        credit: what its tags say of whose it is.
        size: bytes.
        counted: whether its packets were counted.
    """

    path: Path
    length: Fraction
    sound: SoundFacts
    start: Fraction
    credit: Credit
    size: int
    counted: bool = False

    @property
    def origin(self) -> Hashable:
        """Its file, for its sound."""
        return MusicFile(self.path)

    @property
    def rate(self) -> Fraction:
        """What its length is counted in."""
        return SOUND_RATE

    @property
    def frame_count(self) -> int:
        """It has no pictures."""
        return 0

    @property
    def picture(self) -> PictureFormat:
        """A dark square stands for the pictures that it has not."""
        size = _NO_PICTURE.size
        return PictureFormat(*size, *size, 0, "yuv420p", 8, Colour.on(_NO_PICTURE))

    @property
    def recorded_on(self) -> None:
        """Nobody asks when music was recorded."""

    @property
    def caution(self) -> str:
        """Music has no pictures that need a caution."""
        return ""

    def summary(self) -> list[str]:
        """Codec and channels."""
        channels = {1: "mono", 2: "stereo"}.get(self.sound.channels, f"{self.sound.channels} channels")
        return ["music", channels]

    def rows(self) -> list[tuple[str, str]]:
        """All of it by name, for a person to read."""
        sound = self.sound
        return [
            ("file", str(self.path)),
            ("length", format_time(self.length, 2)),
            ("sound", f"{sound.codec}, {sound.sample_rate} Hz, {sound.channels} ch"),
            ("file size", f"{self.size / 1e6:.1f} MB"),
        ]

    def as_json(self) -> dict[str, Any]:
        """All of it for a program to read."""
        sound, credit = self.sound, self.credit
        return {
            "kind": "music",
            "path": str(self.path),
            "length": float(self.length),
            "codec": sound.codec,
            "sample_rate": sound.sample_rate,
            "channels": sound.channels,
            "size": self.size,
            "credit": {
                "title": credit.title,
                "author": credit.author,
                "licence": credit.licence,
                "link": credit.link,
            },
        }

    def measured(self, progress: Progress | None) -> "MusicFacts":
        """These facts with the length that its packets come to. Raises FootageError; Cancelled."""
        with open_container(self.path) as container:
            length = _counted_length(container, _stream(container, self.path), self, progress)
        if length <= 0:
            raise FootageError(f"{self.path.name} holds no sound that can be read; choose another file.")
        return replace(self, length=length, counted=True)


def read_music(path: Path) -> MusicFacts:
    """Read a file's facts from its header and its first sound.

    Raises:
        FootageError: it cannot be opened, or has no sound that can be decoded.
    """
    with open_container(path) as container:
        stream = _stream(container, path)
        try:
            first = next(iter(container.decode(stream)), None)
        except (av.FFmpegError, OSError, ValueError) as error:
            raise FootageError(f"The sound of {path.name} cannot be decoded; it may be damaged.") from error
        if first is None:
            raise FootageError(f"{path.name} holds no sound; choose another file.")
        start = first.pts * first.time_base if first.pts is not None and first.time_base else Fraction(0)
        context = stream.codec_context
        return MusicFacts(
            path=path,
            length=_header_length(container, stream),
            sound=SoundFacts(context.name, context.sample_rate, context.channels, context.layout.name),
            start=Fraction(start),
            credit=_credit(container, stream),
            size=path.stat().st_size,
        )


def _stream(container: InputContainer, path: Path) -> AudioStream:
    for stream in container.streams.audio:
        return stream
    raise FootageError(f"{path.name} has no sound; choose a file with music in it.")


def _header_length(container: InputContainer, stream: AudioStream) -> Fraction:
    if stream.duration and stream.time_base:
        return stream.duration * Fraction(stream.time_base)
    return max(Fraction(container.duration or 0, av.time_base), 1 / SOUND_RATE)


def _counted_length(
    container: InputContainer, stream: AudioStream, facts: MusicFacts, progress: Progress | None
) -> Fraction:
    tick, ticks, end = Fraction(stream.time_base or 1), 0, Fraction(0)
    try:
        for number, packet in enumerate(container.demux(stream)):
            if packet.pts is None:
                continue
            ticks = max(ticks, packet.pts + (packet.duration or 0))
            if progress is not None and number % 500 == 0:
                progress(min(1.0, float(ticks * tick / facts.length)))
        end = ticks * tick
    except (av.FFmpegError, OSError) as error:
        end = ticks * tick
        if end <= facts.start:
            raise FootageError(f"{facts.path.name} cannot be read; it may be damaged.") from error
    # Lengths lie on the samples of all sound here, so that what is kept of them is short.
    length = min(end - facts.start, Fraction(_MOST_SECONDS))
    return round(length * SOUND_RATE) / SOUND_RATE


def _credit(container: InputContainer, stream: AudioStream) -> Credit:
    tags = {name.lower(): text.strip() for name, text in {**stream.metadata, **container.metadata}.items()}

    def first(*names: str) -> str:
        return next((" ".join(tags[name].split()) for name in names if tags.get(name)), "")

    return Credit(
        title=first("title"),
        author=first("artist", "author", "composer", "album_artist"),
        licence=first("license", "licence", "copyright"),
        link=first("url", "website", "contact", "woas", "wcop"),
    )
