"""Files of presets: documented JSON, checked on reading."""

import json
from base64 import b64decode, b64encode
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

from chronoxis.core.errors import PlanError, ProjectFileError
from chronoxis.core.files.atomic import write_whole
from chronoxis.core.files.described_json import check, read_whole, values_of, version_of
from chronoxis.core.files.entry_places import MisplacedError, each_from, one_from
from chronoxis.core.files.frame_entries import (
    even_out_from,
    even_out_json,
    making_from,
    making_json,
    steady_from,
    steady_json,
)
from chronoxis.core.files.join_entries import accent_from, accents_json
from chronoxis.core.files.pace_entries import pace_from, pace_json, ramp_from, ramp_json
from chronoxis.core.files.settings_entries import settings_from, settings_json
from chronoxis.core.files.sound_entries import mix_from, mix_json, passage_sound_from, passage_sound_json
from chronoxis.core.model.preset import Preset
from chronoxis.core.timing.frame_making import PassersBy

VERSION = 1
SCHEMA = f"preset-{VERSION}.schema.json"
MOST_BYTES = 1024 * 1024
"""Of a file: a picture and some hundred numbers are far less."""
_FORMAT = "chronoxis preset"

_WRITTEN: dict[str, Callable[[Any], Any]] = {
    "pace": pace_json,
    "ramp": ramp_json,
    "frames": making_json,
    "even_out": even_out_json,
    "passers_by": str,
    "steady": steady_json,
    "backwards": bool,
    "sound": passage_sound_json,
    "accents": accents_json,
    "mix": mix_json,
    "rate": str,
    "export": settings_json,
}
_READ: dict[str, Callable[[Any], Any]] = {
    "pace": pace_from,
    "ramp": ramp_from,
    "frames": making_from,
    "even_out": even_out_from,
    "passers_by": PassersBy,
    "steady": steady_from,
    "backwards": bool,
    "sound": passage_sound_from,
    "mix": mix_from,
    "rate": Fraction,
    "export": settings_from,
}


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
    return _preset(values_of(read_whole(path), path, _FORMAT))


def preset_json(preset: Preset) -> dict[str, Any]:
    """A preset as JSON values; parts that it leaves out are not in them."""
    picture = {"picture": b64encode(preset.picture).decode()} if preset.picture else {}
    parts = {part: _WRITTEN[part](getattr(preset, part)) for part in preset.parts}
    return {
        "format": _FORMAT,
        "version": VERSION,
        "name": preset.name,
        "about": preset.about,
        **parts,
        **picture,
    }


def preset_from(data: Any, path: Path) -> Preset:
    """The preset of JSON values that were read from ``path``. Raises as `load_preset`."""
    version_of(data, path, _FORMAT, VERSION, "preset", "Take the newer program for it.")
    check(data, SCHEMA, path)
    try:
        return _preset(data)
    except MisplacedError as error:
        raise ProjectFileError(f"{path.name} is damaged: {error.place}: {error}") from error
    except PlanError as error:
        raise ProjectFileError(f"{path.name} is damaged: {error}") from error


def _preset(data: dict[str, Any]) -> Preset:
    parts = {name: one_from(data, name, read) for name, read in _READ.items() if name in data}
    if "accents" in data:
        parts["accents"] = each_from(data, "accents", accent_from)
    return Preset(data["name"], data["about"], _picture(data.get("picture", "")), **parts)


def _picture(text: str) -> bytes:
    try:
        return b64decode(text, validate=True)
    except ValueError as error:
        raise MisplacedError("picture", "is no picture.") from error
