"""Small pictures of recordings, for the rails."""

from bisect import insort
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage, QPixmap

from chronoxis.app.background import Latest
from chronoxis.app.pictures.frame_images import small_image
from chronoxis.app.weave.rails import STRIP
from chronoxis.app.weave.tiles import Tile, Tiles, coarse_first
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.footage.containers import open_container, packets_of, picture_stream
from chronoxis.core.footage.facts import Facts
from chronoxis.core.footage.frame_reader import FrameReader
from chronoxis.core.render.frames import Recording
from chronoxis.core.timing.pace import Seconds

_MOST_IMAGES = 2000
_MOST_OPEN = 4
_COARSE = 2.0  # stored seconds between pictures, above which the nearest key frame serves


Fetch = Callable[[float], VideoFrame | None]


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

    Attributes:
        version: changes with every new picture.

    Signals:
        added: a new picture is there.
    """

    added = Signal()
    _found = Signal(object, float, object)

    def __init__(self) -> None:
        super().__init__()
        self._times: dict[Path, list[float]] = {}
        self._images: dict[tuple[Path, float], QPixmap] = {}
        self.version = 0
        self._under_way: StripWish | None = None
        self._sources = _Sources()
        self._latest = Latest(self._decode, "filmstrip")
        self._latest.answered.connect(self._end)
        self._found.connect(self.put)

    def nearest(self, tiles: Tiles) -> list[QPixmap | None]:
        """For each tile the picture nearest to it, if there is any of its file."""
        files, times = tiles.files.tolist(), self._nearest_times(tiles).tolist()
        return [self._images.get((tiles.paths[file], time)) for file, time in zip(files, times, strict=True)]

    def nearest_times(self, path: Path, seconds: Seconds) -> Seconds:
        """Stored seconds of the pictures nearest to some; infinite where there is none of the file."""
        times = np.array(self._times.get(path, ()), np.float64)
        if not len(times):
            return np.full(len(seconds), np.inf)
        after = np.minimum(np.searchsorted(times, seconds), len(times) - 1)
        earlier, later = times[np.maximum(after - 1, 0)], times[after]
        return np.where(seconds - earlier <= later - seconds, earlier, later)

    def want(
        self, rails: Sequence[Tiles], facts: dict[Path, Facts], recordings: dict[Path, Recording]
    ) -> None:
        """Decode the tiles that no kept picture is near enough to; earlier wishes are dropped."""
        lacking = [tile for tiles in rails for tile in self._lacking(tiles) if tile.path in facts]
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
        self.version += 1
        if len(self._images) > _MOST_IMAGES:
            gone, time = next(iter(self._images))
            del self._images[gone, time]
            self._times[gone].remove(time)
        self.added.emit()

    def close(self) -> None:
        """Stop."""
        self._latest.close()

    def _lacking(self, tiles: Tiles) -> list[Tile]:
        off = np.abs(self._nearest_times(tiles) - tiles.seconds)
        return [tiles.tile(row) for row in coarse_first(np.flatnonzero(off > tiles.tolerances))]

    def _nearest_times(self, tiles: Tiles) -> Seconds:
        times = np.empty(len(tiles))
        for number, path in enumerate(tiles.paths):
            of_file = tiles.files == number
            times[of_file] = self.nearest_times(path, tiles.seconds[of_file])
        return times

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
        packet = next(packet for packet in packets_of(container, stream) if packet.is_keyframe)
        # Told that nothing follows, the decoder gives the frame at once, and not after the next ones.
        frames = context.decode(packet) or context.decode(None)
        context.flush_buffers()
    except (StopIteration, av.FFmpegError):
        return None  # a hole in a damaged file; its neighbours stand in
    return frames[0] if frames else None
