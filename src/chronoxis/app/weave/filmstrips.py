"""Small pictures of recordings, for the rails."""

from bisect import bisect_left, insort
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage, QPixmap

from chronoxis.app.background import Latest
from chronoxis.app.pictures.frame_images import small_image
from chronoxis.app.weave.rails import STRIP
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.footage.containers import open_container, picture_stream
from chronoxis.core.footage.facts import Facts
from chronoxis.core.footage.frame_reader import FrameReader
from chronoxis.core.render.frames import Recording

_MOST_IMAGES = 2000
_MOST_OPEN = 4
_COARSE = 2.0  # stored seconds between pictures, above which the nearest key frame serves


Fetch = Callable[[float], VideoFrame | None]


@dataclass(frozen=True)
class Tile:
    """A wished picture: of which recording, at which stored second, and how far off it may be."""

    path: Path
    seconds: float
    tolerance: float


@dataclass(frozen=True, eq=False)
class StripWish:
    """Tiles in the order of their worth, and what is known of their recordings."""

    tiles: Sequence[Tile]
    facts: dict[Path, Facts]
    recordings: dict[Path, Recording]


class Filmstrips(QObject):
    """Keeps small pictures by recording and time, and decodes those that are wished.

    Where pictures stand for stretches of seconds, the nearest key frame before serves: it needs no
    index and one decoded frame only. Closer together, the very frame is decoded.

    Signals:
        added: a new picture is there.
    """

    added = Signal()
    _found = Signal(object, float, object)

    def __init__(self) -> None:
        super().__init__()
        self._times: dict[Path, list[float]] = {}
        self._images: dict[tuple[Path, float], QPixmap] = {}
        self._under_way: StripWish | None = None
        self._sources = _Sources()
        self._latest = Latest(self._decode, "filmstrip")
        self._latest.answered.connect(self._end)
        self._found.connect(self.put)

    def near(self, path: Path, seconds: float) -> QPixmap | None:
        """The picture nearest to a stored second of a recording, if there is any."""
        place = self.nearest_time(path, seconds)
        return None if place is None else self._images[path, place]

    def nearest_time(self, path: Path, seconds: float) -> float | None:
        """Stored seconds of the picture nearest to some, if there is any."""
        times = self._times.get(path, [])
        place = bisect_left(times, seconds)
        around = times[max(0, place - 1) : place + 1]
        return min(around, key=lambda time: abs(time - seconds)) if around else None

    def want(
        self, tiles: Sequence[Tile], facts: dict[Path, Facts], recordings: dict[Path, Recording]
    ) -> None:
        """Decode the tiles that no kept picture is near enough to; earlier wishes are dropped."""
        lacking = [tile for tile in tiles if tile.path in facts and not self._has(tile)]
        under_way = self._under_way
        if not lacking or (
            under_way is not None
            and under_way.recordings.keys() == recordings.keys()
            and set(lacking) <= set(under_way.tiles)
        ):
            return
        self._under_way = StripWish(lacking, dict(facts), dict(recordings))
        self._latest.ask(self._under_way)

    def put(self, path: Path, seconds: float, image: QImage) -> None:
        """Keep a picture."""
        if (path, seconds) not in self._images:
            insort(self._times.setdefault(path, []), seconds)
        self._images[path, seconds] = QPixmap.fromImage(image)
        if len(self._images) > _MOST_IMAGES:
            gone, time = next(iter(self._images))
            del self._images[gone, time]
            self._times[gone].remove(time)
        self.added.emit()

    def close(self) -> None:
        """Stop."""
        self._latest.close()

    def _has(self, tile: Tile) -> bool:
        nearest = self.nearest_time(tile.path, tile.seconds)
        return nearest is not None and abs(nearest - tile.seconds) <= tile.tolerance

    def _end(self, wish: StripWish, _answer: None) -> None:
        if wish is self._under_way:
            self._under_way = None

    def _decode(self, wish: StripWish, still_wanted: Callable[[], bool]) -> None:
        for tile in wish.tiles:
            if not still_wanted():
                return
            path, facts = tile.path, wish.facts[tile.path]
            recording = wish.recordings.get(path) if tile.tolerance * 2 < _COARSE else None
            try:
                frame = self._sources.frame(path, recording, tile.seconds)
                if frame is not None:
                    self._found.emit(path, tile.seconds, small_image(frame, facts, STRIP))
            except ChronoxisError:
                continue  # whoever decodes the picture at the playhead says what is wrong with the file


class _Sources:
    """Open files to take frames from; the ones used last stay open. For one thread."""

    def __init__(self) -> None:
        self._open: dict[tuple[Path, Recording | None], tuple[Fetch, ExitStack]] = {}

    def frame(self, path: Path, recording: Recording | None, seconds: float) -> VideoFrame | None:
        """The frame on display at a stored second, or without an index the key frame before it.

        Raises:
            FootageError: the file cannot be opened or decoded.
        """
        wanted = path, recording
        fetch, stack = self._open.pop(wanted) if wanted in self._open else _opened(path, recording)
        self._open[wanted] = fetch, stack
        if len(self._open) > _MOST_OPEN:
            _, oldest = self._open.pop(next(iter(self._open)))
            oldest.close()
        return fetch(seconds)


def _opened(path: Path, recording: Recording | None) -> tuple[Fetch, ExitStack]:
    with ExitStack() as stack:
        if recording is not None:
            reader, index = stack.enter_context(FrameReader(path, recording.index)), recording.index
            return lambda seconds: reader.frame(index.frame_at(seconds)), stack.pop_all()
        container = stack.enter_context(open_container(path))
        stream = picture_stream(container, path)
        stream.thread_type = "SLICE"  # one frame at a time comes out sooner without frame threads
        stream.codec_context.skip_frame = "NONKEY"
        return lambda seconds: _key_frame(container, stream, seconds), stack.pop_all()


def _key_frame(container: InputContainer, stream: VideoStream, seconds: float) -> VideoFrame | None:
    ticks, context = int(seconds / Fraction(stream.time_base or 1)), stream.codec_context
    try:
        container.seek((stream.start_time or 0) + ticks, stream=stream, backward=True)
        packet = next(packet for packet in container.demux(stream) if packet.is_keyframe)
        # Told that nothing follows, the decoder gives the frame at once, and not after the next ones.
        frames = context.decode(packet) or context.decode(None)
        context.flush_buffers()
    except (StopIteration, av.FFmpegError):
        return None  # a hole in a damaged file; its neighbours stand in
    return frames[0] if frames else None
