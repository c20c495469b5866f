"""Gored balloons as sprites, and laying sprites over a picture."""

from functools import cache

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.demo.tower_truth import Balloon

Picture = npt.NDArray[np.float32]
Codes = npt.NDArray[np.uint8]

SPRITE = (220, 300)
"""An envelope's sprite: width and height in pixels."""


@cache
def envelope(balloon: Balloon) -> Codes:
    """An upright envelope with its basket: R′G′B′ and cover, shape (height, width, 4).

    Colours are multiplied by the cover, so that scaling does not bleed.
    """
    width, height = SPRITE
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    across, down = (x - width / 2 + 0.5) / (width / 2), y / (height * 0.80)
    profile = np.where(down < 0.48, np.sqrt(np.clip(1 - ((0.48 - down) / 0.48) ** 2, 0, 1)), 0)
    taper = np.clip((down - 0.48) / 0.52, 0, 1)
    profile = np.where(down >= 0.48, 1 - 0.80 * taper**1.7, profile) * 0.97
    around = np.arcsin(np.clip(across / np.maximum(profile, 1e-3), -1, 1))
    gores = len(balloon.colours) * 4
    seat = (around / np.pi + 0.5) * gores
    colour = np.array(balloon.colours, np.float32)[seat.astype(int) % len(balloon.colours)]
    seam = 1 - 0.22 * np.clip(1 - np.abs(seat - np.round(seat)) * 9, 0, 1)
    shade = 0.60 + 0.48 * np.cos(around - 0.55) * (1 - 0.22 * down)
    band = np.where(np.abs(down - 0.60) < 0.035, 1.16, 1.0)
    rgb = colour * (shade * seam * band)[..., None]
    cover = np.clip((profile - np.abs(across)) * width / 2, 0, 1) * (down <= 1)
    sprite = np.dstack([np.clip(rgb, 0, 255), cover]).astype(np.float32)
    _draw_basket(sprite)
    sprite[..., :3] *= sprite[..., 3:]
    sprite[..., 3] *= 255
    return np.rint(sprite).clip(0, 255).astype(np.uint8)


def _draw_basket(sprite: Picture) -> None:
    width, height = SPRITE
    middle, top = width // 2, int(height * 0.90)
    rope, wicker = (64.0, 56.0, 48.0, 1.0), (108.0, 74.0, 44.0, 1.0)
    for side in (-1, 1):
        foot = (middle + side * 13, top)
        cv2.line(sprite, (middle + side * 18, int(height * 0.80)), foot, rope, 2, cv2.LINE_AA)
    cv2.rectangle(sprite, (middle - 15, top), (middle + 15, height - 3), wicker, -1, cv2.LINE_AA)
    cv2.rectangle(sprite, (middle - 15, top), (middle + 15, top + 4), (142.0, 100.0, 60.0, 1.0), -1)


_halves: dict[int, tuple[Codes, Codes]] = {}


def _halved(sprite: Codes) -> Codes:
    """A sprite at half its size, made once; sprites live as long as the program."""
    if id(sprite) not in _halves:
        half = cv2.resize(sprite, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        _halves[id(sprite)] = sprite, np.asarray(half, np.uint8)
    return _halves[id(sprite)][1]


def blend(
    canvas: Codes,
    sprite: Codes,
    turn: npt.NDArray[np.float64],
    light: float,
    heat: npt.NDArray[np.float32],
    gain: float,
) -> None:
    """Lay a lit sprite over the canvas where the affine ``turn`` puts it, to a fraction of a pixel.

    ``heat`` is added towards the sprite's foot, where the burner is.
    """
    height, width = canvas.shape[:2]
    corners = np.array(
        [[0, 0, 1], [sprite.shape[1], 0, 1], [0, sprite.shape[0], 1], [*sprite.shape[1::-1], 1]]
    )
    spots = corners @ turn.T
    left, top = np.maximum(np.floor(spots.min(0)).astype(int) - 1, 0)
    right, bottom = np.minimum(np.ceil(spots.max(0)).astype(int) + 1, (width, height))
    if left >= right or top >= bottom:
        return
    local = turn.copy()
    local[:, 2] -= (left, top)
    for _ in range(2):
        if min(abs(local[0, 0]), local[1, 1]) < 0.55:  # shrinking without smoothing first would sparkle
            sprite = _halved(sprite)
            local[:, :2] *= 2
    laid = cv2.warpAffine(sprite, local, (int(right - left), int(bottom - top)), flags=cv2.INTER_LINEAR)
    colour, cover = cv2.cvtColor(laid, cv2.COLOR_RGBA2RGB), cv2.merge([cv2.extractChannel(laid, 3)] * 3)
    part = canvas[top:bottom, left:right]
    behind = cv2.multiply(part, cv2.bitwise_not(cover), scale=1 / 255)
    cv2.addWeighted(behind, 1.0, colour, light * gain, 0.0, part)
    if heat.any():
        fall = np.interp(np.arange(top, bottom), spots[[0, 2], 1], (0.15, 1.0))
        rows = np.rint(fall[:, None, None] * heat * gain).astype(np.uint8)
        glow = cv2.resize(rows, (int(right - left), len(rows)), interpolation=cv2.INTER_NEAREST)
        cv2.add(part, cv2.multiply(cover, glow, scale=1 / 255), part)
