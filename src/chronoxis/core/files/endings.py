"""How the names of files end."""

PROJECT = ".chronoxis"
TIMELINE = ".otio"
