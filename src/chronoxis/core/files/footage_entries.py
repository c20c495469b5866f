"""Footage as it stands in project files: an entry for each kind."""

import os
from collections.abc import Callable
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

from chronoxis.core.files.entry_places import each_from
from chronoxis.core.files.join_entries import accent_from, accents_json
from chronoxis.core.files.shot_entries import shot_from, shot_json
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.music import BeatChoices, Credit, Music
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.photo_run import Clock, FlawKind, Handling, PhotoFiles, PhotoRun, PhotoTime
from chronoxis.core.model.project import with_runs
from chronoxis.core.model.recording import Recording
from chronoxis.core.timing.judged import Judged

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
        **({"judged": [_judged_json(each) for each in footage.judged]} if footage.judged else {}),
    }


def footage_from(item: dict[str, Any], folder: Path) -> Footage:
    """Footage of JSON values that were checked against the schema."""
    shared = {
        "key": item["key"],
        "stored_rate": Fraction(item["rate"]),
        "stored_length": Fraction(item["length"]),
        "counted": item.get("counted", False),
        "markers": markers_from(item.get("markers", [])),
        "judged": tuple(_judged_from(each) for each in item.get("judged", [])),
    }
    return _ENTRIES[item["kind"]].read(item, folder, shared)


def markers_json(markers: tuple[Marker, ...]) -> list[dict[str, str]]:
    """Markers as JSON values."""
    return [{"at": str(marker.at), "name": marker.name} for marker in markers]


def markers_from(items: list[dict[str, str]]) -> tuple[Marker, ...]:
    """Markers of JSON values."""
    return tuple(Marker(Fraction(item["at"]), item["name"]) for item in items)


def _judged_json(judged: Judged) -> dict[str, Any]:
    lulls = [[str(begin), str(end)] for begin, end in judged.lulls]
    return {"begin": str(judged.begin), "end": str(judged.end), "lulls": lulls}


def _judged_from(item: dict[str, Any]) -> Judged:
    lulls = tuple((Fraction(begin), Fraction(end)) for begin, end in item["lulls"])
    return Judged(Fraction(item["begin"]), Fraction(item["end"]), lulls)


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


def _place(folder: Path, relative: str, absolute: str | None) -> Path:
    """Where something lies: beside the project file, else where it lay when that was saved."""
    path = Path(os.path.normpath(folder.absolute() / relative))
    return Path(absolute) if absolute and not _is_there(path) and _is_there(Path(absolute)) else path


def _read_recording(item: dict[str, Any], folder: Path, shared: dict[str, Any]) -> Recording:
    path = _place(folder, item["path"], item.get("absolute"))
    capture = item.get("capture_rate")
    return Recording(path=path, capture_rate=Fraction(capture) if capture else None, **shared)


def _written_photos(footage: PhotoRun, folder: Path) -> dict[str, Any]:
    return {
        "folder": os.path.relpath(footage.photos.folder, folder.absolute()),
        "absolute": str(footage.photos.folder),
        "photos": list(footage.photos.names),
        "time": {"clock": str(footage.time.clock), "value": str(footage.time.value)},
        "handling": [{"flaw": str(kind), "do": str(handling)} for kind, handling in footage.handling]
        + [{"flaw": str(kind), "photo": name, "do": str(handling)} for kind, name, handling in footage.apart],
    }


def _read_photos(item: dict[str, Any], folder: Path, shared: dict[str, Any]) -> PhotoRun:
    wishes = [(FlawKind(w["flaw"]), w.get("photo"), Handling(w["do"])) for w in item["handling"]]
    return PhotoRun(
        photos=PhotoFiles(_place(folder, item["folder"], item.get("absolute")), tuple(item["photos"])),
        time=PhotoTime(Clock(item["time"]["clock"]), Fraction(item["time"]["value"])),
        handling=tuple((kind, handling) for kind, name, handling in wishes if name is None),
        apart=tuple((kind, name, handling) for kind, name, handling in wishes if name is not None),
        **shared,
    )


def _written_music(footage: Music, folder: Path) -> dict[str, Any]:
    credit, beats = footage.credit, footage.beats
    return {
        "path": os.path.relpath(footage.path, folder.absolute()),
        "absolute": str(footage.path),
        "credit": asdict(credit),
        "beats": {
            "factor": str(beats.factor),
            "shift": str(beats.shift),
            "first": beats.first,
            "taps": [str(tap) for tap in beats.taps],
            "moved": [[str(found), str(to)] for found, to in beats.moved],
        },
    }


def _read_music(item: dict[str, Any], folder: Path, shared: dict[str, Any]) -> Music:
    beats = item.get("beats", {})
    return Music(
        path=_place(folder, item["path"], item.get("absolute")),
        credit=Credit(**item.get("credit", {})),
        beats=BeatChoices(
            Fraction(beats.get("factor", 1)),
            Fraction(beats.get("shift", 0)),
            beats.get("first", 0),
            tuple(Fraction(tap) for tap in beats.get("taps", [])),
            tuple((Fraction(found), Fraction(to)) for found, to in beats.get("moved", [])),
        ),
        **shared,
    )


def _written_nested(footage: Nested, _folder: Path) -> dict[str, Any]:
    return {
        "title": footage.title,
        "shots": [shot_json(shot) for shot in footage.shots],
        "accents": accents_json(footage.accents),
    }


def _read_nested(item: dict[str, Any], _folder: Path, shared: dict[str, Any]) -> Nested:
    shots, accents = each_from(item, "shots", shot_from), each_from(item, "accents", accent_from)
    return Nested(title=item["title"], shots=with_runs(shots), accents=accents, **shared)


_ENTRIES = {
    RECORDING: _Entry(Recording, _written_recording, _read_recording),
    "photo-run": _Entry(PhotoRun, _written_photos, _read_photos),
    "music": _Entry(Music, _written_music, _read_music),
    "nested": _Entry(Nested, _written_nested, _read_nested),
}
