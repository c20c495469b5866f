"""Footage as it stands in project files: an entry for each kind."""

import os
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

from chronoxis.core.model.footage import Footage
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.recording import Recording

RECORDING = "recording"


class _Entry(NamedTuple):
    """How one kind is written and read; what all kinds share is written beside it."""

    footage_class: type[Footage]
    written: Callable[[Any, Path], dict[str, Any]]
    read: Callable[[dict[str, Any], Path, dict[str, Any]], Footage]


def footage_json(footage: Footage, folder: Path) -> dict[str, Any]:
    """Footage as JSON values; paths relative to a folder."""
    kind, entry = next((k, e) for k, e in _ENTRIES.items() if isinstance(footage, e.footage_class))
    return {
        "kind": kind,
        "key": footage.key,
        "rate": str(footage.stored_rate),
        "length": str(footage.stored_length),
        "counted": footage.counted,
        **entry.written(footage, folder),
        "markers": markers_json(footage.markers),
    }


def footage_from(item: dict[str, Any], folder: Path) -> Footage:
    """Footage of JSON values that were checked against the schema."""
    shared = {
        "key": item["key"],
        "stored_rate": Fraction(item["rate"]),
        "stored_length": Fraction(item["length"]),
        "counted": item.get("counted", False),
        "markers": markers_from(item.get("markers", [])),
    }
    return _ENTRIES[item["kind"]].read(item, folder, shared)


def markers_json(markers: tuple[Marker, ...]) -> list[dict[str, str]]:
    """Markers as JSON values."""
    return [{"at": str(marker.at), "name": marker.name} for marker in markers]


def markers_from(items: list[dict[str, str]]) -> tuple[Marker, ...]:
    """Markers of JSON values."""
    return tuple(Marker(Fraction(item["at"]), item["name"]) for item in items)


def _written_recording(footage: Recording, folder: Path) -> dict[str, Any]:
    return {
        "path": os.path.relpath(footage.path, folder.absolute()),
        "absolute": str(footage.path),
        "capture_rate": str(footage.capture_rate) if footage.capture_rate else None,
    }


def _is_there(path: Path) -> bool:
    try:
        return path.exists()
    except (OSError, ValueError):
        return False  # a name that no file can have


def _read_recording(item: dict[str, Any], folder: Path, shared: dict[str, Any]) -> Recording:
    path = Path(os.path.normpath(folder.absolute() / item["path"]))
    absolute = item.get("absolute")
    if absolute and not _is_there(path) and _is_there(Path(absolute)):
        path = Path(absolute)
    capture = item.get("capture_rate")
    return Recording(path=path, capture_rate=Fraction(capture) if capture else None, **shared)


_ENTRIES = {RECORDING: _Entry(Recording, _written_recording, _read_recording)}
