"""Which small pictures the rails show where."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from math import ceil, floor

import numpy as np

from chronoxis.app.weave.rails import Rails
from chronoxis.core.model.passage_rows import Numbers
from chronoxis.core.model.playing import played_at
from chronoxis.core.model.project import Project
from chronoxis.core.timing.pace import Seconds

TILE = 44.0
"""Pixels between tiles at least."""

_FEW_FRAMES = 32  # of a tile: with fewer, tiles end where frames do
_LEAST_TILE = 10.0  # pixels that a tile cut short by its shot has at least; of smaller shots, only some show


@dataclass(frozen=True)
class Tile:
    """A place for a small picture.

    Attributes:
        course: what the footage it is of shows when.
        seconds: stored seconds of its source.
        tolerance: seconds by which a picture may be off and still serve.
    """

    course: Hashable
    seconds: float
    tolerance: float


@dataclass(frozen=True, eq=False)
class Tiles:
    """Tiles side by side on a rail; one row per tile, every column of the shape (tiles,).

    Attributes:
        courses: what the footage they are of shows when.
        which: of each, which of the courses.
        seconds: stored seconds of its source.
        tolerances: seconds by which a picture may be off and still serve.
        lefts: where they begin, pixels.
        rights: where they end.
    """

    courses: Sequence[Hashable]
    which: Numbers
    seconds: Seconds
    tolerances: Seconds
    lefts: Seconds
    rights: Seconds

    def __len__(self) -> int:
        return len(self.which)

    def tile(self, row: int) -> Tile:
        """One of them. Raises IndexError if there is none."""
        return Tile(self.courses[self.which[row]], float(self.seconds[row]), float(self.tolerances[row]))


def recorded_tiles(project: Project, rails: Rails) -> Tiles:
    """Tiles of the visible part of the recorded rail.

    They keep to a grid in recorded time, so that scrolling and zooming reuse them: of powers of two
    seconds, or of frames where a tile stands for a few.
    """
    shots = _with_room(rails)
    lows, highs = rails.visible_parts(shots)
    files = project.shot_rows.footage[shots]
    spacings = _spacings(project, rails.recorded_scale)[files]
    first_cells = np.floor(lows / spacings).astype(np.int64)
    counts = np.maximum(np.ceil(highs / spacings).astype(np.int64) - first_cells, 0)
    of = np.repeat(np.arange(len(shots)), counts)
    last_rows = np.cumsum(counts)
    cells = np.arange(len(of)) - np.repeat(last_rows - counts, counts) + first_cells[of]
    begins = np.maximum(cells * spacings[of], lows[of])
    ends = np.minimum((cells + 1) * spacings[of], highs[of])
    middles = np.clip((cells + 0.5) * spacings[of], *(column[of] for column in rails.stretch_parts(shots)))
    lefts, rights = rails.recorded_xs(shots[of], begins), rails.recorded_xs(shots[of], ends)
    there = counts > 0
    least = rails.recorded_xs(shots[there], lows[there]) + _LEAST_TILE
    rights[last_rows[there] - 1] = np.maximum(rights[last_rows[there] - 1], least)
    scales = _scales(project)[files]
    return Tiles(
        _courses(project), files[of], middles / scales[of], spacings[of] / 2 / scales[of], lefts, rights
    )


def _with_room(rails: Rails) -> Numbers:
    """The visible shots, but of those that are narrower than the least tile only as many as find room."""
    shown = rails.stretches_shown()
    parts = rails.visible_parts(shown)
    lefts, rights = (rails.recorded_xs(shown, part).tolist() for part in parts)
    kept, room = [], -1e9
    for number, left, right in zip(shown.tolist(), lefts, rights, strict=True):
        if left >= room:
            kept.append(number)
            room = max(right, left + _LEAST_TILE)
    return np.array(kept, np.int64)


def _spacings(project: Project, scale: float) -> Seconds:
    """Recorded seconds between tiles, for each footage."""
    coarse = _spacing(scale)
    rates = [float(footage.rate) for footage in project.footage]
    fine = [max(1.0, _spacing(scale / rate)) / rate for rate in rates]
    return np.array(
        [near if coarse * rate < _FEW_FRAMES else coarse for near, rate in zip(fine, rates, strict=True)]
    )


def result_tiles(project: Project, rails: Rails) -> Tiles:
    """Tiles of the visible part of the result rail; a tile keeps to one shot."""
    view = rails.result_view
    low, high = view.start, min(view.start + view.length, float(project.result_length))
    spacing = _spacing(rails.result_scale)
    grid = np.arange(floor(low / spacing), ceil(high / spacing) + 1) * spacing
    cuts = project.shot_rows.begins
    # np.unique would do as well as sort, but loads a part of NumPy that holds the window up at first use.
    bounds = np.sort(np.clip(np.concatenate((grid, cuts)), low, high))
    bounds = _apart(bounds, _LEAST_TILE / rails.result_scale)
    played = played_at(project, (bounds[:-1] + bounds[1:]) / 2)
    places = rails.result_xs(bounds)
    files = project.shot_rows.footage[played.shots]
    scales = _scales(project)[files]
    tolerances = spacing / 2 * played.speeds / scales
    return Tiles(_courses(project), files, played.recorded / scales, tolerances, places[:-1], places[1:])


def _courses(project: Project) -> list[Hashable]:
    return [footage.course for footage in project.footage]


def _scales(project: Project) -> Seconds:
    """Recorded seconds per stored second, for each footage."""
    return np.array([float(footage.scale) for footage in project.footage])


def _apart(bounds: Seconds, least: float) -> Seconds:
    """Ascending bounds without those that follow another one too closely; the last one stays."""
    first, *inner, last = bounds.tolist()
    kept = [first]
    for bound in inner:
        if bound - kept[-1] >= least and bound < last:
            kept.append(bound)
    return np.array([*kept, last])


def coarse_first(rows: Numbers) -> list[int]:
    """The rows in an order in which every first part is spread over all of them."""
    bits = len(rows).bit_length()
    # Places on a scale that is a power of two long, with their bits in reverse.
    scaled = [(place << bits) // len(rows) for place in range(len(rows))]
    ranks = [int(format(place, f"0{bits}b")[::-1], 2) for place in scaled]
    return [int(rows[place]) for place in sorted(range(len(rows)), key=ranks.__getitem__)]


def _spacing(scale: float) -> float:
    """The power of two that is just wide enough, for so many pixels per unit."""
    return float(2.0 ** ceil(np.log2(TILE / scale)))
