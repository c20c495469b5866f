"""What a picture at rest needs beyond the preview: more pixels, and the recorded frames it is made of."""

from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, field, replace

import numpy as np
from av.video.frame import VideoFrame
from PySide6.QtGui import QImage

from chronoxis.app.pictures.frame_images import image_from, small_image
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.reader_pool import Readers
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import preview_target

_STRIP_HEIGHT = 110  # pixels


@dataclass(frozen=True, eq=False)
class StillWish:
    """A result frame of a plan, and recorded frames that it is made of.

    Attributes:
        plan: of the result.
        number: of the result frame.
        height: pixels of its picture; at the result's own height it is as in the export.
        recorded_height: pixels of the picture of its first recorded frame; 0 for none.
        strip: numbers of recorded frames that are shown small.
    """

    plan: Plan
    number: int
    height: int
    recorded_height: int = 0
    strip: tuple[int, ...] = ()


@dataclass(eq=False)
class Still:
    """The pictures, all from one pass over the recording."""

    result: QImage | None = None
    recorded: QImage | None = None
    strip: dict[int, QImage] = field(default_factory=dict)


class StillFrames:
    """Makes them, with readers that may be open already."""

    def __init__(self, readers: Readers) -> None:
        self._readers = readers

    def answer(self, wish: StillWish, still_wanted: Callable[[], bool]) -> Still | None:
        """All that is wished, or None if it is no longer wanted. Raises FootageError as `result_frames`."""
        still, plan = Still(), wish.plan
        first = int(plan.schedule.sources(wish.number)[0][0])
        target = preview_target(plan, wish.height)
        if wish.height >= plan.size[1]:
            target = replace(target, size=plan.size, gather_small=False)

        def check() -> None:
            if not still_wanted():
                raise Cancelled

        def look(shot: int, number: int, frame: VideoFrame) -> None:
            form = plan.pictures[shot]
            if number == first and wish.recorded_height:
                still.recorded = small_image(frame, form, min(wish.recorded_height, form.height))
            if number in wish.strip:
                still.strip[number] = small_image(frame, form, _STRIP_HEIGHT)

        check()
        numbers = np.array([wish.number])
        frames = result_frames(plan, target, check=check, numbers=numbers, readers=self._readers, seen=look)
        with closing(frames):
            for frame in frames:
                still.result = image_from(np.ascontiguousarray(frame.to_ndarray(), np.uint8))
        return still
