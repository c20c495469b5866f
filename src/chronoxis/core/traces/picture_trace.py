"""What is measured of pictures, in one pass in the background: light, motion, change, passers-by."""

import time
from collections.abc import Callable, Generator, Iterator, Sequence
from contextlib import ExitStack, closing
from dataclasses import dataclass
from functools import cached_property, partial
from itertools import zip_longest
from math import lcm

import numpy as np
import numpy.typing as npt

from chronoxis.core.cores import usable_cores
from chronoxis.core.footage.prefetch import Check, ahead, depth_of
from chronoxis.core.footage.source import Source
from chronoxis.core.timing.shot_columns import NO_SPANS, Frames, Spans
from chronoxis.core.traces import light
from chronoxis.core.traces.changes import (
    REMEMBERED,
    TOGETHER,
    ChangeWatch,
    Luma,
    differences,
    judged,
    luma_of,
    noise_in,
)
from chronoxis.core.traces.glances import COLUMNS, ROWS, Glance, glance_at
from chronoxis.core.traces.passers_by import HELD, REACH, RENEWED, PasserWatch, moments
from chronoxis.core.traces.store import Columns, TraceStore, fingerprint

Column = npt.NDArray[np.float32]
"""A number of each recorded frame or photo."""

_NAME = "pictures-2"  # counts up when something else is measured
_LONG_FRAMES = 20_000  # frames from which a sample comes before the rest
_SAMPLED_PLACES = 400  # places that are looked at then
_WATCHED_RATE = 8.0  # pictures per recorded second that passers-by are looked for in, at most
_REPORT_SECONDS = 0.25  # seconds between two looks at how far it is
_KEEPING_SECONDS = 60.0  # seconds after which what is known is put on the disk
_MOST_EVENED = 4  # choices whose gains are kept: each shot may have its own, and a drag makes many
_CODE_GAMMA = 0.45  # about: what light times a gain comes to in codes
# A picture begins a scene that differs from the one before by so much of the range, and by so many times
# what its neighbours do.
_CUT_DIFFERENCE, _CUT_RATIO = 0.10, 3.0


_LEAST_CHANGED = 0.06  # share of the picture that changes from frame to frame where the camera moves


