"""Small pictures of recordings, for the rails."""

from bisect import insort
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage, QPixmap

from chronoxis.app.pictures.frame_images import small_image
from chronoxis.app.pictures.opened_footage import OpenedFootage
from chronoxis.app.weave.rails import STRIP
from chronoxis.app.weave.tiles import Tile, Tiles, coarse_first
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.footage.source import Facts, Source
from chronoxis.core.timing.pace import Seconds

_MOST_IMAGES = 2000
_COARSE_SECONDS = 2.0  # stored seconds between pictures, above which a quick one from near there serves


@dataclass(frozen=True, eq=False)
class StripWish:
    """Tiles in the order of their worth, and what is known of their footage, by its course."""

    tiles: Sequence[Tile]
    facts: dict[Hashable, Facts]
    sources: dict[Hashable, Source]


class Filmstrips(QObject):
    """Keeps small pictures by footage and time, and decodes those that are wished.

    Where pictures stand for stretches of seconds, a quick one from near there serves, which needs no
    counted frames. Closer together, the very frame is decoded.

    Attributes:
        version: changes with every new picture.

    Signals:
        added: a new picture is there.
    """

    added = Signal()
    _found = Signal(object, float, object)

    def __init__(self) -> None:
        super().__init__()
        self._times: dict[Hashable, list[float]] = {}
        self._images: dict[tuple[Hashable, float], QPixmap] = {}
        self.version = 0
        self._under_way: StripWish | None = None
        self._opened = OpenedFootage(STRIP)
        self._latest = NewestWorker(self._decode, "filmstrip")
        self._latest.answered.connect(self._end)
        self._found.connect(self.put)

    def nearest(self, tiles: Tiles) -> list[QPixmap | None]:
        """For each tile the picture nearest to it, if there is any of its file."""
        which, times = tiles.which.tolist(), self._nearest_times(tiles).tolist()
        return [self._images.get((tiles.courses[one], time)) for one, time in zip(which, times, strict=True)]

    def nearest_times(self, course: Hashable, seconds: Seconds) -> Seconds:
        """Stored seconds of the pictures nearest to some; infinite where there is none of the file."""
        times = np.array(self._times.get(course, ()), np.float64)
        if not len(times):
            return np.full(len(seconds), np.inf)
        after = np.minimum(np.searchsorted(times, seconds), len(times) - 1)
        earlier, later = times[np.maximum(after - 1, 0)], times[after]
        return np.where(seconds - earlier <= later - seconds, earlier, later)

    def picture_near(self, course: Hashable, seconds: float) -> QImage | None:
        """The picture nearest to a stored second, if there is any of its footage."""
        time = float(self.nearest_times(course, np.array([seconds]))[0])
        pixmap = self._images.get((course, time))
        return None if pixmap is None else pixmap.toImage()

    def want(
        self, rails: Sequence[Tiles], facts: dict[Hashable, Facts], sources: dict[Hashable, Source]
    ) -> None:
        """Decode the tiles that no kept picture is near enough to; earlier wishes are dropped."""
        lacking = [tile for tiles in rails for tile in self._lacking(tiles) if tile.course in facts]
        under_way = self._under_way
        if not lacking or (
            under_way is not None
            and under_way.sources.keys() == sources.keys()
            and set(lacking) <= set(under_way.tiles)
        ):
            return
        self._under_way = StripWish(lacking, dict(facts), dict(sources))
        self._latest.ask(self._under_way)

    def put(self, course: Hashable, seconds: float, image: QImage) -> None:
        """Keep a picture."""
        if (course, seconds) not in self._images:
            insort(self._times.setdefault(course, []), seconds)
        self._images[course, seconds] = QPixmap.fromImage(image)
        self.version += 1
        if len(self._images) > _MOST_IMAGES:
            gone, time = next(iter(self._images))
            del self._images[gone, time]
            self._times[gone].remove(time)
        self.added.emit()

    def close(self) -> None:
        """Give up what is under way; `wait_for_ends` waits for the thread."""
        self._latest.close()

    def _lacking(self, tiles: Tiles) -> list[Tile]:
        off = np.abs(self._nearest_times(tiles) - tiles.seconds)
        return [tiles.tile(row) for row in coarse_first(np.flatnonzero(off > tiles.tolerances))]

    def _nearest_times(self, tiles: Tiles) -> Seconds:
        times = np.empty(len(tiles))
        for number, course in enumerate(tiles.courses):
            of_it = tiles.which == number
            times[of_it] = self.nearest_times(course, tiles.seconds[of_it])
        return times

    def _end(self, wish: StripWish, _answer: None) -> None:
        if wish is self._under_way:
            self._under_way = None

    def _decode(self, wish: StripWish, still_wanted: Callable[[], bool]) -> None:
        try:
            self._decode_tiles(wish, still_wanted)
        finally:
            self._opened.rest()

    def _decode_tiles(self, wish: StripWish, still_wanted: Callable[[], bool]) -> None:
        for tile in wish.tiles:
            if not still_wanted():
                return
            facts, source = wish.facts[tile.course], wish.sources.get(tile.course)
            close = source is not None and (
                source.is_quick or not source.files or tile.tolerance * 2 < _COARSE_SECONDS
            )
            exact = source if close else None
            try:
                frame = self._opened.frame(facts, exact, tile.seconds)
                if frame is not None:
                    self._found.emit(tile.course, tile.seconds, small_image(frame, facts.picture, STRIP))
            except ChronoxisError:
                continue  # whoever decodes the picture at the playhead says what is wrong with the file
