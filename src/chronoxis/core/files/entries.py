"""Entries of files are written and read here, once it is told what differs in those of each kind of value."""

from chronoxis.core.files import (
    frame_entries,
    join_entries,
    pace_entries,
    settings_entries,
    shot_entries,
    sound_entries,
)
from chronoxis.core.files.converter import (
    Entry,
    MisplacedError,
    at_place,
    each_of,
    entries_of,
    part,
    parts,
    read,
    spelled,
    written,
)

__all__ = [
    "Entry",
    "MisplacedError",
    "at_place",
    "each_of",
    "entries_of",
    "frame_entries",
    "join_entries",
    "pace_entries",
    "part",
    "parts",
    "read",
    "settings_entries",
    "shot_entries",
    "sound_entries",
    "spelled",
    "written",
]
