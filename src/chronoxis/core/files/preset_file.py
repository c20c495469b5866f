"""Files of presets: documented JSON, checked on reading."""

import json
from base64 import b64decode, b64encode
from pathlib import Path
from typing import Any

from chronoxis.core.errors import PlanError, ProjectFileError
from chronoxis.core.files.atomic import write_whole
from chronoxis.core.files.described_json import check, read_whole, values_of, version_of
from chronoxis.core.files.entries import Entry, MisplacedError, entries_of, read, spelled, written
from chronoxis.core.model.preset import Preset

VERSION = 1
SCHEMA = f"preset-{VERSION}.schema.json"
MOST_BYTES = 1024 * 1024
"""Of a file: a picture and some hundred numbers are far less."""
_FORMAT = "chronoxis preset"


def save_preset(preset: Preset, path: Path) -> None:
    """Write a file of a preset, in place of what is there. Raises ExportError if it cannot be written."""
    text = json.dumps(preset_json(preset), indent=1, ensure_ascii=False) + "\n"
    write_whole(path, text.encode())


def load_preset(path: Path) -> Preset:
    """Read a file of a preset.

    Raises:
        ProjectFileError: it is missing, something else, damaged, or from a newer version; it says where.
    """
    content = read_whole(path)
    if len(content) > MOST_BYTES:
        raise ProjectFileError(f"{path.name} is too large for a preset.")
    return preset_from(values_of(content, path, _FORMAT), path)


def load_shipped(path: Path) -> Preset:
    """As `load_preset`, of the program's own files.

    They are not held to the schema, which takes a tenth of a second of every start: a test does that.
    """
    return read(values_of(read_whole(path), path, _FORMAT), Preset)


def preset_json(preset: Preset) -> Entry:
    """A preset as JSON values; parts that it leaves out are not in them."""
    entry: Entry = written(preset)
    return entry


def preset_from(data: Any, path: Path) -> Preset:
    """The preset of JSON values that were read from ``path``. Raises as `load_preset`."""
    version_of(data, path, _FORMAT, VERSION, "preset", "Take the newer program for it.")
    check(data, SCHEMA, path)
    try:
        return read(data, Preset)
    except MisplacedError as error:
        raise ProjectFileError(f"{path.name} is damaged: {error.with_place}") from error


def _told(preset: Preset, entry: Entry) -> Entry:
    picture = {"picture": entry.pop("picture")} if preset.picture else {}
    return {
        "format": _FORMAT,
        "version": VERSION,
        "name": preset.name,
        "about": preset.about,
        **entry,
        **picture,
    }


def _picture(text: str) -> bytes:
    try:
        return b64decode(text, validate=True)
    except ValueError as error:
        raise PlanError("is no picture.") from error


spelled(bytes, lambda picture: b64encode(picture).decode(), _picture)
entries_of(Preset, told=_told, without_usual=True)
