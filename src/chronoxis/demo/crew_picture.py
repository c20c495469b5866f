"""*Burner crew*, drawn: two people at a basket on the field; one explains, one works, or they wait."""

from collections.abc import Iterator
from functools import cache
from math import sin, tau

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.demo.crew_truth import RATE, roars, speaks, works
from chronoxis.demo.sprites import Codes
from chronoxis.demo.tower_picture import picture_at

_DAYLIGHT = 190.0  # of the field's recording, in seconds, what light there is
_NOISE = 1.6  # 8-bit codes, of the camera
_NOISES = 7  # patterns of it
_WICKER, _RIM, _STEEL = (116, 80, 48), (150, 106, 64), (150, 156, 164)
_SKIN, _HAIR = (214, 168, 140), (58, 42, 36)
_COATS = {"slt": (176, 74, 58), "rms": (58, 88, 122)}
_PLACES = {"slt": 0.27, "rms": 0.78}  # share of the width
_FLAMES = ((0.060, (232, 120, 40)), (0.036, (250, 196, 92)), (0.016, (255, 244, 214)))
_SHIFT = 4  # binary places of a pixel that are drawn to
_ONE = 1 << _SHIFT


def frames(size: tuple[int, int], count: int, start: int = 0) -> Iterator[Codes]:
    """Draw frames ``start`` to ``start + count``: uint8 R′G′B′, shape (height, width, 3)."""
    noises = _noises(size)
    for number in range(start, start + count):
        picture = _scene(size).copy()
        seconds = number / RATE
        _draw_people(picture, seconds)
        if roars(seconds):
            _draw_flame(picture, seconds)
        # The pattern moves about, so that no two frames have the same.
        noise = np.roll(noises[number % _NOISES], number * 97 % (3 * size[0]), axis=None)
        yield np.asarray(cv2.add(picture, noise, dtype=cv2.CV_8U), np.uint8)


@cache
def _scene(size: tuple[int, int]) -> Codes:
    """What stands still: the field, far off and out of focus, and the basket with its burner."""
    blurred = cv2.GaussianBlur(picture_at(size, _DAYLIGHT), (0, 0), size[0] / 320)
    scene = np.asarray(blurred, np.uint8)
    left, right, top, foot = 0.42, 0.62, 0.60, 0.93
    _box(scene, (left, top), (right, foot), _WICKER)
    for line in np.arange(top + 0.03, foot, 0.022):
        _line(scene, (left, line), (right, line), _RIM, 0.002)
    for line in np.arange(left, right, 0.0125):
        _line(scene, (line, top), (line, foot), tuple(c - 18 for c in _WICKER), 0.0016)
    _line(scene, (left, top), (right, top), _RIM, 0.012)
    for side, burner in ((left + 0.015, 0.498), (right - 0.015, 0.542)):
        _line(scene, (side, top), (burner, 0.37), _STEEL, 0.006)
    _box(scene, (0.495, 0.335), (0.545, 0.375), (96, 100, 108))
    _line(scene, (0.50, 0.335), (0.54, 0.335), _STEEL, 0.010)
    return scene


@cache
def _noises(size: tuple[int, int]) -> list[npt.NDArray[np.int16]]:
    random = np.random.default_rng(5)
    shape = (size[1], size[0], 3)
    return [np.rint(random.normal(0, _NOISE, shape)).astype(np.int16) for _ in range(_NOISES)]


def _draw_people(picture: Codes, seconds: float) -> None:
    speaking = speaks(seconds)
    for name, place in _PLACES.items():
        side = 1 if place < 0.5 else -1  # to which the basket is
        sway = 0.004 * sin(tau * 0.9 * seconds) if speaking == name else 0.0
        middle = place + sway
        coat = _COATS[name]
        _line(picture, (middle - 0.018, 0.74), (middle - 0.020, 0.95), (46, 48, 58), 0.026)
        _line(picture, (middle + 0.018, 0.74), (middle + 0.020, 0.95), (46, 48, 58), 0.026)
        _line(picture, (middle, 0.50), (middle, 0.72), coat, 0.062)
        _draw_arms(picture, name, (middle, 0.50), side, seconds)
        _disc(picture, (middle, 0.415), 0.026, _SKIN)
        _disc(picture, (middle - 0.004 * side, 0.400), 0.025, _HAIR)
        if speaking == name:
            opened = 0.002 + 0.004 * abs(sin(tau * 3.1 * seconds))
            _disc(picture, (middle + 0.010 * side, 0.428), opened, (120, 52, 48))


def _draw_arms(picture: Codes, name: str, shoulder: tuple[float, float], side: int, seconds: float) -> None:
    """One hangs; the other points while its owner speaks, and pulls a rope while the second one works."""
    x, y = shoulder
    coat = tuple(max(0, c - 16) for c in _COATS[name])
    _line(picture, (x - 0.026 * side, y), (x - 0.034 * side, y + 0.17), coat, 0.020)
    hand = (x + 0.034 * side, y + 0.17)
    if speaks(seconds) == name:
        hand = (x + (0.075 + 0.012 * sin(tau * 0.7 * seconds)) * side, y + 0.03 * sin(tau * 0.55 * seconds))
    elif name == "rms" and works(seconds):
        pull = sin(tau * 0.8 * seconds)
        hand = (x + (0.095 + 0.02 * pull) * side, y + 0.05 + 0.03 * pull)
        _line(picture, hand, (0.62, 0.61), (206, 198, 176), 0.003)
    _line(picture, (x + 0.026 * side, y), hand, coat, 0.020)
    _disc(picture, hand, 0.011, _SKIN)


def _draw_flame(picture: Codes, seconds: float) -> None:
    tall = 0.20 + 0.03 * sin(tau * 6.3 * seconds) + 0.02 * sin(tau * 11.7 * seconds)
    for wide, colour in _FLAMES:
        height, width = picture.shape[:2]
        tip = 0.33 - tall * (0.55 + wide * 7)
        points = [(0.52 - wide / 2, 0.33), (0.52, tip), (0.52 + wide / 2, 0.33), (0.52, 0.345)]
        shape = np.array([(round(x * width * _ONE), round(y * height * _ONE)) for x, y in points], np.int32)
        cv2.fillPoly(picture, [shape], colour, cv2.LINE_AA, _SHIFT)


def _at(picture: Codes, point: tuple[float, float]) -> tuple[int, int]:
    height, width = picture.shape[:2]
    return round(point[0] * width * _ONE), round(point[1] * height * _ONE)


def _line(
    picture: Codes,
    begin: tuple[float, float],
    end: tuple[float, float],
    colour: tuple[int, ...],
    thickness: float,
) -> None:
    wide = max(1, round(thickness * picture.shape[1]))
    cv2.line(picture, _at(picture, begin), _at(picture, end), colour, wide, cv2.LINE_AA, _SHIFT)


def _box(
    picture: Codes, corner: tuple[float, float], other: tuple[float, float], colour: tuple[int, ...]
) -> None:
    cv2.rectangle(picture, _at(picture, corner), _at(picture, other), colour, -1, cv2.LINE_AA, _SHIFT)


def _disc(picture: Codes, middle: tuple[float, float], radius: float, colour: tuple[int, ...]) -> None:
    across = round(radius * picture.shape[1] * _ONE)
    cv2.circle(picture, _at(picture, middle), across, colour, -1, cv2.LINE_AA, _SHIFT)
