"""How the names of files end."""

PROJECT = ".chronoxis"
PRESET = ".chronoxis-preset"
TIMELINE = ".otio"
