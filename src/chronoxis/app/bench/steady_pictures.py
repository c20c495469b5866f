"""How each manner of steadying looks: small pictures, which move while the pointer rests on one of them."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import partial

import numpy as np
from PySide6.QtCore import QEvent, QObject, QTimer, Signal
from PySide6.QtGui import QImage

from chronoxis.app.bench.live_pictures import Choice, LivePictures, pictures_of
from chronoxis.app.bench.picture_chip import PictureChip
from chronoxis.app.document.document import Document
from chronoxis.app.document.planner import PlanWish
from chronoxis.app.measuring.camera_paths import CameraPaths
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import Cancelled, ChronoxisError
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.model import correcting
from chronoxis.core.model.arranging import shot_alone
from chronoxis.core.model.project import Project
from chronoxis.core.model.steady import SteadyMode
from chronoxis.core.render.measuring import steadying_wishes
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.shot_columns import Frames

_REST_MS = 300  # milliseconds that the pointer rests before anything moves
_PICTURE_HEIGHT = 120  # pixels
_SHOWN_SECONDS = 2.0  # of the result that are shown
_MOST_RECORDED = 250  # recorded frames that these may come of, so that they are there soon
_FEWEST_FRAMES = 12  # result frames, however fast the shot is
_MOST_RATE = 30  # pictures a second

Moving = dict[SteadyMode, list[QImage]]


@dataclass(frozen=True, eq=False)
class MovingWish:
    """Some frames of a result in some modes.

    Attributes:
        plan_wish: what plans are made from.
        project: the result.
        shot: number of the one that is steadied.
        alone: whether the result is of nothing but what is shown.
        numbers: of the frames.
        modes: that are not made yet.
    """

    plan_wish: PlanWish
    project: Project
    shot: int
    alone: bool
    numbers: Frames
    modes: tuple[SteadyMode, ...]


class SteadyPictures(QObject):
    """Shows on chips how the shot at the playhead would be steadied: before and after, side by side.

    Where the camera was not followed through the shot, it is followed through what is shown.

    Attributes:
        live: the pictures while nothing moves.
        moving: what is shown, by mode, while it moves.
        words: what is done before anything can move, or nothing.

    Signals:
        changed: it says something else.
    """

    changed = Signal()

    def __init__(
        self,
        document: Document,
        cameras: CameraPaths,
        readers: Readers,
        chips: Mapping[SteadyMode, PictureChip],
        is_shown: Callable[[], bool],
    ) -> None:
        super().__init__()
        self._document, self._cameras, self._readers, self._chips = document, cameras, readers, chips
        self.words = ""
        self._mode: SteadyMode | None = None  # that the pointer rests on
        self._asked: MovingWish | None = None
        self._made: dict[bool, Moving] = {}  # at this moment, by whether the result is of nothing else
        self.moving: Moving = {}
        self._next, self._paused = 0, False
        self.live = LivePictures(document, readers, is_shown, self._as_each_mode, _PICTURE_HEIGHT)
        self.live.show_on(chips)
        self._work = NewestWorker(self._make, "steadied pictures", awaited=True)
        self._work.answered.connect(self._take)
        self._rest = QTimer(self, singleShot=True, interval=_REST_MS)
        self._rest.timeout.connect(self._look)
        self._turn = QTimer(self)
        self._turn.timeout.connect(self._show_next)
        for chip in chips.values():
            chip.installEventFilter(self)
        document.planned.connect(self._forget)
        document.playhead_moved.connect(self._forget)
        cameras.changed.connect(self._go_on)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        mode = next((mode for mode, chip in self._chips.items() if chip is watched), None)
        if event.type() in (QEvent.Type.Enter, QEvent.Type.FocusIn):
            self.rest_on(mode)
        elif event.type() in (QEvent.Type.Leave, QEvent.Type.FocusOut) and mode is self._mode:
            self.rest_on(None)
        return False

    def rest_on(self, mode: SteadyMode | None) -> None:
        """The pointer, or the focus, rests on a mode; None where it went away."""
        self._mode = mode
        self._begin_anew()

    def pause(self, on: bool) -> None:
        """Move nothing while something plays; go on afterwards."""
        self.live.pause(on)
        if on != self._paused:
            self._paused = on
            self._begin_anew()

    def close(self) -> None:
        """Stop the work in the background."""
        self._document.planned.disconnect(self._forget)
        self._document.playhead_moved.disconnect(self._forget)
        self._cameras.changed.disconnect(self._go_on)
        self._asked = self._mode = None
        self._rest.stop()
        self._turn.stop()
        self.live.close()
        self._work.close()

    @property
    def is_moving(self) -> bool:
        """Whether pictures move now."""
        return self._turn.isActive()

    def _as_each_mode(self, project: Project) -> list[Choice]:
        """The shot at the playhead in each mode."""
        plan, number = self._document.plan, self._document.result_frame
        if plan is None or number >= len(plan.schedule):
            return []
        shot = int(plan.schedule.shots[number])
        return [Choice(mode, partial(_steadied, shot=shot, mode=mode)) for mode in self._chips]

    def _forget(self, *_: object) -> None:
        """The moment is another, or what is made of it."""
        self._made = {}
        self._begin_anew()

    def _begin_anew(self) -> None:
        """Nothing moves until the pointer has rested for a while."""
        self._asked = None
        self._work.give_up()
        if self._turn.isActive():
            self._turn.stop()
            for mode, chip in self._chips.items():
                chip.show_picture(self.live.images.get(mode))
        if self._mode is None or self._paused:
            self._rest.stop()
            self._cameras.glance_at(())
            self._say("")
        else:
            self._rest.start()

    def _go_on(self) -> None:
        """More may be known of the camera."""
        if self.words and not self._rest.isActive():
            self._look()

    def _look(self) -> None:
        """Have pictures made for the mode that the pointer rests on, or the camera followed for them."""
        document, plan, number = self._document, self._document.plan, self._document.result_frame
        if self._mode is None or plan is None or not document.planner.is_current:
            return
        plan_wish = document.planner.wish(document.project)
        if plan_wish is None or number >= len(plan.schedule):
            return
        shot = int(plan.schedule.shots[number])
        mode = _other(self._mode)
        if self._cameras.takes(shot) is None:
            return  # pictures of which no camera can be followed
        numbers = _around(plan, number)
        project = _steadied(document.project, shot, mode)
        alone = bool(self._cameras.takes(shot))
        if alone:
            opened, closed = plan.schedule.opened[numbers], plan.schedule.closed[numbers]
            times = np.concatenate((opened, closed))
            first, last = Fraction(float(times.min())), Fraction(float(times.max()))
            project, shot = shot_alone(project, shot, first, last), 0
            numbers = np.arange(len(numbers))
            if not self._cameras.glance_at(steadying_wishes(project, plan_wish.sources)):
                self._say("Following the camera here, for a look…")
                return
        self._say("")
        shown = SteadyMode.OFF, mode
        lacking = tuple(each for each in shown if each not in self._made.get(alone, {}))
        self._asked = MovingWish(plan_wish, project, shot, alone, numbers, lacking)
        if lacking:
            self._work.ask(self._asked)
        else:
            self._take(self._asked, {})

    def _make(self, wish: MovingWish, still_wanted: Callable[[], bool]) -> Moving | None:
        """The frames in each mode; None where they cannot be had."""

        def check() -> None:
            if not still_wanted():
                raise Cancelled

        found: Moving = {}
        try:
            for mode in wish.modes:
                plan = wish.plan_wish.of(_steadied(wish.project, wish.shot, mode)).made(still_wanted)
                check()
                if isinstance(plan, str):
                    return None
                numbers = wish.numbers[wish.numbers < len(plan.schedule)]
                found[mode] = pictures_of(plan, numbers, _PICTURE_HEIGHT, self._readers, check)
        except ChronoxisError:
            return None  # what cannot be made says so where it is chosen
        return found

    def _take(self, wish: MovingWish, found: Moving | None) -> None:
        if wish is not self._asked or self._mode is None or found is None or not all(found.values()):
            return
        made = self._made.setdefault(wish.alone, {})
        made.update(found)
        self.moving = {mode: made[mode] for mode in (SteadyMode.OFF, _other(self._mode))}
        self._next = 0
        rate = min(float(wish.project.rate), _MOST_RATE)
        self._turn.start(round(1000 / rate))

    def _show_next(self) -> None:
        for mode, pictures in self.moving.items():
            self._chips[mode].show_picture(pictures[self._next % len(pictures)])
        self._next += 1

    def _say(self, words: str) -> None:
        if words != self.words:
            self.words = words
            self.changed.emit()


def _other(mode: SteadyMode) -> SteadyMode:
    """The mode that is held against *as filmed*."""
    return SteadyMode.SMOOTH if mode is SteadyMode.OFF else mode


def _steadied(project: Project, shot: int, mode: SteadyMode) -> Project:
    wish = replace(project.shots[shot].steady, mode=mode)
    return correcting.set_steady(project, [shot], wish)


def _around(plan: Plan, number: int) -> Frames:
    """Ascending numbers of the frames around one, in its shot, that are shown moving."""
    schedule = plan.schedule
    first, stop = plan.frames_of(int(schedule.shots[number]))
    recorded = schedule.firsts[first:stop]
    recorded_each = max(1.0, float(np.ptp(recorded)) / len(recorded))
    most = max(
        _FEWEST_FRAMES, min(int(_SHOWN_SECONDS * plan.project.rate), int(_MOST_RECORDED / recorded_each))
    )
    begin = max(first, min(number - most // 2, stop - most))
    return np.arange(begin, min(stop, begin + most))
