"""The one chain that every result frame comes through: decode, correct, make, frame, accent.

What follows, encoding, is for whoever asked: the export, the preview, the estimate.
"""

from collections.abc import Callable, Generator, Iterator
from contextlib import closing
from functools import partial
from itertools import pairwise

import numpy as np
from av.video.frame import VideoFrame

from chronoxis.core.footage.prefetch import Check, ahead, depth_of, never
from chronoxis.core.footage.reader_pool import FreshReaders, Readers
from chronoxis.core.footage.source import Reader
from chronoxis.core.picture.accents.drawn_accent import accents_on
from chronoxis.core.picture.coding import coded_as
from chronoxis.core.picture.correction import corrected
from chronoxis.core.picture.described import Picture
from chronoxis.core.picture.filled import AT_ONCE, Passed
from chronoxis.core.picture.frame_makers import FrameMaker, FrameMakers
from chronoxis.core.picture.framed import cut_out, framed, framed_codes, reduced
from chronoxis.core.picture.views import Crop, crop_of, needed_size
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import Target
from chronoxis.core.timing.frame_making import EachFrame
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.schedule import Schedule
from chronoxis.core.timing.shot_columns import Frames, Way, is_filled, shares_frames

FRESH_READERS = FreshReaders()

Seen = Callable[[int, int, VideoFrame], None]
"""Called with the number of a shot, that of a recorded frame, and that frame."""

_BLOCK_BYTES = 128 * 1024 * 1024
_BYTES_PER_PIXEL = 2
_MOST_BLOCK = 64


def result_frames(
    plan: Plan,
    target: Target,
    start: int = 0,
    stop: int | None = None,
    check: Check = never,
    held: dict[int, set[int]] | None = None,
    numbers: Frames | None = None,
    readers: Readers = FRESH_READERS,
    seen: Seen | None = None,
) -> Generator[VideoFrame, None, None]:
    """Yield result frames ``start`` to ``stop`` of a plan, in order; all of them, if not told otherwise.

    Or, of ascending ``numbers``, those alone.

    A recorded frame is decoded once, however many result frames of a shot it takes part in; in shots
    that play backwards, once for each block of result frames. Memory holds the frames under way or one
    block, whatever the length.

    Args:
        plan: of the result.
        target: what frames are made for.
        start: number of the first result frame.
        stop: behind the last one; the end, if None.
        check: called after each recorded frame, and while one is waited for; it may raise `Cancelled`.
        held: into it, by shot, come the numbers of recorded frames that could not be decoded, before the
            result frames are given that their neighbours stand in for them in.
        numbers: result frames, ascending, instead of ``start`` and ``stop``.
        readers: where what decodes comes from.
        seen: called with each recorded frame, as it was decoded, before anything is made of it.

    Raises:
        FootageError: a recorded frame cannot be decoded.
        Cancelled: ``check`` raised it.
    """
    if numbers is None:
        numbers = np.arange(start, len(plan.schedule) if stop is None else stop)
    changes = np.flatnonzero(np.diff(plan.schedule.shots[numbers])) + 1
    for first, end in pairwise([0, *changes.tolist(), len(numbers)]):
        shot = int(plan.schedule.shots[numbers[first]])
        chain = _ShotChain(plan, target, shot, check, {} if held is None else held, readers, seen)
        yield from chain.frames(numbers[first:end])


