"""Decoded frames that are remembered, for whoever makes several pictures of one moment in turn."""

from collections.abc import Hashable, Iterable, Iterator
from contextlib import contextmanager
from types import TracebackType
from typing import Self

from av.video.frame import VideoFrame

from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.footage.source import Reader, Source
from chronoxis.core.model.export_format import Size

_BUDGET_BYTES = 100_000_000  # bytes of frames that are remembered
_Frames = dict[int, VideoFrame]


class RememberingReaders:
    """Lends the readers of others, and remembers their first frames within a budget; one at a time."""

    def __init__(self, readers: Readers, budget: int = _BUDGET_BYTES) -> None:
        self._readers = readers
        self._left = budget
        self._frames: dict[tuple[Source, Hashable], _Frames] = {}

    @contextmanager
    def lend(self, source: Source, needed: Size | None, *, fit: bool, number: int) -> Iterator[Reader]:
        """As `Readers.lend`. Raises FootageError as that does."""
        known = self._frames.setdefault((source, source.form_of_frames(needed, fit=fit)), {})
        with self._readers.lend(source, needed, fit=fit, number=number) as reader:
            yield _Remembering(reader, known, self)

    def remember(self, frames: _Frames, number: int, frame: VideoFrame, size: int) -> None:
        """Remember a frame of so many bytes, if there is room."""
        if size <= self._left:
            self._left -= size
            frames[number] = frame


class _Remembering:
    """A reader that asks another one for what is not remembered."""

    def __init__(self, reader: Reader, known: _Frames, memory: RememberingReaders) -> None:
        self._reader, self._known, self._memory = reader, known, memory

    @property
    def reduction(self) -> int:
        return self._reader.reduction

    @property
    def lost(self) -> set[int]:
        return self._reader.lost

    def frame(self, number: int) -> VideoFrame:
        return next(self.frames([number]))[1]

    def effort_to(self, number: int) -> int:
        return 0 if number in self._known else self._reader.effort_to(number)

    def frames(self, numbers: Iterable[int], check: Check = never) -> Iterator[tuple[int, VideoFrame]]:
        wanted = list(numbers)
        decoded = self._reader.frames([number for number in wanted if number not in self._known], check)
        for number in wanted:
            frame = self._known.get(number)
            if frame is None:
                _, frame = next(decoded)
                self._memory.remember(self._known, number, frame, _bytes_of(frame))
            yield number, frame

    def close(self) -> None:
        self._reader.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def _bytes_of(frame: VideoFrame) -> int:
    return sum(plane.buffer_size for plane in frame.planes)
