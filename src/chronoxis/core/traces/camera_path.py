"""The path of the camera through footage, from frame to frame; followed where somebody wants to know."""

import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import closing
from dataclasses import dataclass
from functools import partial

import numpy as np
import numpy.typing as npt

from chronoxis.core.cores import usable_cores
from chronoxis.core.footage.prefetch import ahead, depth_of
from chronoxis.core.footage.source import Source
from chronoxis.core.traces.camera_anchors import Anchors, Found
from chronoxis.core.traces.camera_steps import ROWS, Grey, looked_at
from chronoxis.core.traces.store import TraceStore, fingerprint

_NAME = "camera-2"  # counts up when something else is measured
_REPORT_SECONDS = 0.25  # seconds between two reports
_COLUMNS = ("right", "down", "turned", "grown", "leant_right", "leant_down", "sureness")

Column = npt.NDArray[np.float32]
Span = tuple[int, int]
"""Numbers of recorded frames, the second one not with them."""


@dataclass(frozen=True, eq=False)
class CameraPath:
    """How pictures moved since the one before; every column has the shape (frames,).

    Attributes:
        right: share of the picture's width.
        down: likewise.
        turned: degrees, clockwise.
        grown: natural logarithm of the size.
        leant_right: by how much a place shrinks for each width that it is to the right of the middle.
        leant_down: the same downwards, for each width as well.
        sureness: 0 to 1; 0 where nothing can be told, -1 where another scene begins.
        known: whether it was followed there.
    """

    right: Column
    down: Column
    turned: Column
    grown: Column
    leant_right: Column
    leant_down: Column
    sureness: Column
    known: npt.NDArray[np.bool_]

    @classmethod
    def blank(cls, frames: int) -> "CameraPath":
        """Nothing is known yet."""
        nothing = {name: np.zeros(frames, np.float32) for name in _COLUMNS}
        return cls(**nothing, known=np.zeros(frames, np.bool_))

    def in_pixels(self, width: int) -> tuple[Column, Column, Column, Column, Column]:
        """Right and down in pixels of pictures so wide, degrees, times, and how sure that is, 0 to 1."""
        right, down = self.right * np.float32(width), self.down * np.float32(width)
        return right, down, self.turned, np.exp(self.grown), np.maximum(self.sureness, 0)

    def __len__(self) -> int:
        return len(self.known)

    def lacks(self, spans: Iterable[Span]) -> list[Span]:
        """What is not known yet of some spans, from the first such frame to the last."""
        lacking = []
        for first, stop in spans:
            begin = max(0, first)
            unknown = np.flatnonzero(~self.known[begin : max(stop, begin)])
            if len(unknown):
                lacking.append((begin + int(unknown[0]), begin + int(unknown[-1]) + 1))
        return lacking

    def take(self, other: "CameraPath") -> None:
        """Fill in what another path through the same footage knows and this one does not."""
        if len(other) == len(self):
            fresh = other.known & ~self.known
            for name in (*_COLUMNS, "known"):
                getattr(self, name)[fresh] = getattr(other, name)[fresh]


def kept_path(source: Source, store: TraceStore) -> CameraPath:
    """What is known of the camera's path through footage as it was recorded.

    Raises:
        FootageError: its files cannot be read.
    """
    originals = source.originals.source
    count = len(originals.edges) - 1
    columns = store.kept(fingerprint(originals.files), _NAME)
    names = (*_COLUMNS, "known")
    if columns is None or any(name not in columns or len(columns[name]) != count for name in names):
        return CameraPath.blank(count)
    told = {name: columns[name].astype(np.float32) for name in _COLUMNS}
    return CameraPath(**told, known=columns["known"].astype(np.bool_))


def follow(
    source: Source,
    spans: Iterable[Span],
    store: TraceStore,
    shown: Callable[[CameraPath, float], None] = lambda _path, _share: None,
    known: CameraPath | None = None,
) -> CameraPath:
    """Follow the camera through stretches of footage, unless that was done before.

    Args:
        source: opened and counted.
        spans: of its frames as they were recorded.
        store: where the path is kept.
        shown: called with the path, which grows meanwhile, and the share done; it may raise `Cancelled`.
        known: what was followed, should the store not have it.

    Raises:
        FootageError: pictures cannot be read.
        Cancelled: ``shown`` raised it.
    """
    path = kept_path(source, store)
    if known is not None:
        path.take(known)
    lacking = path.lacks(spans)
    if not lacking:
        return path
    originals = source.originals.source
    total, done = sum(stop - first for first, stop in lacking), 0
    try:
        for first, stop in lacking:
            for number in _followed(originals, path, first, stop):
                shown(path, (done + number - first) / total)
            done += stop - first
    finally:
        columns = {name: getattr(path, name) for name in (*_COLUMNS, "known")}
        store.keep(fingerprint(originals.files), _NAME, columns)
    return path


def _followed(source: Source, path: CameraPath, first: int, stop: int) -> Iterable[int]:
    """Follow one stretch; yields now and then the number of the frame that it is at."""
    picture, told, anchors = source.facts.picture, 0.0, Anchors()
    size = max(1, round(picture.width / picture.height * ROWS)), ROWS

    def work() -> Iterator[tuple[int, Callable[[], Found]]]:
        before: Grey | None = None
        for number, frame in decoded:
            now = looked_at(frame, picture)
            if number >= first:
                yield number, anchors.look(number, before, now)
            before = now

    with (
        source.reader(0, size, fit=True) as reader,
        closing(
            ahead(partial(reader.frames, range(max(0, first - 1), stop)), depth_of(picture.decoded_bytes))
        ) as decoded,
    ):
        for number, found in _in_order(work()):
            step = anchors.step(number, found)
            for name in _COLUMNS:
                getattr(path, name)[number] = getattr(step, name)
            path.known[number] = True
            if time.monotonic() - told > _REPORT_SECONDS:
                told = time.monotonic()
                yield number


def _in_order(work: Iterable[tuple[int, Callable[[], Found]]]) -> Iterator[tuple[int, Found]]:
    """Work on all cores, a few pieces ahead; what comes of it in its order."""
    cores = usable_cores()
    waiting: deque[tuple[int, Future[Found]]] = deque()
    with ThreadPoolExecutor(cores, "camera") as pool:
        for number, piece in work:
            waiting.append((number, pool.submit(piece)))
            if len(waiting) > 2 * cores:
                number_, done = waiting.popleft()
                yield number_, done.result()
        for number_, done in waiting:
            yield number_, done.result()
