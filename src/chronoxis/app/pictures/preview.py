"""Result frames made ahead of the playhead, small, the same way the export makes them."""

import threading
import time
from collections import deque
from contextlib import closing

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame
from cv2.typing import MatLike
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from chronoxis.app.background import AWAITED, give_way, in_one_line, stand_aside
from chronoxis.app.ends import expect_end
from chronoxis.app.pictures.frame_images import image_from, small_codes
from chronoxis.app.pictures.frame_store import FrameStore
from chronoxis.app.pictures.kept_frames import KeptFrames
from chronoxis.app.pictures.made_frames import BUDGET, MadeFrame, MadeFrames
from chronoxis.app.pictures.making_order import FAR_FRAMES, Playhead, next_run
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.held_places import held_places, held_remark
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import preview_target
from chronoxis.core.timing.shot_columns import Frames

PREVIEW_HEIGHT = 360
"""Pixels of the frames that are kept."""

RECORDED_HEIGHT = 240
"""Pixels of the recorded pictures that are kept beside them."""

_TAKEN_FRAMES = 32  # that are taken from the disk at a time
_JPEG = [cv2.IMWRITE_JPEG_QUALITY, 90]
_RATE_SECONDS = 2.0  # seconds within which frames were made, for a rate
_STEPPED = 2  # frames back that are a step, and not a leap
_LATEST = 0.3  # weight of the latest frame in how long one takes


