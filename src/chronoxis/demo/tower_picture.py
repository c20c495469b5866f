"""*Field from the tower*, drawn: layered hills before dawn to morning, gored balloons, passers-by."""

import os
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from functools import cache, lru_cache

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.demo.tower_truth import (
    BALLOONS,
    PASSERS,
    RATE,
    Balloon,
    Passer,
    Place,
    daylight,
    flicker,
    place,
)

Picture = npt.NDArray[np.float32]
Codes = npt.NDArray[np.uint8]

_BACKDROP_SECONDS = 8
_HEADROOM = 128  # backdrops are held in 1/128 code, so that slow light moves without steps
_CORES = os.cpu_count() or 1
cv2.setNumThreads(1)  # whole frames are shared out among the cores instead
_SPRITE = (220, 300)  # an envelope's sprite: width and height in pixels

# Sky colours from the zenith to the horizon, for a few states of daylight.
_SKIES = {
    0.0: ((14, 20, 44), (38, 44, 84), (104, 78, 104), (176, 112, 98)),
    0.35: ((44, 62, 116), (110, 104, 150), (214, 150, 132), (250, 190, 132)),
    0.65: ((84, 124, 184), (150, 170, 204), (236, 202, 170), (255, 222, 170)),
    1.0: ((96, 152, 212), (150, 194, 230), (206, 224, 232), (238, 236, 218)),
}
_RIDGES = (  # base height, amplitude, wave number, phase, colour at night, colour by day
    (0.555, 0.030, 1.3, 0.4, (70, 62, 92), (148, 170, 196)),
    (0.600, 0.038, 1.9, 2.1, (50, 50, 78), (112, 146, 158)),
    (0.650, 0.030, 2.6, 4.0, (36, 42, 60), (84, 126, 112)),
    (0.695, 0.018, 3.4, 1.2, (26, 34, 44), (70, 112, 78)),
)
_BANDS = ((0.0, 0.78), (0.48, 0.78), (0.70, 1.0))  # rows of sky, hills and field, overlapping
_FIELD_NIGHT, _FIELD_DAY = (22, 30, 30), (104, 140, 66)


def frames(size: tuple[int, int], count: int, start: int = 0) -> Iterator[npt.NDArray[np.uint8]]:
    """Draw frames ``start`` to ``start + count``: uint8 R′G′B′, shape (height, width, 3)."""
    with ThreadPoolExecutor(_CORES) as pool:
        under_way: deque[Future[npt.NDArray[np.uint8]]] = deque()
        for number in range(start, start + count):
            under_way.append(pool.submit(_frame, size, number))
            if len(under_way) > 2 * _CORES:
                yield under_way.popleft().result()
        while under_way:
            yield under_way.popleft().result()


def _frame(size: tuple[int, int], number: int) -> npt.NDArray[np.uint8]:
    seconds = number / RATE
    # Half a code down, since the scaling rounds; what exceeds white saturates.
    canvas = np.asarray(
        cv2.convertScaleAbs(_backdrop_at(size, seconds), alpha=1 / _HEADROOM, beta=-0.5), np.uint8
    )
    for balloon in sorted(BALLOONS, key=lambda each: each.ground_y):
        _draw_balloon(canvas, balloon, place(balloon, seconds), seconds)
    for passer in PASSERS:
        if passer.enter <= seconds < passer.leave:
            _draw_passer(canvas, passer, seconds)
    return canvas


@cache
def _grain(size: tuple[int, int]) -> npt.NDArray[np.uint16]:
    """Up to one code of noise, so that soft gradients show no steps."""
    shape = (size[1], size[0], 1)
    return np.repeat(np.random.default_rng(7).integers(0, _HEADROOM, shape, np.uint16), 3, 2)


def _backdrop_at(size: tuple[int, int], seconds: float) -> npt.NDArray[np.uint16]:
    slot, share = divmod(seconds / _BACKDROP_SECONDS, 1.0)
    gain = flicker(seconds)
    return cv2.addWeighted(  # type: ignore[return-value]
        _backdrop(size, int(slot)), (1 - share) * gain, _backdrop(size, int(slot) + 1), share * gain, 0
    )


@lru_cache(maxsize=4)
def _backdrop(size: tuple[int, int], slot: int) -> npt.NDArray[np.uint16]:
    drawn = np.clip(_paint_backdrop(size, daylight(slot * _BACKDROP_SECONDS)), 0, 250)
    return (drawn * _HEADROOM).astype(np.uint16) + _grain(size)


