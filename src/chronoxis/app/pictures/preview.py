"""Result frames made ahead of the playhead, small, the same way the export makes them."""

import threading
import time
from collections import deque
from contextlib import closing
from functools import partial
from itertools import chain

import cv2
import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from chronoxis.app.background import give_way, in_one_line, stand_aside
from chronoxis.app.ends import expect_end
from chronoxis.app.pictures.frame_images import image_from
from chronoxis.core.errors import Cancelled
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.export import held_places, held_remark
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import preview_target

PREVIEW_HEIGHT = 360
"""Pixels of the frames that are kept."""

_BUDGET = 256 * 1024 * 1024  # bytes of compressed frames
_JPEG = [cv2.IMWRITE_JPEG_QUALITY, 90]
_RATE_SECONDS = 2.0  # seconds within which frames were made, for a rate
_USUAL_BYTES = 60_000  # of a compressed frame
_STRETCH_FRAMES = 250  # result frames asked for at a time
_FAR_FRAMES = 40  # frames ahead of the work at which starting afresh is quicker


class Preview(QObject):
    """Makes result frames from the playhead on and keeps them compressed, within a budget.

    Signals:
        ready: a result frame's number.
        failed: a message for the person.
        gave_up: no frames come from here on until they are asked for from somewhere else.
    """

    ready = Signal(int)
    failed = Signal(str)
    gave_up = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._condition = threading.Condition()
        self._kept: dict[int, bytes] = {}
        self._bytes = 0
        self._times: deque[float] = deque(maxlen=16)  # when the last frames were made
        self._held: dict[int, set[int]] = {}  # recorded frames that could not be decoded, by shot
        self._plan: Plan | None = None
        self._wish = 0
        self._version = 0
        self._held_back = False
        self._gave_up = False
        self._closed = False
        self._thread = threading.Thread(target=self._run, name="preview", daemon=True)
        self._thread.start()

    def follow(self, plan: Plan | None) -> None:
        """Work for another plan; what was made for the old one is forgotten."""
        with self._condition:
            self._plan, self._gave_up = plan, False
            self._version += 1
            self._kept.clear()
            self._held.clear()
            self._bytes = 0
            self._condition.notify()

    def want(self, number: int) -> None:
        """Work from this result frame on."""
        with self._condition:
            self._gave_up &= number == self._wish
            self._wish = number
            self._condition.notify()

    def hold_back(self, on: bool) -> None:
        """While something heavier runs, make only what the playhead is about to need."""
        with self._condition:
            self._held_back = on
            self._condition.notify()

    def image(self, number: int) -> QImage | None:
        """A result frame, if it is made."""
        with self._condition:
            packed = self._kept.get(number)
        if packed is None:
            return None
        decoded = cv2.imdecode(np.frombuffer(packed, np.uint8), cv2.IMREAD_COLOR_RGB)
        return None if decoded is None else image_from(np.asarray(decoded, np.uint8))

    def has(self, number: int) -> bool:
        """Whether a result frame is made."""
        return number in self._kept

    @property
    def rate(self) -> float:
        """Frames a second that were made lately; 0 if none were."""
        with self._condition:
            times = list(self._times)
        if len(times) < 3 or time.monotonic() - times[-1] > _RATE_SECONDS:
            return 0.0
        return (len(times) - 1) / max(times[-1] - times[0], 1e-6)

    @property
    def room(self) -> int:
        """How many frames can be held at once, about."""
        with self._condition:
            each = self._bytes / len(self._kept) if self._kept else _USUAL_BYTES
        return max(_FAR_FRAMES, int(_BUDGET * 0.8 / max(each, 1)))

    def made(self) -> list[int]:
        """Numbers of the frames that are made, ascending."""
        with self._condition:
            return sorted(self._kept)

    def close(self) -> None:
        """Stop; `wait_for_ends` waits for the thread."""
        with self._condition:
            self._closed = True
            self._version += 1
            self._condition.notify()
        expect_end(self._thread)

    def _run(self) -> None:
        give_way()
        while True:
            with self._condition:
                self._condition.wait_for(lambda: self._closed or self._next() is not None)
                if self._closed:
                    return
                plan, start, version = self._plan, self._next(), self._version
            assert plan is not None and start is not None
            stand_aside()
            try:
                self._make(plan, start, version)
            except Cancelled:
                continue
            except Exception as error:
                self.failed.emit(in_one_line(error))
                with self._condition:
                    if version != self._version:
                        continue
                    self._gave_up = True
                self.gave_up.emit()

    def _next(self) -> int | None:
        """The first frame from the wish on that is not made; behind it only when all ahead is.

        Held back, or with the budget nearly used, only what is about to be needed counts.
        """
        if self._plan is None or self._gave_up:
            return None
        count = len(self._plan.schedule)
        sparing = self._held_back or self._bytes > _BUDGET * 9 // 10
        ahead = range(self._wish, min(count, self._wish + _FAR_FRAMES) if sparing else count)
        behind = range(0 if sparing else min(self._wish, count))
        return next((number for number in chain(ahead, behind) if number not in self._kept), None)

    def _make(self, plan: Plan, start: int, version: int) -> None:
        stop = min(start + _STRETCH_FRAMES, len(plan.schedule))
        target, held = preview_target(plan, PREVIEW_HEIGHT), dict[int, set[int]]()
        try:
            with closing(
                result_frames(plan, target, start, stop, partial(self._check, version), held)
            ) as frames:
                for number, frame in enumerate(frames, start):
                    stand_aside()
                    packed = cv2.imencode(".jpg", cv2.cvtColor(frame.to_ndarray(), cv2.COLOR_RGB2BGR), _JPEG)[
                        1
                    ].tobytes()
                    with self._condition:
                        if version != self._version:
                            return
                        self._keep(number, packed)
                        nearby = number <= self._wish <= number + _FAR_FRAMES or self._wish in self._kept
                        done = not nearby or self._next() != number + 1
                    self.ready.emit(number)
                    if done:
                        return
        finally:
            fresh = {shot: numbers - self._held.get(shot, set()) for shot, numbers in held.items()}
            for shot, numbers in held.items():
                self._held.setdefault(shot, set()).update(numbers)
            if remark := held_remark(held_places(plan, fresh)):
                self.failed.emit(remark)

    def _check(self, version: int) -> None:
        """Raises Cancelled if what is being made is for another plan, or for a wish that is far away now."""
        if version != self._version:
            raise Cancelled

    def _keep(self, number: int, packed: bytes) -> None:
        now = time.monotonic()
        if self._times and now - self._times[-1] > _RATE_SECONDS:
            self._times.clear()
        self._times.append(now)
        self._kept[number] = packed
        self._bytes += len(packed)
        while self._bytes > _BUDGET:
            farthest = max(self._kept, key=lambda kept: abs(kept - self._wish))
            self._bytes -= len(self._kept.pop(farthest))
