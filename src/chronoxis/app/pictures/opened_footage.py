"""Footage that is kept open for single small pictures."""

from collections.abc import Hashable
from contextlib import ExitStack

from av.video.frame import VideoFrame

from chronoxis.core.footage.kinds import thumbnails
from chronoxis.core.footage.source import Facts, Source, Thumbnails

_MOST_OPEN = 4


class OpenedFootage:
    """Takes pictures from footage; what was used last stays open. For one thread."""

    def __init__(self, height: int) -> None:
        """``height`` is that of the pictures, in pixels, where they are exact."""
        self._height = height
        self._open: dict[tuple[Hashable, Source | None], tuple[Thumbnails, ExitStack]] = {}
        self._large = set[Hashable]()  # origins of footage with large pictures

    def frame(self, facts: Facts, source: Source | None, seconds: float) -> VideoFrame | None:
        """The frame on display at a stored second; without a source, a picture from near there.

        Raises:
            FootageError: it cannot be opened or decoded.
        """
        wanted = facts.origin, source
        if facts.picture.is_large:
            self._large.add(facts.origin)
        glimpse, stack = self._open.pop(wanted) if wanted in self._open else self._opened(facts, source)
        self._open[wanted] = glimpse, stack
        if len(self._open) > _MOST_OPEN:
            _, oldest = self._open.pop(next(iter(self._open)))
            oldest.close()
        return glimpse(seconds)

    def rest(self) -> None:
        """Close what holds much, for nothing is wanted of it now."""
        for wanted, (_, stack) in [*self._open.items()]:
            if wanted[0] in self._large:
                stack.close()
                del self._open[wanted]

    def _opened(self, facts: Facts, source: Source | None) -> tuple[Thumbnails, ExitStack]:
        with ExitStack() as stack:
            if source is None:
                return stack.enter_context(thumbnails(facts)), stack.pop_all()
            small = round(self._height * facts.picture.width / facts.picture.height), self._height
            reader = stack.enter_context(source.reader(1 if source.is_quick else 0, small))
            return lambda seconds: reader.frame(source.frame_at(seconds)), stack.pop_all()
