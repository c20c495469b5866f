"""*The knot*, drawn: two hands tie a mooring knot round a post, twelve pictures to the second."""

from functools import cache

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.demo.sprites import Codes

COUNT = 48
SIZE = (1200, 800)

_ROPE, _ROPE_LIGHT, _ROPE_DARK = (214, 186, 132), (238, 216, 168), (150, 120, 74)
_WOOD, _WOOD_DARK = (122, 88, 58), (84, 60, 42)
_SLEEVES = ((62, 96, 120), (150, 62, 54))
_SKIN = (222, 176, 142)
_POST = (0.56, 0.105)  # middle and half width, shares of the width
_THICK = 0.026  # of the width
_SHIFT = 4  # bits of parts of a pixel

# The rope's way: corners of a smooth curve as shares of the picture, and whether it lies behind the post.
_WAY = (
    (-0.05, 0.86, False), (0.16, 0.80, False), (0.34, 0.70, False), (0.44, 0.63, False), (0.60, 0.57, False),
    (0.70, 0.50, False), (0.665, 0.42, True), (0.56, 0.40, True), (0.45, 0.42, True), (0.40, 0.36, False),
    (0.50, 0.30, False), (0.62, 0.40, False), (0.70, 0.56, False), (0.67, 0.66, True), (0.56, 0.68, True),
    (0.45, 0.64, True), (0.40, 0.52, False), (0.48, 0.45, False), (0.60, 0.47, False), (0.74, 0.44, False),
    (0.86, 0.36, False),
)  # fmt: skip
_FIRST = 0.28  # of the way that is laid when it begins


def photo(number: int, size: tuple[int, int] = SIZE) -> Codes:
    """One photo: uint8 R′G′B′, shape (height, width, 3)."""
    done = _FIRST + (1 - _FIRST) * _eased(number / (COUNT - 1))
    picture, (width, height) = _table(size).copy(), size
    points, behind = _way(size)
    reach = max(2, round(done * len(points)))
    _rope(picture, points[:reach], behind[:reach], width)
    _post(picture, size)
    _rope(picture, points[:reach], ~behind[:reach], width)
    rng = np.random.default_rng(number)
    tip = points[reach - 1] + rng.normal(0, 1.5, 2)
    held = points[min(reach - 1, round(0.16 * len(points)))] + rng.normal(0, 1.5, 2)
    _hand(picture, held, np.array([-0.10, 1.15]) * (width, height), width, _SLEEVES[0])
    _hand(picture, tip, np.array([1.08, 1.05]) * (width, height), width, _SLEEVES[1])
    return picture


def _eased(share: float) -> float:
    return share * share * (3 - 2 * share)


@cache
def _table(size: tuple[int, int]) -> Codes:
    """Planks of a jetty in morning light."""
    width, height = size
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    plank = np.floor(y / height * 6)
    grain = np.sin(x / 37 + plank * 2.1 + 3 * np.sin(y / 9 + plank)) * 5 + np.sin(x / 5.3 + y / 3) * 2
    tone = 150 + 9 * np.sin(plank * 2.4) + grain + 26 * (x / width)
    gap = np.abs((y / height * 6) % 1 - 0.5) > 0.488
    tone = np.where(gap, 60, tone)
    colours = np.stack([tone, tone * 0.86, tone * 0.70], -1)
    return np.asarray(np.clip(colours, 0, 255), np.uint8)


@cache
def _way(size: tuple[int, int]) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.bool_]]:
    """Points of the rope's way, shape (points, 2), and whether each lies behind the post."""
    corners = np.array([corner[:2] for corner in _WAY]) * size
    hidden = np.array([corner[2] for corner in _WAY])
    fine = []
    padded = np.concatenate([corners[:1], corners, corners[-1:]])
    for place in range(len(corners) - 1):
        a, b, c, d = padded[place : place + 4]
        t = np.linspace(0, 1, 24, endpoint=False)[:, None]
        # Catmull and Rom's spline passes through its corners.
        fine.append(
            0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3)
        )
    points = np.concatenate(fine)
    return points, np.repeat(hidden[:-1], 24)


