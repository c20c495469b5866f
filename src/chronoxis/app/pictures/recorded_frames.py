"""Recorded frames for the window: the picture at the playhead, and what a result frame gathers."""

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtGui import QImage

from chronoxis.app.pictures.frame_images import small_image
from chronoxis.core.footage.frame_reader import FrameReader
from chronoxis.core.render.frames import Recording

_PICTURE_HEIGHT = 400
_STRIP_HEIGHT = 110


@dataclass(frozen=True, eq=False)
class Wish:
    """What to decode: one picture, and a strip of small ones; frame numbers, ascending."""

    recording: Recording
    number: int
    strip: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class Images:
    """What was decoded."""

    picture: QImage
    strip: dict[int, QImage]


class RecordedFrames:
    """Answers wishes; keeps one recording open."""

    def __init__(self) -> None:
        self._reader: FrameReader | None = None
        self._recording: Recording | None = None

    def answer(self, wish: Wish, still_wanted: Callable[[], bool]) -> Images | None:
        """Decode what is wished, or None once it is no longer wanted."""
        if not still_wanted():
            return None
        reader = self._open(wish.recording)
        facts = wish.recording.facts
        picture, strip = QImage(), {}
        for number, frame in reader.frames({wish.number, *wish.strip}):
            if not still_wanted():
                return None
            if number == wish.number:
                picture = small_image(frame, facts, _PICTURE_HEIGHT)
            if number in wish.strip:
                strip[number] = small_image(frame, facts, _STRIP_HEIGHT)
        return Images(picture, strip)

    def _open(self, recording: Recording) -> FrameReader:
        if self._reader is None or self._recording is not recording:
            if self._reader is not None:
                self._reader.close()
            self._reader, self._recording = FrameReader(recording.path, recording.index), recording
        return self._reader