class _ShotChain:
    """The stages for one shot."""

    def __init__(
        self,
        plan: Plan,
        target: Target,
        shot: int,
        check: Check,
        held: dict[int, set[int]],
        readers: Readers,
        seen: Seen | None,
    ) -> None:
        self._readers, self._look = readers, seen
        self._check, self._shot, self._held = check, shot, held
        self._schedule, self._target = plan.schedule, target
        self._plays_backwards = plan.project.shots[shot].backwards
        self._source, self._picture = plan.sources[shot], plan.pictures[shot]
        self._corrections, self._warp = plan.corrections[shot], plan.warps[shot]
        self._accents = plan.accents[shot]
        self._cuts = plan.cuts[shot]
        self._views, self._edges, self._shown = plan.views[shot], plan.edges[shot], plan.shown
        self._needed = needed_size(self._views, self._picture, target.size, stretch=target.stretch)
        self._makings = FrameMakers(self._picture.colour)

    def frames(self, numbers: Frames) -> Generator[VideoFrame, None, None]:
        """Result frames of the shot, by their ascending numbers."""
        start, stop = int(numbers[0]), int(numbers[-1]) + 1
        whole = stop - start == len(numbers)
        part = self._schedule.portion(start, stop) if whole else self._schedule.chosen(numbers)
        first, fit = int(part.frames[0]), self._views is None
        with self._readers.lend(self._source, self._needed, fit=fit, number=first) as reader:
            try:
                if self._plays_backwards:
                    yield from self._backwards(reader, part, numbers)
                else:
                    yield from self._forwards(reader, part, numbers)
            finally:  # whoever has enough of it wants to know as well
                self._note_held(reader)

    def _forwards(self, reader: Reader, part: Schedule, numbers: Frames) -> Generator[VideoFrame, None, None]:
        wanted = partial(reader.frames, np.unique(part.frames))
        depth = depth_of(self._picture.decoded_bytes // reader.reduction**2)
        with closing(ahead(wanted, depth, self._check)) as decoded:
            for number, made, seen in self._make(decoded, part, numbers):
                self._note_held(reader)
                yield self._frame(number, made, seen)

    def _backwards(
        self, reader: Reader, part: Schedule, numbers: Frames
    ) -> Generator[VideoFrame, None, None]:
        """Make blocks of result frames the way the footage was encoded, and give each out in reverse."""
        frame_bytes = self._target.size[0] * self._target.size[1] * _BYTES_PER_PIXEL
        block = int(np.clip(_BLOCK_BYTES // frame_bytes, 1, _MOST_BLOCK))
        for start in range(0, len(part), block):
            stop = min(start + block, len(part))
            made = self._forwards(reader, part.portion(start, stop).backwards(), numbers[start:stop][::-1])
            yield from reversed(list(made))

    def _note_held(self, reader: Reader) -> None:
        if reader.lost:
            self._held.setdefault(self._shot, set()).update(reader.lost)

    def _prepare(self, number: int, picture: VideoFrame) -> Picture:
        """A decoded frame, at the scale that is worked at, corrected."""
        if self._target.gather_small:
            picture = reduced(picture, self._picture, self._needed)
        return corrected(self._corrections, number, picture) if self._corrections else picture

    def _make(
        self, decoded: Iterator[tuple[int, VideoFrame]], part: Schedule, numbers: Frames
    ) -> Iterator[tuple[int, Picture, Crop | None]]:
        """Open each result frame when its first recorded frame comes by, and close it after its last.

        With each comes what is seen of the pictures, if it is that already which it was made of.
        Where the shutter changes, a later result frame may begin or end with an earlier recorded frame.
        """
        firsts = part.firsts
        lasts = part.frames[part.offsets[1:] - 1]
        order = np.argsort(firsts, kind="stable").tolist()
        opened = given = 0
        under_way: dict[int, _ResultFrame] = {}
        made: dict[int, tuple[Picture, Crop | None]] = {}
        for number, frame in decoded:
            self._check()
            if self._look is not None:
                self._look(self._shot, number, frame)
            ready = self._prepare(number, frame)
            while opened < len(part) and firsts[row := order[opened]] == number:
                # Whatever is made of one recorded frame is that frame.
                frames, weights = part.sources(row)
                way = part.way(row) if len(frames) > 1 else EachFrame.ONE
                passed = passed_between(
                    self._edges, self._cuts, frames, (part.opened[row], part.closed[row]), way
                )
                seen = self._seen(int(numbers[row])) if self._resamples_once(way) else None
                under_way[row] = _ResultFrame(frames, weights, passed, way, self._makings.begin(way), seen)
                opened += 1
            steadied: dict[Crop | None, Picture] = {}
            for result in under_way.values():
                if result.takes(number):
                    result.take(number, self._steadied(number, ready, result.seen, steadied))
            for row in [row for row in under_way if lasts[row] <= number]:
                done = under_way.pop(row)
                made[row] = done.making.made(), done.seen
                self._makings.end(done.way, done.making)
            while given in made:
                yield int(numbers[given]), *made.pop(given)
                given += 1

    def _resamples_once(self, way: Way) -> bool:
        """Whether recorded frames are brought to a result frame's view when they are steadied.

        Where result frames share them, and each has another view, they are steadied whole.
        """
        still = self._views is None or not self._views.moves
        return self._warp is not None and (still or not shares_frames(way))

    def _steadied(
        self, number: int, ready: Picture, seen: Crop | None, steadied: dict[Crop | None, Picture]
    ) -> Picture:
        """What is seen of a recorded frame, or all of it, steadied; what has been is kept in ``steadied``."""
        if self._warp is None:
            return ready
        if seen not in steadied:
            steadied[seen] = self._warp.steadied(number, ready, seen)
        return steadied[seen]

    def _seen(self, number: int) -> Crop:
        """What a result frame shows of its pictures."""
        shown = number if self._shown is None else int(self._shown[number])
        view = self._views.box(shown) if self._views is not None else None
        return crop_of(self._picture, self._target.size, view, stretch=self._target.stretch)

    def _frame(self, number: int, made: Picture, is_of: Crop | None) -> VideoFrame:
        """A made picture in the result's size and format, with its accents."""
        target, picture, seen = self._target, self._picture, is_of or self._seen(number)
        part = made if is_of or self._views is None else cut_out(made, picture, seen)
        within, accents = picture.lying(seen.size), accents_on(self._accents, number)
        if not accents:
            return framed(part, picture, within, target.size, target.pixel_format, target.colour)
        codes = framed_codes(part, picture, within, target.size, target.colour)
        for accent in accents:
            codes = accent.applied(number, codes)
        return coded_as(codes, target.size, target.pixel_format, target.colour)


class _ResultFrame:
    """One result frame under way."""

    def __init__(
        self,
        frames: Frames,
        weights: Seconds,
        passed: list[Passed],
        way: Way,
        making: FrameMaker,
        seen: Crop | None,
    ) -> None:
        """``seen`` is what it shows of its pictures, if they are brought to that before it is made."""
        self.way, self.making, self.seen = way, making, seen
        self._weights = dict(zip(frames.tolist(), weights.tolist(), strict=True))
        self._passed = dict(zip(frames.tolist(), passed, strict=True)) if passed else {}

    def takes(self, number: int) -> bool:
        return number in self._weights

    def take(self, number: int, picture: Picture) -> None:
        self.making.add(picture, self._weights[number], self._passed.get(number, AT_ONCE))


def passed_between(
    edges: Seconds, cuts: Frames, frames: Frames, window: tuple[float, float], way: Way
) -> list[Passed]:
    """Of a filled frame, how much of the way to each recorded frame from the one before is exposed.

    Nothing is on the way from one scene to the next.
    """
    if not is_filled(way):
        return []
    begins = edges[frames]
    apart = np.maximum(np.diff(begins), 1e-9)  # two frames may carry one stamp
    low, high = (np.clip((t - begins[:-1]) / apart, 0, 1) for t in window)
    lasting = (high - low) * apart
    shares = lasting / max(float(lasting.sum()), 1e-12)
    shares[np.diff(np.searchsorted(cuts, frames, "right")) > 0] = 0
    return [AT_ONCE, *zip(low.tolist(), high.tolist(), shares.tolist(), strict=True)]
