"""A recording: footage that is one video file."""

from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.errors import PlanError
from chronoxis.core.model.arranging import retime
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Project
from chronoxis.core.timing.rates import MAX_RATE


@dataclass(frozen=True, kw_only=True)
class Recording(Footage):
    """A video file.

    Attributes:
        path: where it lies.
        capture_rate: frames per second as they were shot, where that differs from the stored rate.
    """

    path: Path
    capture_rate: Fraction | None = None

    @property
    def origin(self) -> Path:
        """The path of its file."""
        return self.path

    @property
    def files(self) -> tuple[Path, ...]:
        """The one file that it is read from."""
        return (self.path,)

    @property
    def name(self) -> str:
        """Its file's name in words."""
        return self.path.stem.replace("-", " ").replace("_", " ")

    def moved(self, place: Path) -> "Recording":
        """The same recording as another file."""
        return replace(self, path=place)

    @property
    def scale(self) -> Fraction:
        """Recorded seconds, which are real time if a capture rate is given, per second of the file."""
        return self.stored_rate / self.capture_rate if self.capture_rate else Fraction(1)


def set_capture_rate(project: Project, key: str, rate: Fraction | None) -> Project:
    """Say how many frames a second were shot, so that `1×` means real time; None for as stored.

    Shots keep their frames and their speeds.

    Raises:
        PlanError: the rate is out of range, or the footage is not a recording.
    """
    if rate is not None and not 0 < rate <= MAX_RATE:
        raise PlanError(f"A capture rate lies above 0 and up to {MAX_RATE} fps.")
    old = project.footage_named(key)
    if not isinstance(old, Recording):
        raise PlanError(f"{old.label} is not a recording; only recordings have a capture rate.")
    new = replace(old, capture_rate=None if rate == old.stored_rate else rate)
    scale = new.scale / old.scale
    return retime(project, new, lambda at: at * scale, faster=Fraction(1))