def _rope(picture: Codes, points: npt.NDArray[np.float64], chosen: npt.NDArray[np.bool_], width: int) -> None:
    thick = round(_THICK * width)
    for place in np.flatnonzero(chosen[:-1]).tolist():
        begin, end = _fixed(points[place]), _fixed(points[place + 1])
        cv2.line(picture, begin, end, _ROPE_DARK, thick + 4, cv2.LINE_AA, _SHIFT)
    for place in np.flatnonzero(chosen[:-1]).tolist():
        begin, end = _fixed(points[place]), _fixed(points[place + 1])
        cv2.line(picture, begin, end, _ROPE, thick, cv2.LINE_AA, _SHIFT)
        if place % 4 == 0:
            along = points[place + 1] - points[place]
            along /= max(float(np.hypot(*along)), 1e-6)
            across = np.array([-along[1], along[0]]) * thick * 0.42 + along * thick * 0.3
            begin, end = _fixed(points[place] - across), _fixed(points[place] + across)
            cv2.line(picture, begin, end, _ROPE_LIGHT, 3, cv2.LINE_AA, _SHIFT)


def _post(picture: Codes, size: tuple[int, int]) -> None:
    width, height = size
    left, right = (round((_POST[0] + side * _POST[1]) * width) for side in (-1, 1))
    top = round(0.10 * height)
    across = np.linspace(-1, 1, right - left)
    shade = (0.62 + 0.44 * np.cos((across - 0.35) * 1.2))[None, :, None]
    rings = 1 + 0.05 * np.sin(np.arange(height - top)[:, None, None] / 6 + across[None, :, None] * 7)
    picture[top:, left:right] = np.clip(np.array(_WOOD) * shade * rings, 0, 255)
    middle, half = ((left + right) // 2, top), ((right - left) // 2, round(0.035 * height))
    cv2.ellipse(picture, middle, half, 0, 0, 360, (158, 120, 84), -1, cv2.LINE_AA)
    cv2.ellipse(picture, middle, (half[0] // 2, half[1] // 2), 0, 0, 360, _WOOD_DARK, 2, cv2.LINE_AA)


def _hand(
    picture: Codes,
    at: npt.NDArray[np.float64],
    elbow: npt.NDArray[np.float64],
    width: int,
    sleeve: tuple[int, int, int],
) -> None:
    """A forearm from an elbow, and a hand whose thumb and fingers close about a point."""
    along = (at - elbow) / max(float(np.hypot(*(at - elbow))), 1e-6)
    across = np.array([-along[1], along[0]])
    wrist = at - along * 0.085 * width
    cv2.line(picture, _fixed(elbow), _fixed(wrist), sleeve, round(0.085 * width), cv2.LINE_AA, _SHIFT)
    cv2.line(
        picture, _fixed(wrist - along * 6), _fixed(wrist + along * 8), (236, 232, 223), round(0.07 * width),
        cv2.LINE_AA, _SHIFT,
    )  # fmt: skip
    palm = at - along * 0.035 * width
    angle = float(np.degrees(np.arctan2(along[1], along[0])))
    axes = (round(0.05 * width), round(0.036 * width))
    cv2.ellipse(picture, (round(palm[0]), round(palm[1])), axes, angle, 0, 360, _SKIN, -1, cv2.LINE_AA)
    for finger in (-1.0, -0.35, 0.3):
        root = palm + across * finger * 0.026 * width
        end = at + across * finger * 0.016 * width + along * 0.012 * width
        cv2.line(picture, _fixed(root), _fixed(end), _SKIN, round(0.019 * width), cv2.LINE_AA, _SHIFT)
        cv2.line(picture, _fixed(root), _fixed(end), (196, 148, 116), 1, cv2.LINE_AA, _SHIFT)
    thumb = palm + across * 0.034 * width
    end = at + across * 0.020 * width - along * 0.004 * width
    cv2.line(picture, _fixed(thumb), _fixed(end), _SKIN, round(0.021 * width), cv2.LINE_AA, _SHIFT)


def _fixed(point: npt.NDArray[np.float64]) -> tuple[int, int]:
    scaled = np.rint(point * (1 << _SHIFT)).astype(int)
    return int(scaled[0]), int(scaled[1])