class Preview(QObject):
    """Makes result frames from the playhead on and keeps them compressed, within a budget.

    A frame that cannot be made is passed over: what follows it comes all the same.

    Attributes:
        keeps_recorded: whether recorded pictures are kept beside those of the result.

    Signals:
        ready: a result frame's number.
        failed: a message for the person.
    """

    ready = Signal(int)
    failed = Signal(str)

    def __init__(self, readers: Readers, store: FrameStore | None = None, budget: int = BUDGET) -> None:
        """Frames that were made are kept in ``store`` too; in that of all windows, if none is given.

        ``budget`` is how many bytes of them are held in memory.
        """
        super().__init__()
        self._readers = readers
        self._kept = KeptFrames(store or FrameStore(), self.failed.emit)
        self._condition = threading.Condition()
        self._made = MadeFrames(budget)
        self._broken: dict[int, str] = {}  # why frames cannot be made
        self._times: deque[float] = deque(maxlen=16)  # when the last frames were made
        self._seconds_each = 0.1  # that a frame takes, lately
        self._begun = 0.0  # when the frame that is being made was begun
        self._held: dict[int, set[int]] = {}  # recorded frames that could not be decoded, by shot
        self._plan: Plan | None = None
        self._playhead = Playhead()
        self._next = -1  # the frame that is being made; -1 for none
        self._given_up = threading.Event()  # what is being made is no longer wanted
        self._held_back = False
        self._closed = False
        self._forgets = False  # what is on the disk is of no use
        self.keeps_recorded = False
        self._thread = threading.Thread(target=self._run, name="preview", daemon=True)
        self._thread.start()

    def follow(self, plan: Plan | None) -> None:
        """Work for another plan; what was made for the old one is forgotten."""
        with self._condition:
            self._plan = plan
            self._given_up.set()
            self._made.clear()
            self._broken.clear()
            self._held.clear()
            self._condition.notify()

    def make_anew(self) -> None:
        """Forget what was made, on the disk too, and make it again."""
        with self._condition:
            self._forgets = True
        self.follow(self._plan)

    def exchange(self, plan: Plan) -> None:
        """Go on with a plan of the same frames, which come from elsewhere; what was made stays."""
        with self._condition:
            self._plan = plan
            self._given_up.set()
            self._broken.clear()
            self._condition.notify()

    def want(self, number: int, *, back: bool | None = None, pace: float = 0.0) -> None:
        """Work from this result frame on.

        Args:
            number: of the frame.
            back: whether those before it come next; if not told, where it goes on from the last one tells.
            pace: frames that become due in a second, where some may be left out; 0 where none may.
        """
        with self._condition:
            if back is None:
                stepped = self._playhead.number - number
                back = 0 < stepped <= _STEPPED or (stepped == 0 and self._playhead.back)
            wish = Playhead(number, back, pace)
            if wish != self._playhead:
                self._playhead = wish
                if self._next >= 0 and not self._is_of_use(self._next):
                    self._given_up.set()
                self._condition.notify()

    def hold_back(self, on: bool) -> None:
        """While something heavier runs, make only what the playhead is about to need."""
        with self._condition:
            self._held_back = on
            self._condition.notify()

    def image(self, number: int) -> QImage | None:
        """A result frame, if it is made."""
        with self._condition:
            packed = self._made[number].result if number in self._made else None
        return None if packed is None else _unpacked(packed)

    def recorded(self, number: int) -> QImage | None:
        """The first recorded frame of a result frame that is made, where it is another picture."""
        with self._condition:
            packed = self._made[number].recorded if number in self._made else None
        return None if packed is None else _unpacked(packed)

    def has(self, number: int) -> bool:
        """Whether a result frame is made, or cannot be."""
        return number in self._made or number in self._broken

    def why_broken(self, number: int) -> str:
        """Why a result frame cannot be made; nothing if it can."""
        return self._broken.get(number, "")

    def lacking(self, numbers: Frames) -> npt.NDArray[np.bool_]:
        """Of each of some result frames, whether it is still to be made."""
        with self._condition:
            return np.array([not self.has(number) for number in numbers.tolist()], bool)

    @property
    def rate(self) -> float:
        """Frames a second that were made lately; 0 if none were."""
        with self._condition:
            times, each, waited = list(self._times), self._seconds_each, time.monotonic() - self._begun
            is_working = self._next >= 0
        if len(times) >= 3 and time.monotonic() - times[-1] <= _RATE_SECONDS:
            return (len(times) - 1) / max(times[-1] - times[0], 1e-6)
        return 1 / max(each, waited) if is_working and max(each, waited) > _RATE_SECONDS / 3 else 0.0

    @property
    def room(self) -> int:
        """How many frames can be held at once, about."""
        with self._condition:
            return max(FAR_FRAMES, self._made.room)

    def made(self) -> list[int]:
        """Numbers of the frames that are made, ascending."""
        with self._condition:
            return self._made.numbers()

    def close(self) -> None:
        """Stop; `wait_for_ends` waits for the thread."""
        with self._condition:
            self._closed = True
            self._given_up.set()
            self._condition.notify()
        expect_end(self._thread)

    def _run(self) -> None:
        give_way(AWAITED)
        try:
            self._work()
        finally:
            self._kept.close()

    def _work(self) -> None:
        while True:
            with self._condition:
                self._next = -1
                while not (self._closed or len(numbers := self._wanted())):
                    self._condition.wait()
                if self._closed:
                    return
                plan = self._plan
                assert plan is not None
                self._next = int(numbers[0])
                self._given_up.clear()
            stand_aside()
            try:
                if len(lacking := self._take_kept(plan, numbers)):
                    self._make(plan, lacking)
            except Cancelled:
                continue
            except Exception as error:
                self._pass_over(plan, error)

    def _wanted(self) -> Frames:
        """What is to be made next. The condition is held."""
        if self._plan is None:
            return np.zeros(0, np.int64)
        sparing = self._held_back or self._made.is_nearly_full
        return next_run(self._playhead, self._plan, self.has, self._seconds_each, sparing=sparing)

    def _is_of_use(self, number: int) -> bool:
        """Whether what is being made is on the way to what is wanted now. The condition is held."""
        if self._playhead.pace:
            return self._playhead.back or number > self._playhead.number
        wanted = self._wanted()
        return len(wanted) > 0 and number <= int(wanted[0]) <= number + FAR_FRAMES

    def _pass_over(self, plan: Plan, error: Exception) -> None:
        """Go on behind a frame that cannot be made; say why, once for all that it is so with."""
        why = in_one_line(error)
        with self._condition:
            if plan is not self._plan:
                return
            number = self._next
            said = why in self._broken.values() or number - 1 in self._broken
            firsts = plan.schedule.firsts[number : number + FAR_FRAMES]
            alike = int(np.cumprod(firsts == firsts[0]).sum())  # so many want the same recorded frame
            self._broken |= dict.fromkeys(range(number, number + alike), why)
        if not said:
            self.failed.emit(why)
        self.ready.emit(number)

    def _take_kept(self, plan: Plan, numbers: Frames) -> Frames:
        """Take up those that are on the disk, and say which of them are not. Raises Cancelled."""
        with self._condition:
            forgets, self._forgets = self._forgets, False
        if forgets:
            self._kept.clear()
        self._kept.follow(plan, preview_target(plan, PREVIEW_HEIGHT))
        lacking = []
        for first in range(0, len(numbers), _TAKEN_FRAMES):
            part = numbers[first : first + _TAKEN_FRAMES]
            found = self._kept.taken(part)
            lacking += [number for number in part.tolist() if number not in found]
            with self._condition:
                if plan is not self._plan:
                    raise Cancelled
                for number, frame in found.items():
                    self._made.keep(number, frame, self._playhead.number)
            for number in found:
                self.ready.emit(number)
            self._check()
        return np.array(lacking, np.int64)

    def _make(self, plan: Plan, numbers: Frames) -> None:
        target, held = preview_target(plan, PREVIEW_HEIGHT), dict[int, set[int]]()
        with self._condition:
            self._next = int(numbers[0])
        beside = _RecordedBeside(plan, numbers) if self.keeps_recorded else None
        self._begun = time.monotonic()
        try:
            with closing(
                result_frames(
                    plan,
                    target,
                    check=self._check,
                    held=held,
                    numbers=numbers,
                    readers=self._readers,
                    seen=beside,
                )
            ) as frames:
                for place, (number, frame) in enumerate(zip(numbers.tolist(), frames, strict=True)):
                    stand_aside()
                    packed = _packed(frame.to_ndarray())
                    made = MadeFrame(packed, beside.taken(number) if beside else None)
                    with self._condition:
                        if plan is not self._plan:
                            return
                        self._note_made(time.monotonic() - self._begun)
                        self._begun = time.monotonic()
                        self._made.keep(number, made, self._playhead.number)
                        following = numbers[place + 1 : place + 2].tolist()
                        self._next = following[0] if following else -1
                        done = not following or not self._is_of_use(self._next)
                    self.ready.emit(number)
                    if not self._stands_in(plan, number, held):
                        self._kept.note(number, made)
                    if done:
                        return
        finally:
            self._kept.flush()
            self._say_held(plan, held)

    def _note_made(self, seconds: float) -> None:
        """Note that a frame was made, in so many seconds. The condition is held."""
        now = time.monotonic()
        if self._times and now - self._times[-1] > _RATE_SECONDS:
            self._times.clear()
        self._times.append(now)
        self._seconds_each += _LATEST * (seconds - self._seconds_each)

    def _stands_in(self, plan: Plan, number: int, held: dict[int, set[int]]) -> bool:
        """Whether a neighbour stands in for a recorded frame of a result frame."""
        lost = held.get(int(plan.schedule.shots[number]), set())
        return not lost.isdisjoint(plan.schedule.sources(number)[0].tolist())

    def _say_held(self, plan: Plan, held: dict[int, set[int]]) -> None:
        fresh = {shot: numbers - self._held.get(shot, set()) for shot, numbers in held.items()}
        for shot, numbers in held.items():
            self._held.setdefault(shot, set()).update(numbers)
        if remark := held_remark(held_places(plan, fresh)):
            self.failed.emit(remark)

    def _check(self) -> None:
        """Raises Cancelled if what is being made is for another plan, or for a wish that is far away now."""
        if self._given_up.is_set():
            raise Cancelled