@dataclass(frozen=True, eq=False)
class PictureTrace:
    """What is known of the pictures of footage, by the number of the recorded frame or the photo.

    Attributes:
        light: mean luminance, linear, 0 to 1.
        steps: by how much the logarithm of light changed from the frame before; shape (frames, 3).
        motion: mean difference of codes from the frame before, 0 to 1, the change of light taken out.
        change: the largest change of any part of the picture from the frame before, 0 to 1.
        changed: share of the picture that changed.
        covered: share of the picture that something large and near covers.
        known: which frames were looked at.
        watched: frames from one that passers-by are looked for in to the next.
    """

    light: Column
    steps: Column
    motion: Column
    change: Column
    changed: Column
    covered: Column
    known: npt.NDArray[np.bool_]
    watched: int

    @classmethod
    def blank(cls, frames: int, watched: int) -> "PictureTrace":
        """Nothing is known yet."""
        columns = {
            name: np.zeros((frames, 3) if name == "steps" else frames, np.float32) for name in _COLUMNS
        }
        return cls.of(columns, np.zeros(frames, np.bool_), watched)

    @classmethod
    def of(cls, columns: Columns, known: npt.NDArray[np.generic], watched: int) -> "PictureTrace":
        """From a copy of columns by name."""
        copied = {name: columns[name].astype(np.float32) for name in _COLUMNS}
        return cls(**copied, known=known.astype(np.bool_), watched=watched)

    def __len__(self) -> int:
        return len(self.known)

    def stands_still(self, first: int, stop: int) -> bool:
        """Whether a camera that moves is nowhere to be seen in most of some frames, all of them known.

        Where it moves, whatever has an edge changes: a quarter of a picture with much sky, as against a
        hundredth of one in which things move.
        """
        frames = slice(first + 1, stop)
        if not self.known[frames].all() or not len(self.known[frames]):
            return False
        return bool(np.median(self.changed[frames]) < _LEAST_CHANGED)

    @cached_property
    def is_whole(self) -> bool:
        """Whether all frames were looked at."""
        return bool(self.known.all())

    @cached_property
    def scenes(self) -> Frames:
        """The frames that begin another scene, after the first one."""
        around = np.concatenate(([0], self.motion, [0]))
        usual = np.maximum(around[:-2], around[2:])
        found = np.flatnonzero(
            (self.motion > _CUT_DIFFERENCE) & (self.motion > _CUT_RATIO * usual + 0.02) & self.known
        )
        return found[found > 0]

    @cached_property
    def passers(self) -> Spans:
        """The moments when somebody passes; none while not all is known."""
        if not self.is_whole:
            return NO_SPANS
        return np.clip(moments(self.covered[:: self.watched]) * self.watched, 0, len(self))

    @property
    def has_passer(self) -> npt.NDArray[np.bool_]:
        """In which frames somebody passes by; shape (frames,)."""
        marked = np.zeros(len(self), np.bool_)
        for first, stop in self.passers.tolist():
            marked[first:stop] = True
        return marked

    def gains(self, strength: float, span: float | None, *, channels: bool) -> npt.NDArray[np.float32]:
        """What light is multiplied with to be even, shape (frames, 3).

        Args:
            strength: share of the way, 0 to 1.
            span: frames within which changes come and go that are flicker; what suits the light, if None.
            channels: each channel by itself, rather than all alike.
        """
        asked = strength, span, channels
        if asked not in self._evened:
            if len(self._evened) >= _MOST_EVENED:
                self._evened.pop(next(iter(self._evened)))
            self._evened[asked] = self._gains(*asked)
        return self._evened[asked]

    @cached_property
    def _evened(self) -> dict[tuple[float, float | None, bool], Column]:
        return {}

    def _gains(self, strength: float, span: float | None, channels: bool) -> Column:
        steps = self.steps.astype(np.float64)
        steps[self.scenes] = 0
        course = np.cumsum(steps, axis=0)
        if not channels:
            # As the eye weighs them, so that one channel near black does not sway the others.
            course = np.repeat((course @ np.array([0.2126, 0.7152, 0.0722]))[:, None], 3, axis=1)
        from chronoxis.core.traces.trend import trend  # noqa: PLC0415 - slow to import, and not always needed

        return np.exp(strength * (trend(course, span, self.scenes) - course)).astype(np.float32)


_COLUMNS = ("light", "steps", "motion", "change", "changed", "covered")


def watch(
    source: Source,
    store: TraceStore,
    shown: Callable[[PictureTrace, float], None] = lambda _trace, _share: None,
    known: PictureTrace | None = None,
) -> PictureTrace:
    """Measure the pictures of footage as they were recorded, unless that was done before.

    What was begun before is gone on with. Of much footage, places all over it are looked at first.

    Args:
        source: opened and counted.
        store: where it is kept.
        shown: called with what is known so far, and the share done; it may raise `Cancelled` to stop.
        known: what was measured, should the store not have it.

    Raises:
        FootageError: the pictures cannot be read.
        Cancelled: ``shown`` raised it.
    """
    originals = source.originals
    mark = fingerprint(source.files)
    frames, step = len(originals.source.edges) - 1, _step(originals.source)
    trace = _kept(store, mark, frames, step) or known or PictureTrace.blank(frames, step)
    if trace.is_whole:
        return trace
    if frames > _LONG_FRAMES and not trace.known.any():
        trace = sampled(originals.source, trace, shown)
    watching = _Watching(originals.source, trace)
    kept = time.monotonic()
    try:
        for so_far, share in watching.passed():
            shown(so_far, share)
            if time.monotonic() - kept > _KEEPING_SECONDS:
                kept = time.monotonic()
                _keep(store, mark, watching.trace())
    except BaseException:
        _keep(store, mark, watching.trace())
        raise
    whole = watching.trace()
    _keep(store, mark, whole)
    return _worked_out(whole)


