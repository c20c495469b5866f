"""Single result frames at more pixels than the preview keeps, for a picture at rest."""

from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtGui import QImage

from chronoxis.app.pictures.frame_images import image_from
from chronoxis.core.errors import Cancelled
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import preview_target


@dataclass(frozen=True, eq=False)
class SharpWish:
    """A result frame of a plan, so many pixels high; at the result's own size it is as in the export."""

    plan: Plan
    number: int
    height: int


def sharp_frame(wish: SharpWish, still_wanted: Callable[[], bool]) -> QImage | None:
    """Make the frame, or None if it is no longer wanted. Raises FootageError as `result_frames`."""
    if not still_wanted():
        return None
    target = preview_target(wish.plan, wish.height)
    if wish.height >= wish.plan.size[1]:
        target = replace(target, size=wish.plan.size, gather_small=False)

    def check() -> None:
        if not still_wanted():
            raise Cancelled

    with closing(result_frames(wish.plan, target, wish.number, wish.number + 1, check=check)) as frames:
        for frame in frames:
            return image_from(np.ascontiguousarray(frame.to_ndarray(), np.uint8))
    return None
