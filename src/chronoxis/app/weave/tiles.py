"""Which small pictures the rails show where."""

from dataclasses import dataclass
from math import ceil, floor

import numpy as np
from PySide6.QtCore import QRectF

from chronoxis.app.weave.filmstrips import Tile
from chronoxis.app.weave.rails import Rails
from chronoxis.core.model.playing import played_at
from chronoxis.core.model.project import Project

_WIDTH = 62.0  # pixels that a tile has at least


@dataclass(frozen=True)
class PlacedTile:
    """A tile and the part of its row that it covers."""

    tile: Tile
    left: float
    right: float
    shot: int


def recorded_tiles(project: Project, rails: Rails, row: QRectF) -> list[PlacedTile]:
    """Tiles of the visible part of the recorded rail.

    They keep to a grid of powers of two in recorded time, so that scrolling and zooming reuse them.
    """
    spacing = _spacing(rails.recorded_scale)
    placed = []
    for number, stretch in enumerate(rails.stretches):
        footage = project.footage_of(project.shots[number])
        low = max(stretch.first, stretch.first + rails.recorded_along(row.left()) - stretch.at)
        high = min(stretch.last, stretch.first + rails.recorded_along(row.right()) - stretch.at)
        if high <= low:
            continue
        scale = float(footage.scale)
        for cell in range(floor(low / spacing), ceil(high / spacing)):
            begin, end = max(cell * spacing, low), min((cell + 1) * spacing, high)
            middle = min(max((cell + 0.5) * spacing, stretch.first), stretch.last)
            tile = Tile(footage.path, middle / scale, spacing / 2 / scale)
            placed.append(
                PlacedTile(tile, rails.recorded_x(number, begin), rails.recorded_x(number, end), number)
            )
    return placed


def result_tiles(project: Project, rails: Rails, row: QRectF) -> list[PlacedTile]:
    """Tiles of the visible part of the result rail; a tile keeps to one shot."""
    length = float(project.result_length)
    low, high = float(rails.result_time(row.left())), min(float(rails.result_time(row.right())), length)
    spacing = _spacing(rails.result_scale)
    grid = np.arange(floor(low / spacing), ceil(high / spacing) + 1) * spacing
    cuts = [float(start) for start in project.starts if low < start < high]
    bounds = np.unique(np.clip(np.concatenate((grid, cuts)), low, high))
    if len(bounds) < 2:
        return []
    middles = (bounds[:-1] + bounds[1:]) / 2
    played = played_at(project, middles)
    placed = []
    for number, middle in enumerate(middles.tolist()):
        shot = int(played.shots[number])
        footage = project.footage_of(project.shots[shot])
        scale = float(footage.scale)
        covered = spacing * float(played.speeds[number])
        tile = Tile(footage.path, float(played.recorded[number]) / scale, covered / 2 / scale)
        left, right = rails.result_x(bounds[number]), rails.result_x(bounds[number + 1])
        if right - left > 0.5 and middle <= length:
            placed.append(PlacedTile(tile, left, right, shot))
    return placed


def coarse_first(tiles: list[PlacedTile]) -> list[Tile]:
    """The tiles in an order in which every first part is spread over all of them."""
    if not tiles:
        return []
    bits = len(tiles).bit_length()
    ranks = [int(format(number, f"0{bits}b")[::-1], 2) for number in range(len(tiles))]
    return [tiles[number].tile for number in sorted(range(len(tiles)), key=ranks.__getitem__)]


def _spacing(scale: float) -> float:
    return float(2.0 ** ceil(np.log2(_WIDTH / scale)))