class _RecordedBeside:
    """Keeps the first recorded frame of result frames that look different, small and compressed."""

    def __init__(self, plan: Plan, numbers: Frames) -> None:
        schedule = plan.schedule
        self._plan = plan
        self._of: dict[tuple[int, int], list[int]] = {}
        self._packed: dict[int, bytes] = {}
        for number in numbers.tolist():
            shot = int(schedule.shots[number])
            if not plan.shows_as_recorded(number):
                first = int(schedule.firsts[number])
                self._of.setdefault((shot, first), []).append(number)

    def __call__(self, shot: int, number: int, frame: VideoFrame) -> None:
        """Take in a recorded frame as it was decoded."""
        if (shot, number) in self._of:
            packed = _packed(small_codes(frame, self._plan.pictures[shot], RECORDED_HEIGHT))
            self._packed |= dict.fromkeys(self._of.pop((shot, number)), packed)

    def taken(self, number: int) -> bytes | None:
        """The one of a result frame, which is let go of."""
        return self._packed.pop(number, None)


def _packed(rgb: MatLike) -> bytes:
    return cv2.imencode(".jpg", cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), _JPEG)[1].tobytes()


def _unpacked(packed: bytes) -> QImage | None:
    decoded = cv2.imdecode(np.frombuffer(packed, np.uint8), cv2.IMREAD_COLOR_RGB)
    return None if decoded is None else image_from(np.asarray(decoded, np.uint8))
