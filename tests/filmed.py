"""Pictures of a made-up scene as a camera of known path sees them, at full size."""

from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
import numpy.typing as npt

from chronoxis.core.traces.camera_steps import Grey

SIZE = (1920, 1080)
_SCENE = (3400, 2600)


@dataclass(frozen=True)
class Film:
    """How it is filmed.

    Attributes:
        views: of the camera, shape (frames, 4): right and down in pixels, degrees clockwise, and the
            logarithm of how much closer it is.
        focus: focal length in widths of the picture, where right and down are turns of the camera; None
            where it glides.
        covered: share of the picture in front of which something moves by itself.
        shutter: how long it is open, of a frame.
        noise: deviation in codes.
        light: of white.
    """

    views: npt.NDArray[np.float64]
    focus: float | None = None
    covered: float = 0.0
    shutter: float = 0.0
    noise: float = 2.0
    light: float = 1.0


def walked(frames: int, rate: float = 30.0, seed: int = 1) -> npt.NDArray[np.float64]:
    """The views of a walk: steps twice a second, sway once, and what a hand adds."""
    t = np.arange(frames) / rate
    rng = np.random.default_rng(seed)
    hand = np.stack([cv2.GaussianBlur(rng.normal(0, 9, (frames, 1)), (1, 9), 2.0)[:, 0] for _ in range(2)])
    right = 14 * np.sin(2 * np.pi * 0.95 * t + 0.4) + hand[0]
    down = 10 * np.abs(np.sin(2 * np.pi * 0.95 * t)) + hand[1]
    turned = 0.5 * np.sin(2 * np.pi * 0.95 * t + 1.0)
    return np.stack([right, down, turned, 0.02 * t], axis=1)


def placed(film: Film, view: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """From places in the picture to those in the scene, shape (3, 3)."""
    width, height = SIZE
    right, down, turned, closer = view.tolist()
    size, angle = np.exp(-closer), np.radians(turned)
    turn = size * np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    middle = np.array([width / 2 - 0.5, height / 2 - 0.5])
    to_middle = np.array([[1, 0, -middle[0]], [0, 1, -middle[1]], [0, 0, 1.0]])
    matrix = np.eye(3)
    matrix[:2, :2] = turn
    scene_middle = np.array([_SCENE[0] / 2, _SCENE[1] / 2])
    if film.focus is None:
        matrix[:2, 2] = scene_middle + np.array([right, down])
        return np.asarray(matrix @ to_middle)
    far = film.focus * width
    yaw, pitch = np.arctan(right / far), np.arctan(down / far)
    across = np.array([[np.cos(yaw), 0, np.sin(yaw)], [0, 1, 0], [-np.sin(yaw), 0, np.cos(yaw)]])
    upwards = np.array([[1, 0, 0], [0, np.cos(pitch), np.sin(pitch)], [0, -np.sin(pitch), np.cos(pitch)]])
    lens = np.diag([far, far, 1.0])
    to_scene = np.array([[1, 0, scene_middle[0]], [0, 1, scene_middle[1]], [0, 0, 1.0]])
    rays = across @ upwards @ np.linalg.inv(lens)
    return np.asarray(to_scene @ lens @ rays @ matrix @ to_middle)


def filmed(film: Film) -> list[Grey]:
    """Its pictures, 1920 by 1080."""
    rng = np.random.default_rng(5)
    pictures = []
    for number, view in enumerate(film.views):
        before = film.views[max(0, number - 1)]
        drawn = (view - before) * film.shutter
        count = max(1, int(np.abs(drawn[:2]).max() / 3) + 1) if film.shutter else 1
        light = np.zeros(SIZE[::-1], np.float32)
        for share in ((np.arange(count) + 0.5) / count - 0.5).tolist():
            light += cv2.warpPerspective(
                _scene(),
                placed(film, view + drawn * share),
                SIZE,
                flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            )
        light /= count
        wide = round(film.covered * SIZE[0])
        if wide:
            left = (round(200 + 9.3 * number)) % (SIZE[0] - wide)
            light[:, left : left + wide] = _passer()[:, 900 - 4 * number : 900 - 4 * number + wide]
        light = light * film.light + np.asarray(rng.normal(0, film.noise, light.shape), np.float32)
        pictures.append(np.clip(light, 0, 255).astype(np.uint8))
    return pictures


def steps_of(film: Film) -> npt.NDArray[np.float64]:
    """What the middle of the content did from picture to picture, shape (frames - 1, 2), in pixels."""
    middle = np.array([SIZE[0] / 2 - 0.5, SIZE[1] / 2 - 0.5, 1.0])
    steps = []
    for before, after in zip(film.views, film.views[1:], strict=False):
        place = np.linalg.solve(placed(film, after), placed(film, before) @ middle)
        steps.append(place[:2] / place[2] - middle[:2])
    return np.array(steps)


@cache
def _scene() -> npt.NDArray[np.uint8]:
    """Detail of every size, with edges, as of a meadow with paths and tents."""
    rng = np.random.default_rng(3)
    width, height = _SCENE
    made = np.zeros((height, width), np.float32)
    for size in (3, 8, 24, 80, 300):
        rough = rng.random((height // size + 2, width // size + 2)).astype(np.float32)
        made += cv2.resize(rough, (width, height), interpolation=cv2.INTER_CUBIC) * size**0.5
    made = 200 * (made - made.min()) / np.ptp(made)
    for _ in range(90):
        corner = rng.integers(0, (width, height))
        shape = cv2.boxPoints((corner.tolist(), rng.uniform(20, 200, 2).tolist(), float(rng.uniform(0, 180))))
        cv2.fillPoly(made, [shape.astype(np.int32)], float(rng.uniform(20, 235)), cv2.LINE_AA)
    return np.asarray(np.clip(made, 0, 255), np.uint8)


@cache
def _passer() -> npt.NDArray[np.float32]:
    rng = np.random.default_rng(8)
    rough = rng.integers(20, 235, (40, 90)).astype(np.uint8)
    return np.asarray(cv2.resize(rough, (2700, SIZE[1]), interpolation=cv2.INTER_CUBIC), np.float32)
