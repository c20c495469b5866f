"""Footage: what a recording, or a run of photos, is."""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

from chronoxis.core.footage.kinds import open_source
from chronoxis.core.footage.source import Source


@dataclass(frozen=True, eq=False)
class Footage:
    """Opened footage, its frames counted.

    Attributes:
        path: the recording, or one of the photos or their folder.
        length: seconds.
        rate: frames per second, exact; the average where it varies.
        frame_count: how many frames, or photos.
        size: width and height, upright, in pixels.
        has_sound: whether anything can be heard.
        source: how the rest of the program knows it; not part of what stays.
    """

    path: Path
    length: Fraction
    rate: Fraction
    frame_count: int
    size: tuple[int, int]
    has_sound: bool
    source: Source

    def as_json(self) -> dict[str, Any]:
        """All that is known of it, as ``chronoxis facts --json`` says."""
        return self.source.facts.as_json()


def open_footage(path: str | Path) -> Footage:
    """Open a recording, a folder of photos, or one photo of a numbered run.

    Raises:
        FootageError: it cannot be opened or counted; the message names the file and what to do.
    """
    source = open_source(Path(path))
    facts = source.facts
    return Footage(
        Path(path),
        facts.length,
        facts.rate,
        facts.frame_count,
        facts.picture.size,
        facts.sound is not None,
        source,
    )
