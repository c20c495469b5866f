"""*Flight plan*, drawn: a form on a screen, line by line, with a caret that blinks and a pointer."""

from collections.abc import Iterator
from functools import cache, lru_cache
from importlib.resources import as_file, files

import cv2
import numpy as np
from PIL import Image, ImageDraw, ImageFont

from chronoxis.demo.plan_truth import BLINK, FIELDS, KEYS, POINTS, RATE, SCROLLS, TYPED
from chronoxis.demo.sprites import Codes

_FONT = "fonts/IBMPlexSans-Regular.ttf"
_PAPER, _INK, _PALE, _LINE, _BAR = (
    (250, 248, 243),
    (38, 42, 50),
    (136, 138, 146),
    (214, 210, 202),
    (62, 84, 92),
)
_TOP, _STEP, _LEFT = 0.20, 0.115, 0.16  # shares of the height, and of the width
_POINTER = ((0.70, 0.30), (0.47, 0.42), (0.80, 0.78))  # where it is before, between and after its moves


def frames(size: tuple[int, int], count: int, start: int = 0) -> Iterator[Codes]:
    """Draw frames ``start`` to ``start + count``: uint8 R′G′B′, shape (height, width, 3)."""
    for number in range(start, start + count):
        seconds = number / RATE
        typed = tuple(_letters(seconds, field) for field in range(len(FIELDS)))
        picture = _form(size, typed, _scrolled(seconds)).copy()
        if seconds % BLINK < BLINK / 2:
            _draw_caret(picture, seconds, typed)
        _draw_pointer(picture, seconds)
        yield picture


def _letters(seconds: float, field: int) -> str:
    """What stands in a line of the form."""
    typing = next((each for each in TYPED if each.field == field), None)
    return "" if typing is None else typing.text[: max(0, int((seconds - typing.begin) * KEYS))]


def _scrolled(seconds: float) -> float:
    """How far the form has moved up, in lines."""
    return sum(_eased((seconds - begin) / (end - begin)) for begin, end in SCROLLS)


def _eased(share: float) -> float:
    share = min(max(share, 0.0), 1.0)
    return share * share * (3 - 2 * share)


@cache
def _type(height: int) -> ImageFont.FreeTypeFont:
    with as_file(files("chronoxis") / _FONT) as path:
        return ImageFont.truetype(str(path), height)


@lru_cache(maxsize=4)
def _form(size: tuple[int, int], typed: tuple[str, ...], scrolled: float) -> Codes:
    """The form with some of it filled in."""
    width, height = size
    image = Image.new("RGB", size, _PAPER)
    draw = ImageDraw.Draw(image)
    names, values = _type(height // 30), _type(height // 24)
    for number, (name, text) in enumerate(zip(FIELDS, typed, strict=True)):
        top = _line_top(number, scrolled, height)
        draw.text((_LEFT * width / 2, top + height * 0.008), name, _PALE, names)
        draw.text((_LEFT * width + 0.03 * width, top), text, _INK, values)
        draw.line([(_LEFT * width, top + height * 0.065), (0.9 * width, top + height * 0.065)], _LINE, 2)
    draw.rectangle([0, 0, width, height * 0.13], _BAR)
    draw.text((_LEFT * width / 2, height * 0.035), "Flight plan", _PAPER, _type(height // 18))
    return np.asarray(image, np.uint8)


def _line_top(number: int, scrolled: float, height: int) -> float:
    return (_TOP + _STEP * (number - scrolled)) * height


def _draw_caret(picture: Codes, seconds: float, typed: tuple[str, ...]) -> None:
    height, width = picture.shape[:2]
    field = max(
        (each for each in TYPED if each.begin <= seconds), key=lambda each: each.begin, default=TYPED[0]
    )
    across = round((_LEFT + 0.03) * width + _type(height // 24).getlength(typed[field.field])) + 3
    top = round(_line_top(field.field, _scrolled(seconds), height))
    picture[top + height // 120 : top + height // 20, across : across + 2] = _INK


def _draw_pointer(picture: Codes, seconds: float) -> None:
    height, width = picture.shape[:2]
    x, y = _POINTER[0]
    for (begin, end), (to_x, to_y) in zip(POINTS, _POINTER[1:], strict=True):
        share = _eased((seconds - begin) / (end - begin))
        x, y = x + (to_x - x) * share, y + (to_y - y) * share
    tall = height / 36
    shape = [(0, 0), (0, tall), (tall * 0.28, tall * 0.74), (tall * 0.7, tall * 0.72)]
    points = np.array([(round(x * width + dx), round(y * height + dy)) for dx, dy in shape], np.int32)
    cv2.fillPoly(picture, [points], _INK, cv2.LINE_AA)
    cv2.polylines(picture, [points], True, _PAPER, 1, cv2.LINE_AA)
