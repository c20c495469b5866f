"""What a Check is, and what Checks are told by."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from chronoxis.core.checks.glances import ShotGlance
from chronoxis.core.model.limits import Limits
from chronoxis.core.model.project import Project
from chronoxis.core.render.camera_at_joins import JoinCamera
from chronoxis.core.traces.picture_trace import PictureTrace
from chronoxis.core.traces.sound_trace import SoundTrace

Edit = Callable[[Project], Project]


@dataclass(frozen=True, eq=False)
class Check:
    """One finding: something that will look or sound wrong.

    Attributes:
        kind: of finding, by which it is put aside.
        words: what will be wrong, where and why; and what to do, where no press does it.
        at: result seconds where it shows.
        of: what of the project it is about, by which findings of a kind are told apart; all of it, if empty.
        mend: what the press says; nothing, if there is no such press.
        edit: what it does.
    """

    kind: str
    words: str
    at: float
    of: str = ""
    mend: str = ""
    edit: Edit | None = None

    @property
    def key(self) -> str:
        """By which a project remembers that it was put aside."""
        return f"{self.kind} {self.of}".strip()


@dataclass(frozen=True)
class Known:
    """What Checks read beside a plan; of what is not known, nothing is said.

    Attributes:
        pictures: what was measured of pictures, by key of their footage.
        sounds: likewise of sound.
        cameras: what the camera does at joins, by their numbers.
        glances: what was seen of shots, by their numbers.
        altered: keys of footage whose file is not what it was.
        loudness: LUFS of the whole result; None while nobody listened to all of it.
        limits: what the place takes that the result goes to; None where it goes anywhere.
        expected: bytes that an export is expected to have.
        free: bytes that are left where it would be written.
    """

    pictures: Mapping[str, PictureTrace] = field(default_factory=dict)
    sounds: Mapping[str, SoundTrace] = field(default_factory=dict)
    cameras: Mapping[int, JoinCamera] = field(default_factory=dict)
    glances: Mapping[int, ShotGlance] = field(default_factory=dict)
    altered: frozenset[str] = frozenset()
    loudness: float | None = None
    limits: Limits | None = None
    expected: int | None = None
    free: int | None = None


def mark(project: Project, number: int, passage: int | None = None) -> str:
    """By what a shot, or a passage of it, is told from others wherever it goes in the result."""
    shot = project.shots[number]
    told = f"{shot.footage} {float(shot.in_point):.3f}"
    return told if passage is None else f"{told} {passage + 1}"
