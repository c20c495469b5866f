"""*Walk down the line*, drawn: standing balloons that pass by, seen by a camera held in the hand."""

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import cache, partial

import cv2
import numpy as np

from chronoxis.demo.in_order import CORES, in_order
from chronoxis.demo.sprites import SPRITE, Codes, blend, envelope
from chronoxis.demo.tower_picture import paint_backdrop
from chronoxis.demo.tower_truth import BALLOONS
from chronoxis.demo.walk_truth import RATE, camera

_WIDE = 3.2  # the painted backdrop, in picture widths
_OVER = 1.25  # its height, in picture heights: room for shake and roll
_LIGHT = 0.82
_FAR = 0.35  # how much slower the backdrop passes than the line of balloons
_LINE = 11  # balloons in the line


def frames(size: tuple[int, int], count: int, start: int = 0) -> Iterator[Codes]:
    """Draw frames ``start`` to ``start + count``: uint8 R′G′B′, shape (height, width, 3)."""
    tasks = (partial(_frame, size, number) for number in range(start, start + count))
    with ThreadPoolExecutor(CORES) as pool:
        yield from in_order(pool, tasks, 2 * CORES)


def _frame(size: tuple[int, int], number: int) -> Codes:
    width, height = size
    at = camera(number / RATE)
    view = _view(size, at.roll, at.across * width, at.up * width)
    shift = np.array([[1, 0, -(0.3 + at.along * _FAR) * width], [0, 1, -(_OVER - 1) / 2 * height], [0, 0, 1]])
    seen = cv2.warpAffine(_backdrop(size), (view @ shift)[:2], size, flags=cv2.INTER_LINEAR)
    canvas = np.asarray(cv2.cvtColor(seen, cv2.COLOR_RGBA2RGB), np.uint8)
    for place in range(_LINE):
        balloon = BALLOONS[(place * 3) % len(BALLOONS)]
        near = place % 2
        scale = width * (0.26 if near else 0.18) / SPRITE[0]
        x = (0.15 + place * 0.19 - at.along * (1.0 if near else 0.8)) * width
        foot = (0.93 if near else 0.84) * height
        if not -0.3 * width < x < 1.3 * width:
            continue
        sway = 0.010 * np.sin(number / RATE * 0.9 + place)
        stand = np.array(
            [
                [scale, -sway * scale, x - scale * SPRITE[0] / 2 + sway * scale * SPRITE[1]],
                [0, scale, foot - scale * SPRITE[1]],
                [0, 0, 1],
            ]
        )
        blend(canvas, envelope(balloon), (view @ stand)[:2], 0.92, np.zeros(3, np.float32), 1.0)
    return canvas


def _view(size: tuple[int, int], roll: float, across: float, up: float) -> np.ndarray:
    """What the camera's shake does to the picture, as a 3 by 3 matrix in pixels."""
    turn = np.vstack([cv2.getRotationMatrix2D((size[0] / 2, size[1] / 2), roll, 1.0), [0, 0, 1]])
    turn[0, 2] -= across
    turn[1, 2] += up
    return turn


@cache
def _backdrop(size: tuple[int, int]) -> Codes:
    """The painted backdrop with a fourth sample, of no meaning: warped in two thirds of the time."""
    width, height = size
    painted = paint_backdrop((round(width * _WIDE), round(height * _OVER)), _LIGHT)
    grain = np.random.default_rng(11).random((*painted.shape[:2], 1), np.float32)
    codes = (np.clip(painted, 0, 250) + grain).astype(np.uint8)
    return np.asarray(cv2.cvtColor(codes, cv2.COLOR_RGB2RGBA), np.uint8)
