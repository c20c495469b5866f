"""Small pictures of the present moment, one for each choice that could be made: made beside, at rest."""

from collections.abc import Callable, Hashable, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from typing import NamedTuple, TypeVar

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QImage

from chronoxis.app.bench.picture_chip import PictureChip
from chronoxis.app.document.document import Document
from chronoxis.app.document.planner import PlanWish
from chronoxis.app.pictures.frame_images import image_from
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import Cancelled, ChronoxisError
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.footage.remembered_frames import RememberingReaders
from chronoxis.core.model.project import Project
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import preview_target
from chronoxis.core.timing.shot_columns import Frames

_REST_MS = 200  # milliseconds in which nothing was moved or changed, before anything is made
_PICTURE_HEIGHT = 96  # pixels of a picture as it is made


Key = TypeVar("Key", bound=Hashable)


class Choice(NamedTuple):
    """Something that could be chosen.

    Attributes:
        key: of the choice.
        edit: what it would make of the project.
    """

    key: Hashable
    edit: Callable[[Project], Project]


@dataclass(frozen=True, eq=False)
class LiveWish:
    """Result frame ``number`` as each of some choices would make it."""

    plan_wish: PlanWish
    number: int
    choices: Sequence[Choice]


class LivePictures(QObject):
    """Has pictures of choices made while they are to be seen and nothing plays.

    Attributes:
        images: by the key of the choice, those of the present moment as far as they are made.

    Signals:
        made: the key of the choice, and its picture.
        outdated: none of the pictures is of the present moment any more.
    """

    made = Signal(object, object)
    outdated = Signal()
    _made = Signal(object, object, object)

    def __init__(
        self,
        document: Document,
        readers: Readers,
        is_shown: Callable[[], bool],
        choices: Callable[[Project], Sequence[Choice]],
        height: int = _PICTURE_HEIGHT,
        rest: int = _REST_MS,
    ) -> None:
        """``choices`` are those at the playhead of a project; pictures are so many pixels high."""
        super().__init__()
        self._document, self._readers = document, readers
        self._is_shown, self._choices, self._height = is_shown, choices, height
        self.images: dict[Hashable, QImage] = {}
        self._of: tuple[Plan | None, int] | None = None
        self._asked: LiveWish | None = None
        self._paused = False
        self._work = NewestWorker(self._answer, "live pictures", awaited=True)
        self._made.connect(self._take)
        self._rest = QTimer(self, singleShot=True, interval=rest)
        self._rest.timeout.connect(self._ask)
        document.planned.connect(self.look_again)
        document.playhead_moved.connect(self.look_again)

    def show_on(self, chips: Mapping[Key, PictureChip]) -> None:
        """Show what is made on the chips of the choices, by their keys; dimmed, once it is outdated."""

        def dim() -> None:
            for chip in chips.values():
                chip.dim_picture()

        self.made.connect(lambda key, image: chips[key].show_picture(image))
        self.outdated.connect(dim)

    def close(self) -> None:
        """Make nothing more, and show nothing of what is still on its way."""
        self._asked = None
        self._document.planned.disconnect(self.look_again)
        self._document.playhead_moved.disconnect(self.look_again)
        self._rest.stop()
        self._work.close()

    def pause(self, on: bool) -> None:
        """Make nothing while something plays; go on afterwards."""
        if on != self._paused:
            self._paused = on
            self.look_again()

    def look_again(self, *_: object) -> None:
        """Something may be another: what is under way is given up, and begun with anew at rest."""
        now = self._document.plan, self._document.result_frame
        if self._of is not None and now == self._of and not self._paused:
            return
        self._asked, self._of = None, None
        self._work.give_up()
        if self.images:
            self.images = {}
            self.outdated.emit()
        if self._paused:
            self._rest.stop()
        else:
            self._rest.start()

    def _ask(self) -> None:
        document = self._document
        if not self._is_shown() or document.plan is None or not document.planner.is_current:
            return
        wish = document.planner.wish(document.project)
        if wish is None or document.history.in_gesture:
            return
        self._of = document.plan, document.result_frame
        self._asked = LiveWish(wish, document.result_frame, self._choices(document.project))
        self._work.ask(self._asked)

    def _answer(self, wish: LiveWish, still_wanted: Callable[[], bool]) -> None:
        """Make one after the other, and tell each as soon as it is there."""
        readers = RememberingReaders(self._readers)
        for choice in wish.choices:
            image = _picture(wish, choice, self._height, readers, still_wanted)
            if image is not None:
                self._made.emit(wish, choice.key, image)

    def _take(self, wish: LiveWish, key: Hashable, image: QImage) -> None:
        if wish is self._asked:
            self.images[key] = image
            self.made.emit(key, image)


def _picture(
    wish: LiveWish, choice: Choice, height: int, readers: Readers, still_wanted: Callable[[], bool]
) -> QImage | None:
    """The frame as a choice makes it, at a height; None where that cannot be had. Raises Cancelled."""

    def check() -> None:
        if not still_wanted():
            raise Cancelled

    check()
    try:
        edited = choice.edit(wish.plan_wish.project)
        plan = wish.plan_wish.of(edited).made(still_wanted)
        if isinstance(plan, str) or wish.number >= len(plan.schedule):
            return None
        check()
        pictures = pictures_of(plan, np.array([wish.number]), height, readers, check)
    except ChronoxisError:
        return None  # what cannot be made says so where it is chosen
    return pictures[0] if pictures else None


def pictures_of(
    plan: Plan, numbers: Frames, height: int, readers: Readers, check: Callable[[], None]
) -> list[QImage]:
    """Result frames of ascending numbers, small. Raises FootageError, and whatever ``check`` raises."""
    target = preview_target(plan, min(height, plan.size[1]))
    with closing(result_frames(plan, target, check=check, numbers=numbers, readers=readers)) as frames:
        return [image_from(np.ascontiguousarray(frame.to_ndarray(), np.uint8)) for frame in frames]
