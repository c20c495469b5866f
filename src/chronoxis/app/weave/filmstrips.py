"""Small pictures along the recorded rail."""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from chronoxis.app.background import Latest
from chronoxis.app.pictures.frame_images import small_image
from chronoxis.core.footage.containers import open_container, picture_stream
from chronoxis.core.footage.facts import Facts

HEIGHT = 56


@dataclass(frozen=True)
class StripWish:
    """Which recording, and at how many evenly spread places."""

    path: Path
    facts: Facts
    places: int


class Filmstrips(QObject):
    """Decodes key frames near evenly spread places, coarse places first.

    A rail's small pictures stand for stretches of seconds, so the nearest key frame before a place
    serves; it needs no index and one decoded frame only.

    Signals:
        added: a new picture is there.
    """

    added = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._latest = Latest(self._decode, "filmstrip")
        self.images: dict[int, QImage] = {}
        self.places = 1
        self._found.connect(self._take)

    _found = Signal(object, int, object)

    def follow(self, facts: Facts, places: int) -> None:
        """Make the strip of a recording anew."""
        self.images, self.places = {}, places
        self._latest.ask(StripWish(facts.path, facts, places))

    def image_near(self, share: float) -> QImage | None:
        """The picture nearest to a place, given as a share of the recording's length."""
        if not self.images:
            return None
        place = share * self.places - 0.5
        return self.images[min(self.images, key=lambda number: abs(number - place))]

    def close(self) -> None:
        """Stop."""
        self._latest.close()

    def _take(self, wish: StripWish, place: int, image: QImage) -> None:
        if wish.places == self.places:
            self.images[place] = image
            self.added.emit()

    def _decode(self, wish: StripWish, still_wanted: Callable[[], bool]) -> None:
        with open_container(wish.path) as container:
            stream = picture_stream(container, wish.path)
            stream.thread_type = "SLICE"  # one frame at a time comes out sooner without frame threads
            stream.codec_context.skip_frame = "NONKEY"
            start = stream.start_time or 0
            ticks = Fraction(wish.facts.length) / Fraction(stream.time_base or 1)
            for place in _coarse_first(wish.places):
                if not still_wanted():
                    return
                stamp = start + int(ticks * (2 * place + 1) / (2 * wish.places))
                try:
                    container.seek(stamp, stream=stream, backward=True)
                    frame = next(container.decode(stream))
                except (StopIteration, av.FFmpegError):
                    continue  # a hole in a damaged file; its neighbours stand in
                self._found.emit(wish, place, small_image(frame, wish.facts, HEIGHT))


def _coarse_first(count: int) -> list[int]:
    order = np.arange(count)
    ranks = [int(format(number, f"0{max(1, count.bit_length())}b")[::-1], 2) for number in order.tolist()]
    return order[np.argsort(ranks, kind="stable")].tolist()  # type: ignore[no-any-return]
