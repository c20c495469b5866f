"""How the camera moved between two pictures: shift, turn and size of one against the other.

Corners are followed from one picture to the next and back (Lucas and Kanade 1981, pyramids after Bouguet
2000); what does not come back to where it began is let go of. A similarity that most of the rest agree on is
found by sampling (Fischler and Bolles 1981) and fitted to those by least squares, so that things which move
by themselves do not sway it. Where a camera turns, the side that it turns to grows as well: that keystone is
part of the fit. Where it is far from one picture to the next, phase correlation of both says where to look
first.

Where the light changes from one picture to the next, corners are followed in what stands out of its
surroundings instead, in terms of their deviation: flicker, clouds and bands of light change nothing of that.
"""

from dataclasses import dataclass, replace
from functools import cache
from math import atan2, degrees, hypot

import cv2
import numpy as np
import numpy.typing as npt
from av.video.frame import VideoFrame

from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.picture.rgb import planar_depth, planar_format, samples_of

Grey = npt.NDArray[np.uint8]
"""Shape (rows, columns)."""

Shades = npt.NDArray[np.float32]
"""Shape (rows, columns)."""

Places = npt.NDArray[np.float32]
"""Shape (places, 2): to the right and down."""

ROWS = 270
"""Of the pictures that are looked at."""

_SURROUNDINGS_WINDOW = (17, 17)
# Codes of what is as its surroundings, and of their deviation.
_LEVELLED_MEAN = 128.0
_LEVELLED_DEVIATION = 40.0
_OF_NOISE = 3.0  # codes of deviation that are as good as none
_CORNER_QUALITY = 0.0005  # of the clearest corner
_CELLS = (12, 7)  # parts of a picture across and down
_CORNERS_AT_FIRST = 2  # in each cell
_CORNERS_IN_DOUBT = 3  # where not all agree
_CORNER_DISTANCE = 7  # pixels between corners
_FLOW_WINDOW = (13, 13)
_FINE_ENOUGH = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 15, 0.02)
_PYRAMID_LEVELS = 2
_ROUND_TRIP_PIXELS = 0.35  # pixels by which a corner may miss where it began
_INLIER_PIXELS = 0.6  # pixels by which a corner may miss the similarity
_HALVED_FROM_ROWS = 64  # rows from which on corners are found on half as fine a picture
_PLENTY_SURENESS = 0.75  # sureness that needs no more corners
_ENOUGH_SURENESS = 0.5  # sureness that needs no first guess
_OUTLIER_SHARE = 0.2  # share of corners that do not agree, from which on they are asked by themselves
_LEAST_CORNERS = 8  # corners without which nothing is said
_ENOUGH_CORNERS = 40  # corners that agree, from which on nothing more is gained
_FAR_PIXELS = 5.0  # pixels from which on the first guess of phase correlation is taken
# Difference of codes of parts of pictures that have nothing to do with one another.
_UNRELATED_DIFFERENCE = 10.0
_LEAST_RESPONSE = 0.08  # response of it below which it says nothing
_REGULARISATION = 1e-9  # what is not told by any corner is nothing
# Of a picture that what moves alike lies in, at least: less may be a thing before a plain wall.
_COVERED_SHARE = 0.36
_BY_CHANCE = 14.0  # χ² of two numbers that chance exceeds once in a thousand times


@dataclass(frozen=True)
class CameraStep:
    """What a picture's content did since the picture before.

    Attributes:
        right: share of the picture's width by which its middle moved.
        down: the same downwards, in shares of the width as well.
        turned: degrees, clockwise.
        grown: natural logarithm of the size against before.
        leant_right: by how much a place shrinks for each width that it is to the right of the middle.
        leant_down: the same downwards, for each width as well.
        sureness: 0 to 1; 0 where nothing can be told, -1 where all is other than before, as at a cut.
    """

    right: float = 0.0
    down: float = 0.0
    turned: float = 0.0
    grown: float = 0.0
    leant_right: float = 0.0
    leant_down: float = 0.0
    sureness: float = 0.0