def _paint_backdrop(size: tuple[int, int], light: float) -> Picture:
    width, height = size
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x, y = x / width, y / height
    picture = np.zeros((height, width, 3), np.float32)
    warmth = float(np.exp(-(((light - 0.45) / 0.28) ** 2)))
    sky, hills, field = (slice(int(top * height), int(end * height)) for top, end in _BANDS)
    picture[sky] = _paint_sky(x[sky], y[sky], light)
    _paint_hills(picture[hills], x[hills], y[hills], light, warmth, height)
    _paint_field(picture[field], x[field], y[field], light, warmth, height)
    return picture


def _paint_hills(part: Picture, x: Picture, y: Picture, light: float, warmth: float, height: int) -> None:
    haze = _mixed((96, 80, 104), (196, 208, 212), light)
    for number, (base, swing, waves, phase, night, day) in enumerate(_RIDGES):
        swell = np.sin(x[0] * waves * 6.28 + phase) + 0.45 * np.sin(x[0] * waves * 15.1 + phase * 2)
        crest = base - swing * swell / 1.45
        colour = _mixed(night, day, light) + warmth * np.array([34, 12, -6], np.float32) * (1 - number / 5)
        mist = 0.34 * np.clip((y - crest) / 0.10, 0, 1)[..., None]
        cover = np.clip((y - crest) * height, 0, 1)[..., None]
        part[:] = part * (1 - cover) + (colour * (1 - mist) + haze * mist) * cover


def _paint_sky(x: Picture, y: Picture, light: float) -> Picture:
    levels = np.array([_sky_stop(row, light) for row in range(4)], np.float32)
    down = np.clip(y / 0.62, 0, 1)[:, 0] * 3
    columns = [np.interp(down, range(4), levels[:, channel]) for channel in range(3)]
    sky = np.repeat(np.stack(columns, -1)[:, None], x.shape[1], 1).astype(np.float32)
    sun_x, sun_y = 0.71, 0.60 - 0.36 * max(light - 0.28, 0) ** 0.9
    away = np.hypot((x - sun_x) * 1.78, y - sun_y)
    glow = np.exp(-away / 0.20) * min(1.0, 0.25 + light * 1.4) * 0.55
    sky += glow[..., None] * (np.array([255, 214, 150], np.float32) - sky)
    disc = np.clip((0.030 - away) * 180, 0, 1) * np.clip((light - 0.24) * 9, 0, 1)
    sky += disc[..., None] * (np.array([255, 244, 214], np.float32) - sky)
    for height, drift, depth in ((0.16, 0.3, 0.16), (0.27, 1.9, 0.13), (0.38, 3.7, 0.20)):
        band = np.exp(-(((y - height - 0.012 * np.sin(x * 9 + drift)) / 0.018) ** 2))
        streak = np.clip(0.5 + 0.5 * np.sin(x * 5.1 + drift * 3) + 0.3 * np.sin(x * 13 + drift), 0, 1)
        sky += (band * streak * depth)[..., None] * (levels[3] + 12 - sky)
    return sky


def _sky_stop(row: int, light: float) -> npt.NDArray[np.float64]:
    states = sorted(_SKIES)
    return np.array([np.interp(light, states, [_SKIES[s][row][c] for s in states]) for c in range(3)])


def _paint_field(part: Picture, x: Picture, y: Picture, light: float, warmth: float, height: int) -> None:
    edge = 0.735 + 0.012 * np.sin(x * 4.2 + 0.6)
    depth = np.clip((y - edge) / (1 - edge), 0, 1)
    mown = 0.5 + 0.5 * np.tanh(5 * np.sin((x - 0.5) * 26 / (0.35 + depth * 1.4)))
    grass = _mixed(_FIELD_NIGHT, _FIELD_DAY, light) + warmth * np.array([38, 16, -8], np.float32)
    tone = (0.80 + 0.12 * mown + 0.22 * (1 - depth))[..., None]
    cover = np.clip((y - edge) * height, 0, 1)[..., None]
    part[:] = part * (1 - cover) + grass * tone * cover


def _mixed(night: tuple[int, ...], day: tuple[int, ...], light: float) -> Picture:
    return np.array(night, np.float32) * (1 - light) + np.array(day, np.float32) * light