def kept_pictures(source: Source, store: TraceStore) -> PictureTrace | None:
    """What was measured of the pictures of footage before, or None.

    Raises:
        FootageError: its files cannot be read.
    """
    originals = source.originals.source
    trace = _kept(store, fingerprint(originals.files), len(originals.edges) - 1, _step(originals))
    return None if trace is None else _worked_out(trace)


def _worked_out(trace: PictureTrace) -> PictureTrace:
    """The trace, with what whoever draws it would have to wait for."""
    _ = trace.passers, trace.scenes
    return trace


def _step(source: Source) -> int:
    return max(1, round(float(source.rate) / _WATCHED_RATE))


def _kept(store: TraceStore, mark: str, frames: int, step: int) -> PictureTrace | None:
    columns = store.kept(mark, _NAME)
    if columns is None or not {*_COLUMNS, "known"} <= set(columns):
        return None
    if any(len(columns[name]) != frames for name in (*_COLUMNS, "known")):
        return None
    return PictureTrace.of(columns, columns["known"], step)


def _keep(store: TraceStore, mark: str, trace: PictureTrace) -> None:
    store.keep(mark, _NAME, {name: getattr(trace, name) for name in (*_COLUMNS, "known")})


class _Watching:
    """One pass over all frames that were not looked at in their turn before.

    Going on gives the same as not having stopped: it begins so much earlier, and in step, that whatever looks
    back finds what it would have found.
    """

    def __init__(self, source: Source, trace: PictureTrace) -> None:
        self._source = source
        self._step = trace.watched
        # A sample knows every so manieth; what was passed over in order is known without a gap.
        gap = np.flatnonzero(~trace.known)
        self._done = int(gap[0]) if len(gap) else len(trace)
        in_step = lcm(TOGETHER, RENEWED * self._step)
        back = max((HELD + REACH + 2 * RENEWED) * self._step, (REMEMBERED + 1) * TOGETHER)
        self._first = max(0, self._done - back) // in_step * in_step
        self._columns = {name: getattr(trace, name).copy() for name in _COLUMNS}
        self._known = trace.known.copy()
        self._watch = PasserWatch()
        self._changes = ChangeWatch()

    def trace(self) -> PictureTrace:
        """What is known by now."""
        self._note_passers()
        return PictureTrace.of(self._columns, self._known, self._step)

    def passed(self) -> Generator[tuple[PictureTrace, float], None, None]:
        """Look at frame after frame; yields now and then what is known, and the share done."""
        colour = self._source.facts.picture.colour
        waiting: list[tuple[int, Glance]] = []
        before: Glance | None = None
        told = 0.0
        count = len(self._known)
        with self._source.reader(0, (COLUMNS, ROWS), fit=True) as reader:
            frames = partial(reader.frames, range(self._first, count))
            depth = depth_of(self._source.facts.picture.decoded_bytes // reader.reduction**2)
            with closing(ahead(frames, depth)) as decoded:
                for number, frame in decoded:
                    waiting.append((number, glance_at(frame, colour)))
                    self._changes.see(frame)
                    if len(waiting) < TOGETHER and number < count - 1:
                        continue
                    before = self._measure(before, waiting)
                    waiting = []
                    # What is whole is given once, by whoever asked for the pass, when it is kept.
                    if time.monotonic() - told > _REPORT_SECONDS and not self._known.all():
                        told = time.monotonic()
                        yield self.trace(), (number + 1) / count
        self._known[:] = True

    def _measure(self, before: Glance | None, waiting: list[tuple[int, Glance]]) -> Glance:
        """Put in what some glances that follow one another tell; the last of them."""
        numbers = np.array([number for number, _ in waiting])
        glances = [glance for _, glance in waiting]
        measured = _compared([before or glances[0], *glances[:-1]], glances)
        measured["change"], measured["changed"] = self._changes.judged()
        fresh = numbers >= self._done
        for name, column in measured.items():
            self._columns[name][numbers[fresh]] = column[fresh]
        self._known[numbers] = True
        for number, glance in waiting:
            if number % self._step == 0:
                self._watch.see(glance.codes)
        return glances[-1]

    def _note_passers(self) -> None:
        """Put in what is covered, between the pictures that were looked at as in the nearest of them."""
        covered = self._watch.covered(ended=bool(self._known.all()))
        if not len(covered):
            return
        # The last ones before it was given up were judged without those after them.
        begin = 0 if not self._first else max(self._first, self._done - (REACH + 1) * self._step)
        every = np.arange(begin, min(self._first + len(covered) * self._step, len(self._known)))
        nearest = np.rint((every - self._first) / self._step).astype(np.int64)
        self._columns["covered"][every] = covered[np.clip(nearest, 0, len(covered) - 1)]


def _compared(before: Sequence[Glance], glances: Sequence[Glance]) -> dict[str, Column]:
    """The columns that glances give, each against the one before it."""
    lights = np.stack([glance.light for glance in glances])
    steps = light.steps(before[0].light, lights)
    gains = np.exp(_CODE_GAMMA * steps).astype(np.float32)[:, None, None, :]
    codes_before, codes = (np.stack([glance.codes for glance in part]) for part in (before, glances))
    apart = np.abs(codes - np.minimum(codes_before * gains, 1))
    return {
        "light": light.level(lights),
        "steps": steps.astype(np.float32),
        "motion": apart.mean(axis=(1, 2, 3)),
    }


def sampled(
    source: Source,
    trace: PictureTrace,
    shown: Callable[[PictureTrace, float], None] = lambda _trace, _share: None,
) -> PictureTrace:
    """What places all over the footage tell, two neighbouring frames at each, added to a trace.

    Raises:
        FootageError: the pictures cannot be read.
        Cancelled: ``shown`` raised it.
    """
    leaps = source.originals.leaps
    count = len(trace)
    wished = np.linspace(0, count - 2, _SAMPLED_PLACES).astype(np.int64)
    if leaps is not None and len(leaps):
        wished = leaps[np.clip(np.searchsorted(leaps, wished), 0, len(leaps) - 1)]
    places = np.unique(np.clip(wished, 0, count - 2))
    columns = {name: getattr(trace, name).copy() for name in _COLUMNS}
    known = trace.known.copy()
    told, cores = 0.0, usable_cores()
    depth = depth_of(source.facts.picture.decoded_bytes)
    with ExitStack() as stack:
        looks = [
            stack.enter_context(closing(ahead(partial(_looked_at, source, places[core::cores]), depth)))
            for core in range(cores)
        ]
        for number, measured in (found for part in zip_longest(*looks) for found in part if found):
            for name, column in measured.items():
                columns[name][number : number + 2] = column[0]
            known[number : number + 2] = True
            if time.monotonic() - told > _REPORT_SECONDS:
                told = time.monotonic()
                shown(PictureTrace.of(columns, known, trace.watched), 0.0)
    return PictureTrace.of(columns, known, trace.watched)


def _looked_at(source: Source, places: Frames, check: Check) -> Iterator[tuple[int, dict[str, Column]]]:
    """Of places that follow one another, what each frame there and the one after it tell."""
    colour = source.facts.picture.colour
    first = set(places.tolist())
    before: tuple[int, Glance, Luma] | None = None
    with source.reader(1, (COLUMNS, ROWS), fit=True) as reader:  # ahead of a leap, nothing is decoded
        for number, frame in reader.frames(np.unique(np.concatenate([places, places + 1])), check):
            glance, luma = glance_at(frame, colour), luma_of(frame)
            if before is not None and before[0] == number - 1 and number - 1 in first:
                measured = _compared([before[1]], [glance])
                blocks = differences(before[2], luma)
                measured["change"], measured["changed"] = judged(blocks[None], noise_in([blocks]))
                yield number - 1, measured
            before = number, glance, luma
