"""Writing result frames: into one file, a folder of stills, or a picture that loops."""

from collections.abc import Iterator
from contextlib import AbstractContextManager
from fractions import Fraction
from pathlib import Path
from typing import Protocol, Self

from av.video.frame import VideoFrame

from chronoxis.core.model.export_format import Container
from chronoxis.core.render.encoder import Encoder
from chronoxis.core.render.palette import PalettedEncoder
from chronoxis.core.render.stills import StillsWriter
from chronoxis.core.render.writing import Writing
from chronoxis.core.sound.samples import Samples


class Writer(AbstractContextManager["Writer"], Protocol):
    """One result being written; leaving its ``with`` statement completes it."""

    def __enter__(self) -> Self: ...

    @property
    def seconds(self) -> Fraction:
        """Result time up to which frames were written."""

    @property
    def sound_seconds(self) -> Fraction:
        """Result time up to which sound was written."""

    def write(self, frame: VideoFrame, *, by_itself: bool = False) -> None:
        """Write the next frame, perhaps so that those before it do not help to code it."""

    def write_sound(self, samples: Samples) -> None:
        """Write the next samples."""


def open_writer(path: Path, writing: Writing, samples: Iterator[VideoFrame]) -> Writer:
    """Begin to write.

    Args:
        path: a file, whose ending does not matter, or the folder of stills.
        writing: what and how.
        samples: frames from all over the result, for formats that choose their colours by them; not
            asked for by others.
    """
    if writing.format.container is Container.STILLS:
        return StillsWriter(path, writing)
    if writing.format.key == "gif":
        return PalettedEncoder(path, writing, samples)
    return Encoder(path, writing)


def interleave(frames: Iterator[VideoFrame], sound: Iterator[Samples], writer: Writer) -> Iterator[int]:
    """Write frames and sound side by side, so that little is held back; yields after each frame."""
    waiting = next(sound, None)
    for number, frame in enumerate(frames, 1):
        writer.write(frame)
        while waiting is not None and writer.sound_seconds <= writer.seconds:
            writer.write_sound(waiting)
            waiting = next(sound, None)
        yield number
    while waiting is not None:
        writer.write_sound(waiting)
        waiting = next(sound, None)