NOT_TOLD = CameraStep()
CUT = CameraStep(sureness=-1.0)


def looked_at(frame: VideoFrame, picture: PictureFormat) -> Grey:
    """Luma of a decoded frame, upright, about `ROWS` high and not higher than it is."""
    rows = min(ROWS, picture.height)
    columns = max(1, round(picture.width / picture.height * rows))
    small = _shrunk(_luma(frame), *((columns, rows) if picture.rotation % 180 == 0 else (rows, columns)))
    if picture.mirrored:
        small = small[:, ::-1]
    return np.ascontiguousarray(np.rot90(small, picture.rotation // 90))


def _luma(frame: VideoFrame) -> Grey:
    name = planar_format(frame)
    if name is None:
        return np.asarray(frame.to_ndarray(format="gray"), np.uint8)
    frame = frame if name == frame.format.name else frame.reformat(format=name)
    depth = planar_depth(name)
    samples = samples_of(frame.planes[0], depth)
    return np.asarray(samples if depth == 8 else samples >> (depth - 8), np.uint8)


def _shrunk(luma: Grey, columns: int, rows: int) -> Grey:
    while luma.shape[1] >= 4 * columns and luma.shape[0] >= 4 * rows:  # halving is quickest
        halved = (luma.shape[1] // 2, luma.shape[0] // 2)
        luma = np.asarray(cv2.resize(luma, halved, interpolation=cv2.INTER_AREA), np.uint8)
    return np.asarray(cv2.resize(luma, (columns, rows), interpolation=cv2.INTER_AREA), np.uint8)


def step_between(before: Grey, after: Grey) -> CameraStep:
    """How the camera moved between two pictures of one size."""
    step = _step(before, after)
    return CUT if step is NOT_TOLD and _is_other(before, after) else step


def _is_other(before: Grey, after: Grey) -> bool:
    """Whether most of a picture is other than before, rather than a thing in it elsewhere."""
    parts = cv2.resize(cv2.absdiff(before, after), _CELLS, interpolation=cv2.INTER_AREA)
    return float(np.median(parts)) > _UNRELATED_DIFFERENCE


def _step(before: Grey, after: Grey) -> CameraStep:
    step = _in_this_light(before, after)
    if step.sureness >= _PLENTY_SURENESS:
        return step
    even = _in_this_light(_evened(before), _evened(after))
    return even if even.sureness > step.sureness else step


def _evened(luma: Grey) -> Grey:
    """How each place stands out of its surroundings."""
    light = luma.astype(np.float32)
    off = light - _around(light)
    deviation = np.sqrt(_around(off * off)) + _OF_NOISE
    return np.asarray(np.clip(_LEVELLED_MEAN + _LEVELLED_DEVIATION * off / deviation, 0, 255), np.uint8)


def _around(values: Shades) -> Shades:
    """Means of surroundings that fade out."""
    return np.asarray(
        cv2.boxFilter(cv2.boxFilter(values, -1, _SURROUNDINGS_WINDOW), -1, _SURROUNDINGS_WINDOW), np.float32
    )


def _in_this_light(before: Grey, after: Grey) -> CameraStep:
    corners, ranks = _corners(before)
    begun = corners[ranks < _CORNERS_AT_FIRST]
    if len(begun) < _LEAST_CORNERS:
        return NOT_TOLD
    near = _moved(before, after, begun, np.zeros(2, np.float32))
    if near.sureness >= _PLENTY_SURENESS:
        return near
    begun = corners[ranks < _CORNERS_IN_DOUBT]
    near = _moved(before, after, begun, np.zeros(2, np.float32))
    if near.sureness >= _ENOUGH_SURENESS:
        return near
    guess = _first_guess(before, after)
    if not guess.any():
        return near
    far = _moved(before, after, begun, guess)
    return far if far.sureness > near.sureness else near


def _moved(before: Grey, after: Grey, begun: Places, guess: Places) -> CameraStep:
    """What corners tell, that are looked for about a guess away."""
    found, ends = _followed(before, after, begun, np.asarray(begun + guess, np.float32), _PYRAMID_LEVELS)
    back, returned = _followed(after, before, ends, begun, 0)  # near where it should come to already
    kept = found & back & (np.hypot(*(returned - begun).T) < _ROUND_TRIP_PIXELS)
    if kept.sum() < _LEAST_CORNERS:
        return NOT_TOLD
    begun, ends = begun[kept], ends[kept]
    middle = np.array([before.shape[1] / 2 - 0.5, before.shape[0] / 2 - 0.5], np.float32)
    agreeing = _agreeing(begun - middle, ends - middle)
    rest = ~agreeing
    if rest.mean() > _OUTLIER_SHARE and rest.sum() >= _LEAST_CORNERS:
        # What moves by itself may have more corners; the camera moves more of the picture.
        other = np.zeros_like(agreeing)
        other[rest] = _agreeing(begun[rest] - middle, ends[rest] - middle)
        if _spread(begun[other], before.shape) > _spread(begun[agreeing], before.shape):
            agreeing = other
    if agreeing.sum() < _LEAST_CORNERS:
        return NOT_TOLD
    width = before.shape[1]
    from_, to = (begun - middle) / width, (ends - middle) / width
    # The similarity leaves out the sides of a picture that leans: asked again with what fits the rest.
    step, left = _fitted(from_, to, agreeing)
    again = left * width < _INLIER_PIXELS
    if again.sum() > agreeing.sum():
        agreeing = again
        step, _ = _fitted(from_, to, agreeing)
    if _covered(begun[agreeing]) < _COVERED_SHARE * before.size:
        return NOT_TOLD
    sureness = float(agreeing.mean() * min(1.0, agreeing.sum() / _ENOUGH_CORNERS))
    return replace(step, sureness=sureness)


def _agreeing(begun: Places, ends: Places) -> npt.NDArray[np.bool_]:
    """Which corners the similarity moves alike that most agree on."""
    matrix, agree = cv2.estimateAffinePartial2D(
        begun, ends, method=cv2.RANSAC, ransacReprojThreshold=_INLIER_PIXELS, maxIters=400
    )
    return np.zeros(len(begun), np.bool_) if matrix is None else np.asarray(agree.ravel() > 0)


def _covered(places: Places) -> float:
    """The area that places lie in, square pixels."""
    return float(cv2.contourArea(cv2.convexHull(places))) if len(places) > 2 else 0.0


def _spread(places: Places, shape: tuple[int, ...]) -> int:
    """Over how many parts of a picture corners are spread."""
    return len(np.unique(_cells_of(places, shape)))


def _cells_of(places: Places, shape: tuple[int, ...]) -> npt.NDArray[np.int64]:
    down = (places[:, 1] * _CELLS[1] // shape[0]).astype(np.int64)
    return down * _CELLS[0] + (places[:, 0] * _CELLS[0] // shape[1]).astype(np.int64)


def _corners(picture: Grey) -> tuple[Places, npt.NDArray[np.int64]]:
    """Corners from all over a picture, however faint, and which of its part each is, the clearest being 0.

    What covers more of the picture is to have more of them.
    """
    # Found on half as fine a picture: where exactly they are, following them tells.
    small = cv2.pyrDown(picture) if min(picture.shape) >= _HALVED_FROM_ROWS else picture
    clear = cv2.cornerMinEigenVal(small, 3)
    apart = 2 * round(_CORNER_DISTANCE * small.shape[1] / picture.shape[1] / 2) + 1
    highest = cv2.dilate(clear, np.ones((apart, apart), np.uint8))
    rows, columns = np.nonzero((clear >= highest) & (clear > _CORNER_QUALITY * highest.max()))
    scale = np.array(picture.shape[::-1], np.float32) / np.array(small.shape[::-1], np.float32)
    corners = np.minimum(np.stack([columns, rows], 1) * scale, np.array(picture.shape[::-1]) - 1)
    corners = corners.astype(np.float32)
    cells = _cells_of(corners, picture.shape)
    order = np.lexsort((-clear[rows, columns], cells))
    ranks = np.empty(len(order), np.int64)
    ranks[order] = np.arange(len(order)) - np.searchsorted(cells[order], cells[order])
    return corners, ranks


def _followed(
    one: Grey, other: Grey, points: Places, guesses: Places, levels: int
) -> tuple[npt.NDArray[np.bool_], Places]:
    ends, found, _ = cv2.calcOpticalFlowPyrLK(
        one, other, np.ascontiguousarray(points, np.float32), np.array(guesses, np.float32),
        winSize=_FLOW_WINDOW, maxLevel=levels, flags=cv2.OPTFLOW_USE_INITIAL_FLOW, criteria=_FINE_ENOUGH,
    )  # fmt: skip
    return found.ravel() > 0, np.asarray(ends, np.float32).reshape(-1, 2)


def _first_guess(before: Grey, after: Grey) -> Places:
    """How far all of the picture went, pixels; nothing where that is little or not clear."""
    size = (before.shape[1] // 2, before.shape[0] // 2)
    if min(size) < 16:
        return np.zeros(2, np.float32)
    small = (cv2.resize(each, size, interpolation=cv2.INTER_AREA) for each in (before, after))
    one, other = (each.astype(np.float32) for each in small)
    (right, down), response = cv2.phaseCorrelate(one, other, _window(size))
    far = hypot(right, down) * 2
    if far < _FAR_PIXELS or response < _LEAST_RESPONSE:
        return np.zeros(2, np.float32)
    return np.array([right * 2, down * 2], np.float32)


@cache
def _window(size: tuple[int, int]) -> Places:
    return np.asarray(cv2.createHanningWindow(size, cv2.CV_32F), np.float32)


def _fitted(
    begun: Places, ends: Places, agreeing: npt.NDArray[np.bool_]
) -> tuple[CameraStep, npt.NDArray[np.float64]]:
    """The least squares fit of a similarity with a keystone to places that agree, in widths from the middle.

    (u, v) = (a x - b y + right, b x + a y + down) (1 - p x - q y), of which what is of the second order in
    the step is left out. Where the keystone does not stand out of what it may be by chance, the rest is
    fitted without it; many such together may still tell something.

    Returns:
        The step, and by how much every place misses it, in widths.
    """
    x, y = begun.T.astype(np.float64)
    one, none = np.ones_like(x), np.zeros_like(x)
    across = np.stack([x, -y, one, none, -x * x, -x * y], axis=1)
    down = np.stack([y, x, none, one, -x * y, -y * y], axis=1)
    rows = np.stack([across, down], axis=1)
    whole, wanted = rows[agreeing].reshape(-1, 6), ends[agreeing].reshape(-1).astype(np.float64)
    normal, aims = whole.T @ whole + _REGULARISATION * np.eye(6), whole.T @ wanted
    inverse = np.linalg.inv(normal)
    fit, spread = inverse @ aims, inverse[4:, 4:]
    missed = wanted - whole @ fit
    chance = float(missed @ missed) / max(1, len(wanted) - 6) + 1e-30
    a, b, right, down_, p, q = fit.tolist()
    if not fit[4:] @ np.linalg.solve(spread, fit[4:]) > _BY_CHANCE * chance:
        fit = np.append(np.linalg.solve(normal[:4, :4], aims[:4]), [0.0, 0.0])
        a, b, right, down_ = fit[:4].tolist()
    grown = float(np.log(max(hypot(a, b), 1e-6)))
    return CameraStep(right, down_, degrees(atan2(b, a)), grown, p, q), np.hypot(*(ends - rows @ fit).T)
