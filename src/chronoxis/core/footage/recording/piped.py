"""A recording that comes through a pipe: kept without loss meanwhile, for it is read more than once."""

import errno
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import BinaryIO, Self

import av
from av.video.stream import VideoStream

from chronoxis.core.errors import FootageError

_NAME = "standard-input.mkv"
_OF_THE_DISK = (errno.ENOSPC, errno.EDQUOT, errno.EROFS)


@contextmanager
def spooled(stream: BinaryIO) -> Iterator[Path]:
    """Read YUV4MPEG2 to its end into a file that goes when this is left.

    The file lies where temporary ones do (``TMPDIR``), coded without loss.

    Args:
        stream: what is read; it need not be a file.

    Raises:
        FootageError: it is no YUV4MPEG2, has no frame, or cannot be kept.
    """
    with tempfile.TemporaryDirectory(prefix="chronoxis-") as folder:
        path = Path(folder) / _NAME
        try:
            frames = _copy(stream, path)
        except (av.FFmpegError, ValueError) as error:
            if isinstance(error, OSError) and error.errno in _OF_THE_DISK:
                raise FootageError(_unkept(folder, error)) from error
            raise FootageError(
                "Standard input is no YUV4MPEG2, or is damaged; have the program before the pipe write that."
            ) from error
        except OSError as error:
            raise FootageError(_unkept(folder, error)) from error
        if not frames:
            raise FootageError("Standard input holds no frame; see what the program before the pipe says.")
        yield path


class _Reading:
    """Gives what comes, and nothing once it was interrupted: the library would try again for ever."""

    def __init__(self, stream: BinaryIO) -> None:
        self._stream = stream
        self._interrupted: BaseException | None = None

    def read(self, size: int) -> bytes:
        """As much as is there, up to a size; nothing at the end."""
        if self._interrupted is not None:
            return b""
        try:
            return self._stream.read(size)
        except BaseException as interruption:
            self._interrupted = interruption
            return b""

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        """Raise what interrupted reading, whatever came of that."""
        if self._interrupted is not None:
            raise self._interrupted


def _unkept(folder: str, error: OSError) -> str:
    where = Path(folder).parent
    return f"Standard input cannot be kept in {where}: {error.strerror}; TMPDIR names another folder."


def _copy(stream: BinaryIO, path: Path) -> int:
    """How many frames were read."""
    frames, reading = 0, _Reading(stream)
    with reading, av.open(reading, "r", format="yuv4mpegpipe") as given, av.open(str(path), "w") as kept:
        source = given.streams.video[0]
        rate = source.average_rate or Fraction(25)
        into: VideoStream = kept.add_stream("ffv1", rate=rate)
        into.width, into.height, into.pix_fmt = source.width, source.height, source.pix_fmt
        into.codec_context.color_range = source.codec_context.color_range
        if source.codec_context.sample_aspect_ratio is not None:
            into.codec_context.sample_aspect_ratio = source.codec_context.sample_aspect_ratio
        into.options = {"level": "3", "slices": "4"}
        for frame in given.decode(source):
            frame.pts, frame.time_base = frames, 1 / rate
            kept.mux(into.encode(frame))
            frames += 1
        kept.mux(into.encode(None))
    return frames
