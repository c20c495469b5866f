"""Which small pictures the rails show where."""

from dataclasses import dataclass, replace
from math import ceil, floor
from pathlib import Path

import numpy as np

from chronoxis.app.weave.filmstrips import Tile
from chronoxis.app.weave.rails import Rails
from chronoxis.core.model.playing import played_at
from chronoxis.core.model.project import Project

TILE = 44.0
"""Pixels between tiles at least."""

_FEW_FRAMES = 32  # of a tile: with fewer, tiles end where frames do
_LEAST = 10.0  # pixels that a tile cut short by its shot has at least; of smaller shots, only some show


@dataclass(frozen=True)
class PlacedTile:
    """A tile and the part of its row that it covers."""

    tile: Tile
    left: float
    right: float


def recorded_tiles(project: Project, rails: Rails) -> list[PlacedTile]:
    """Tiles of the visible part of the recorded rail.

    They keep to a grid in recorded time, so that scrolling and zooming reuse them: of powers of two
    seconds, or of frames where a tile stands for a few.
    """
    coarse = _spacing(rails.recorded_scale)
    rates = {footage.key: float(footage.rate) for footage in project.footage}
    files = _files(project)
    placed: list[PlacedTile] = []
    room = -1e9
    for number, begin in zip(*rails.stretches_begin(), strict=True):
        if begin < room:
            continue
        low, high = rails.visible_part(number)
        left, right = rails.recorded_x(number, low), rails.recorded_x(number, high)
        if high <= low:
            continue
        stretch, key = rails.stretches[number], project.shots[number].footage
        spacing = coarse
        if coarse * rates[key] < _FEW_FRAMES:
            spacing = max(1.0, _spacing(rails.recorded_scale / rates[key])) / rates[key]
        for cell in range(floor(low / spacing), ceil(high / spacing)):
            first, last = max(cell * spacing, low), min((cell + 1) * spacing, high)
            middle = min(max((cell + 0.5) * spacing, stretch.first), stretch.last)
            path, scale = files[key]
            tile = Tile(path, middle / scale, spacing / 2 / scale)
            placed.append(PlacedTile(tile, rails.recorded_x(number, first), rails.recorded_x(number, last)))
        if right - left < _LEAST:
            placed[-1] = replace(placed[-1], right=left + _LEAST)
        room = placed[-1].left + _LEAST
    return placed


def result_tiles(project: Project, rails: Rails) -> list[PlacedTile]:
    """Tiles of the visible part of the result rail; a tile keeps to one shot."""
    view = rails.result_view
    low, high = view.start, min(view.start + view.length, float(project.result_length))
    spacing = _spacing(rails.result_scale)
    grid = np.arange(floor(low / spacing), ceil(high / spacing) + 1) * spacing
    cuts = project.shot_rows.begins
    bounds = np.unique(np.clip(np.concatenate((grid, cuts)), low, high))
    bounds = _apart(bounds, _LEAST / rails.result_scale)
    if len(bounds) < 2:
        return []
    played = played_at(project, (bounds[:-1] + bounds[1:]) / 2)
    places = rails.result_xs(bounds).tolist()
    files = _files(project)
    columns = (played.shots, played.recorded, spacing / 2 * played.speeds)
    placed = []
    for number, (shot, recorded, around) in enumerate(zip(*(c.tolist() for c in columns), strict=True)):
        path, scale = files[project.shots[shot].footage]
        tile = Tile(path, recorded / scale, around / scale)
        placed.append(PlacedTile(tile, places[number], places[number + 1]))
    return placed


def _files(project: Project) -> dict[str, tuple[Path, float]]:
    """By footage key: the file, and recorded seconds per second of it."""
    return {footage.key: (footage.path, float(footage.scale)) for footage in project.footage}


def _apart(bounds: np.ndarray, least: float) -> np.ndarray:
    """The bounds without those that follow another one too closely; the last one stays."""
    kept = [bounds[0]]
    for bound in bounds[1:-1].tolist():
        if bound - kept[-1] >= least:
            kept.append(bound)
    return np.array([*kept, bounds[-1]]) if len(bounds) > 1 else bounds


def coarse_first(tiles: list[PlacedTile]) -> list[Tile]:
    """The tiles in an order in which every first part is spread over all of them."""
    if not tiles:
        return []
    bits = len(tiles).bit_length()
    ranks = [int(format(number, f"0{bits}b")[::-1], 2) for number in range(len(tiles))]
    return [tiles[number].tile for number in sorted(range(len(tiles)), key=ranks.__getitem__)]


def _spacing(scale: float) -> float:
    """The power of two that is just wide enough, for so many pixels per unit."""
    return float(2.0 ** ceil(np.log2(TILE / scale)))