@cache
def _envelope(balloon: Balloon) -> Codes:
    """An upright envelope with its basket: R′G′B′ and cover, shape (height, width, 4).

    Colours are multiplied by the cover, so that scaling does not bleed.
    """
    width, height = _SPRITE
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
    width, height = _SPRITE
    middle, top = width // 2, int(height * 0.90)
    rope, wicker = (64.0, 56.0, 48.0, 1.0), (108.0, 74.0, 44.0, 1.0)
    for side in (-1, 1):
        foot = (middle + side * 13, top)
        cv2.line(sprite, (middle + side * 18, int(height * 0.80)), foot, rope, 2, cv2.LINE_AA)
    cv2.rectangle(sprite, (middle - 15, top), (middle + 15, height - 3), wicker, -1, cv2.LINE_AA)
    cv2.rectangle(sprite, (middle - 15, top), (middle + 15, top + 4), (142.0, 100.0, 60.0, 1.0), -1)


def _draw_balloon(canvas: Codes, balloon: Balloon, at: Place, seconds: float) -> None:
    if at.inflation <= 0:
        return
    height, width = canvas.shape[:2]
    full = at.width * width
    rise = at.inflation**1.5
    sprite_w, sprite_h = _SPRITE
    scale_x = full / sprite_w * (0.70 + 0.30 * rise)
    scale_y = full / sprite_w * (0.16 + 0.84 * rise)
    lean = (1 - rise) * 0.5 + 0.012 * np.sin(seconds * 0.9 + balloon.launch)
    foot_x, foot_y = at.x * width, at.y * height
    turn = np.array(
        [
            [scale_x, -lean * scale_y, foot_x - scale_x * sprite_w / 2 + lean * scale_y * sprite_h],
            [0, scale_y, foot_y - scale_y * sprite_h],
        ]
    )
    light = 0.30 + 0.70 * daylight(seconds)
    heat = at.glow * (1.25 - light) * np.array([210, 128, 46], np.float32)
    _blend(canvas, _envelope(balloon), turn, light, heat, flicker(seconds))


@cache
def _figure() -> Codes:
    """Somebody walking close by, out of focus: shape (height, width, 4), on a stand of 160 by 360."""
    figure = np.zeros((360, 160, 4), np.float32)
    coat, skin, dark = (58.0, 52.0, 60.0, 1.0), (96.0, 76.0, 68.0, 1.0), (34.0, 34.0, 42.0, 1.0)
    cv2.ellipse(figure, (80, 52), (21, 27), 0, 0, 360, skin, -1, cv2.LINE_AA)
    cv2.ellipse(figure, (80, 40), (23, 18), 0, 180, 360, dark, -1, cv2.LINE_AA)
    cv2.ellipse(figure, (80, 145), (42, 70), 0, 0, 360, coat, -1, cv2.LINE_AA)
    cv2.fillPoly(
        figure,
        [np.array([[48, 190], [112, 190], [122, 359], [94, 359], [80, 240], [62, 359], [34, 359]])],
        dark,
    )
    figure[..., 3] *= 255
    return np.rint(cv2.GaussianBlur(figure, (0, 0), 5)).astype(np.uint8)


def _draw_passer(canvas: Codes, passer: Passer, seconds: float) -> None:
    height, width = canvas.shape[:2]
    scale = passer.height * height / 360
    stride = np.sin(seconds * 7.5) * 0.012 * height
    left = passer.x(seconds) * width - 80 * scale
    turn = np.array([[scale, 0, left], [0, scale, height - passer.height * height * 0.90 + stride]])
    light = 0.35 + 0.65 * daylight(seconds)
    _blend(canvas, _figure(), turn, light, np.zeros(3, np.float32), flicker(seconds))


_halves: dict[int, tuple[Codes, Codes]] = {}


def _halved(sprite: Codes) -> Codes:
    """A sprite at half its size, made once; sprites live as long as the program."""
    if id(sprite) not in _halves:
        half = cv2.resize(sprite, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        _halves[id(sprite)] = sprite, np.asarray(half, np.uint8)
    return _halves[id(sprite)][1]


def _blend(
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
        fall = np.interp(np.arange(top, bottom), spots[[0, 2], 1], (0.15, 1.0)).astype(np.float32)
        warm = cover * (fall[:, None, None] * heat * (gain / 255))
        cv2.add(part, warm.astype(np.uint8), part)
