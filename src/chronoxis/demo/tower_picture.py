"""*Field from the tower*, drawn: layered hills before dawn to morning, gored balloons, passers-by."""

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import cache, lru_cache, partial

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.demo.in_order import CORES, in_order
from chronoxis.demo.sprites import SPRITE, Codes, Picture, blend, envelope
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

_BACKDROP_SECONDS = 8
_RUN = 5  # frames drawn over one backdrop
_HEADROOM = 128  # backdrops are held in 1/128 code, so that slow light moves without steps
cv2.setNumThreads(1)  # whole frames are shared out among the cores instead

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
    with ThreadPoolExecutor(CORES) as pool:
        for run in in_order(pool, _runs(pool, size, start, start + count), CORES):
            yield from run


def picture_at(size: tuple[int, int], seconds: float) -> Codes:
    """One picture by itself: uint8 R′G′B′, shape (height, width, 3)."""
    return _frame(_backdrop_at(size, seconds), seconds)


def _runs(
    pool: ThreadPoolExecutor, size: tuple[int, int], start: int, stop: int
) -> Iterator[Callable[[], list[npt.NDArray[np.uint8]]]]:
    """The tasks of drawing; now and then, another is given to the pool beside them."""
    for first in range(start // _RUN * _RUN, stop, _RUN):
        if first % (_BACKDROP_SECONDS * RATE) == 0:
            # While one core paints the one after next, nobody waits for it.
            pool.submit(_backdrop, size, first // (_BACKDROP_SECONDS * RATE) + 2)
        yield partial(_run, size, range(max(first, start), min(first + _RUN, stop)))


def _run(size: tuple[int, int], numbers: range) -> list[npt.NDArray[np.uint8]]:
    """A few frames under one backdrop: in so short a time the light grows by less than can be seen."""
    backdrop = _backdrop_at(size, numbers.start // _RUN * _RUN / RATE)
    return [_frame(backdrop, number / RATE) for number in numbers]


def _frame(backdrop: npt.NDArray[np.uint16], seconds: float) -> npt.NDArray[np.uint8]:
    # Half a code down, since the scaling rounds; what exceeds white saturates.
    canvas = np.asarray(
        cv2.convertScaleAbs(backdrop, alpha=flicker(seconds) / _HEADROOM, beta=-0.5), np.uint8
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
    return cv2.addWeighted(  # type: ignore[return-value]
        _backdrop(size, int(slot)), 1 - share, _backdrop(size, int(slot) + 1), share, 0
    )


@lru_cache(maxsize=4)
def _backdrop(size: tuple[int, int], slot: int) -> npt.NDArray[np.uint16]:
    drawn = np.clip(paint_backdrop(size, daylight(slot * _BACKDROP_SECONDS)), 0, 250)
    return (drawn * _HEADROOM).astype(np.uint16) + _grain(size)


def paint_backdrop(size: tuple[int, int], light: float) -> Picture:
    """Sky, hills and field: float32 R′G′B′ codes, shape (height, width, 3)."""
    width, height = size
    x = np.arange(width, dtype=np.float32)[None] / np.float32(width)
    y = np.arange(height, dtype=np.float32)[:, None] / np.float32(height)
    planes = np.zeros((3, height, width), np.float32)
    warmth = float(np.exp(-(((light - 0.45) / 0.28) ** 2)))
    sky, hills, field = (slice(int(top * height), int(end * height)) for top, end in _BANDS)
    _paint_sky(planes[:, sky], x, y[sky], light)
    _paint_hills(planes[:, hills], x, y[hills], light, warmth, height)
    _paint_field(planes[:, field], x, y[field], light, warmth, height)
    return np.asarray(cv2.merge(list(planes)), np.float32)


def _lay(planes: Picture, cover: Picture, colour: Iterable[Picture | float]) -> None:
    """Lay a colour over planes of R′, G′ and B′ where ``cover`` is more than 0."""
    for row, code in enumerate(colour):
        planes[row] += cover * (code - planes[row])


def _paint_hills(planes: Picture, x: Picture, y: Picture, light: float, warmth: float, height: int) -> None:
    haze = _mixed((96, 80, 104), (196, 208, 212), light)
    for number, (base, swing, waves, phase, night, day) in enumerate(_RIDGES):
        swell = np.sin(x[0] * waves * 6.28 + phase) + 0.45 * np.sin(x[0] * waves * 15.1 + phase * 2)
        crest = base - swing * swell / 1.45
        colour = _mixed(night, day, light) + warmth * np.array([34, 12, -6], np.float32) * (1 - number / 5)
        mist = 0.34 * np.clip((y - crest) / 0.10, 0, 1)
        cover = np.clip((y - crest) * height, 0, 1)
        _lay(planes, cover, (c + mist * (h - c) for c, h in zip(colour, haze, strict=True)))


def _paint_sky(planes: Picture, x: Picture, y: Picture, light: float) -> None:
    levels = np.array([_sky_stop(row, light) for row in range(4)], np.float32)
    down = np.clip(y / 0.62, 0, 1)[:, 0] * 3
    for plane, level in zip(planes, levels.T, strict=True):
        plane[:] = np.interp(down, range(4), level)[:, None]
    sun_x, sun_y = 0.71, 0.60 - 0.36 * max(light - 0.28, 0) ** 0.9
    away = np.hypot((x - sun_x) * 1.78, y - sun_y)
    glow = np.exp(-away / 0.20) * min(1.0, 0.25 + light * 1.4) * 0.55
    _lay(planes, glow, (255, 214, 150))
    disc = np.clip((0.030 - away) * 180, 0, 1) * np.clip((light - 0.24) * 9, 0, 1)
    _lay(planes, disc, (255, 244, 214))
    for height, drift, depth in ((0.16, 0.3, 0.16), (0.27, 1.9, 0.13), (0.38, 3.7, 0.20)):
        band = np.exp(-(((y - height - 0.012 * np.sin(x * 9 + drift)) / 0.018) ** 2))
        streak = np.clip(0.5 + 0.5 * np.sin(x * 5.1 + drift * 3) + 0.3 * np.sin(x * 13 + drift), 0, 1)
        _lay(planes, band * streak * depth, levels[3] + 12)


def _sky_stop(row: int, light: float) -> npt.NDArray[np.float64]:
    states = sorted(_SKIES)
    return np.array([np.interp(light, states, [_SKIES[s][row][c] for s in states]) for c in range(3)])


def _paint_field(planes: Picture, x: Picture, y: Picture, light: float, warmth: float, height: int) -> None:
    edge = 0.735 + 0.012 * np.sin(x * 4.2 + 0.6)
    depth = np.clip((y - edge) / (1 - edge), 0, 1)
    mown = 0.5 + 0.5 * np.tanh(5 * np.sin((x - 0.5) * 26 / (0.35 + depth * 1.4)))
    grass = _mixed(_FIELD_NIGHT, _FIELD_DAY, light) + warmth * np.array([38, 16, -8], np.float32)
    tone = 0.80 + 0.12 * mown + 0.22 * (1 - depth)
    _lay(planes, np.clip((y - edge) * height, 0, 1), (blade * tone for blade in grass))


def _mixed(night: tuple[int, ...], day: tuple[int, ...], light: float) -> Picture:
    return np.array(night, np.float32) * (1 - light) + np.array(day, np.float32) * light


def _draw_balloon(canvas: Codes, balloon: Balloon, at: Place, seconds: float) -> None:
    if at.inflation <= 0:
        return
    height, width = canvas.shape[:2]
    full = at.width * width
    rise = at.inflation**1.5
    sprite_w, sprite_h = SPRITE
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
    blend(canvas, envelope(balloon), turn, light, heat, flicker(seconds))


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
    blend(canvas, _figure(), turn, light, np.zeros(3, np.float32), flicker(seconds))
