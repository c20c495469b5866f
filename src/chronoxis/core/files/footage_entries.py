"""Footage as it stands in project files: an entry for each kind."""

import os
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

from chronoxis.core.files.entries import Entry, part, parts, read, written
from chronoxis.core.model.accent import Accent
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.music import BeatChoices, Credit, Music
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.photo_run import FlawKind, Handling, PhotoFiles, PhotoRun, PhotoTime
from chronoxis.core.model.project import Shot, with_runs
from chronoxis.core.model.recording import Recording
from chronoxis.core.timing.judged import Judged

RECORDING = "recording"


class _Entry(NamedTuple):
    """How one kind is written and read; what all kinds share is written beside it."""

    footage_class: type[Footage]
    written: Callable[[Any, Path], Entry]
    read: Callable[[Entry, Path, Entry], Footage]


def footage_json(footage: Footage, folder: Path) -> Entry:
    """Footage as JSON values; paths relative to a folder."""
    kind, entry = next((k, e) for k, e in _ENTRIES.items() if isinstance(footage, e.footage_class))
    return {
        "kind": kind,
        "key": footage.key,
        "rate": written(footage.stored_rate),
        "length": written(footage.stored_length),
        "counted": footage.counted,
        **entry.written(footage, folder),
        "markers": written(footage.markers),
        **({"judged": written(footage.judged)} if footage.judged else {}),
    }


def footage_from(item: Entry, folder: Path) -> Footage:
    """Footage of JSON values that were checked against the schema. Raises MisplacedError."""
    shared = {
        "key": item["key"],
        "stored_rate": Fraction(item["rate"]),
        "stored_length": Fraction(item["length"]),
        "counted": item.get("counted", False),
        "markers": parts(item, "markers", Marker),
        "judged": parts(item, "judged", Judged),
    }
    return _ENTRIES[item["kind"]].read(item, folder, shared)


def _written_path(name: str, path: Path, folder: Path) -> Entry:
    """Where something lies, from a folder, under a name; and where it lay when that was saved."""
    return {name: os.path.relpath(path, folder.absolute()), "absolute": str(path)}


def _written_recording(footage: Recording, folder: Path) -> Entry:
    return {**_written_path("path", footage.path, folder), "capture_rate": written(footage.capture_rate)}


def _is_there(path: Path) -> bool:
    try:
        return path.exists()
    except (OSError, ValueError):
        return False  # a name that no file can have


def _place(folder: Path, relative: str, absolute: str | None) -> Path:
    """Where something lies: beside the project file, else where it lay when that was saved."""
    path = Path(os.path.normpath(folder.absolute() / relative))
    return Path(absolute) if absolute and not _is_there(path) and _is_there(Path(absolute)) else path


def _read_recording(item: Entry, folder: Path, shared: Entry) -> Recording:
    path = _place(folder, item["path"], item.get("absolute"))
    capture = item.get("capture_rate")
    return Recording(path=path, capture_rate=Fraction(capture) if capture else None, **shared)


def _written_photos(footage: PhotoRun, folder: Path) -> Entry:
    return {
        **_written_path("folder", footage.photos.folder, folder),
        "photos": list(footage.photos.names),
        "time": written(footage.time),
        "handling": [{"flaw": str(kind), "do": str(handling)} for kind, handling in footage.handling]
        + [{"flaw": str(kind), "photo": name, "do": str(handling)} for kind, name, handling in footage.apart],
    }


def _read_photos(item: Entry, folder: Path, shared: Entry) -> PhotoRun:
    wishes = [(FlawKind(w["flaw"]), w.get("photo"), Handling(w["do"])) for w in item["handling"]]
    return PhotoRun(
        photos=PhotoFiles(_place(folder, item["folder"], item.get("absolute")), tuple(item["photos"])),
        time=read(item["time"], PhotoTime),
        handling=tuple((kind, handling) for kind, name, handling in wishes if name is None),
        apart=tuple((kind, name, handling) for kind, name, handling in wishes if name is not None),
        **shared,
    )


def _written_music(footage: Music, folder: Path) -> Entry:
    return {
        **_written_path("path", footage.path, folder),
        "credit": written(footage.credit),
        "beats": written(footage.beats),
    }


def _read_music(item: Entry, folder: Path, shared: Entry) -> Music:
    return Music(
        path=_place(folder, item["path"], item.get("absolute")),
        credit=part(item, "credit", Credit),
        beats=part(item, "beats", BeatChoices),
        **shared,
    )


def _written_nested(footage: Nested, _folder: Path) -> Entry:
    return {
        "title": footage.title,
        "shots": written(footage.shots),
        "accents": written(footage.accents),
    }


def _read_nested(item: Entry, _folder: Path, shared: Entry) -> Nested:
    shots, accents = parts(item, "shots", Shot), parts(item, "accents", Accent)
    return Nested(title=item["title"], shots=with_runs(shots), accents=accents, **shared)


_ENTRIES = {
    RECORDING: _Entry(Recording, _written_recording, _read_recording),
    "photo-run": _Entry(PhotoRun, _written_photos, _read_photos),
    "music": _Entry(Music, _written_music, _read_music),
    "nested": _Entry(Nested, _written_nested, _read_nested),
}
