"""Recorded frames for the window: the picture at the playhead, and what a result frame gathers."""

from collections.abc import Callable
from dataclasses import dataclass
from math import ceil

from PySide6.QtGui import QImage

from chronoxis.app.pictures.frame_images import small_image
from chronoxis.core.footage.source import Reader, Source

_STRIP_HEIGHT = 110


@dataclass(frozen=True, eq=False)
class Wish:
    """What to decode: one picture so many pixels high, and small ones; frame numbers, ascending."""

    source: Source
    number: int
    height: int
    strip: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class Images:
    """What was decoded."""

    picture: QImage
    strip: dict[int, QImage]


class RecordedFrames:
    """Answers wishes; keeps one source open."""

    def __init__(self) -> None:
        self._reader: Reader | None = None
        self._source: Source | None = None

    def answer(self, wish: Wish, still_wanted: Callable[[], bool]) -> Images | None:
        """Decode what is wished, or None once it is no longer wanted."""
        if not still_wanted():
            return None
        form = wish.source.facts.picture
        reader = self._open(wish.source, min(wish.height, form.height) / form.height)
        picture, strip = QImage(), {}
        for number, frame in reader.frames({wish.number, *wish.strip}):
            if not still_wanted():
                return None
            if number == wish.number:
                picture = small_image(frame, form, min(wish.height, form.height))
            if number in wish.strip:
                strip[number] = small_image(frame, form, _STRIP_HEIGHT)
        return Images(picture, strip)

    def _open(self, source: Source, scale: float) -> Reader:
        """A reader of a source whose frames are at least at a scale."""
        enough = self._reader is not None and self._reader.reduction * scale <= 1
        if self._reader is None or self._source is not source or not enough:
            if self._reader is not None:
                self._reader.close()
            form = source.facts.picture
            needed = ceil(form.width * scale), ceil(form.height * scale)
            self._reader, self._source = source.reader(0, needed), source
        return self._reader
