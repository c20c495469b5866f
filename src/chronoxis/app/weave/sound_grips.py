"""What on the sound lane can be grasped, and what dragging it does."""

from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np
from PySide6.QtCore import QPointF

from chronoxis.app.weave.grips import Edit
from chronoxis.app.weave.rails import GRIP, Rails
from chronoxis.core.model import sounding
from chronoxis.core.model.beats import turns, with_moved
from chronoxis.core.model.music import BeatChoices, Music
from chronoxis.core.model.project import Project
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.timecode import format_time

_PARTS_OF_SECOND = 10**6  # parts of a second that times are kept in


@dataclass(frozen=True)
class HeldSound:
    """Music that is grasped, or one of its beats.

    Attributes:
        music: its number.
        beat: result second of the beat; None for the music itself.
    """

    music: int
    beat: float | None = None

    @property
    def label(self) -> str:
        """The label of its step of undo."""
        return "Move music" if self.beat is None else "Move beat"


def sound_grip_at(project: Project, rails: Rails, at: QPointF, beats: Seconds) -> HeldSound | None:
    """The music that plays under a point; where beats stand, the beat there.

    ``beats`` are those of the result, in seconds.
    """
    if not rails.sound.contains(at):
        return None
    seconds = float(rails.result_time(at.x()))
    plays = [number for number in range(len(project.music)) if _plays(project, number, seconds)]
    if not plays:
        return None
    number = max(plays, key=lambda n: project.music[n].at)
    if not rails.beats.contains(at):
        return HeldSound(number)
    nearest = float(beats[np.abs(beats - seconds).argmin()]) if len(beats) else np.inf
    return HeldSound(number, nearest) if abs(rails.result_x(nearest) - at.x()) <= GRIP else None


def _plays(project: Project, number: int, seconds: float) -> bool:
    return any(begin <= seconds < end for begin, end, _ in _turns(project, number))


def _turns(project: Project, number: int) -> list[tuple[float, float, float]]:
    piece = project.music[number]
    return turns(piece, project.footage_named(piece.footage).stored_length, project.result_length)


@dataclass(frozen=True)
class SoundDrag:
    """A drag on the sound lane.

    Attributes:
        held: what is dragged.
        project: the value at its beginning.
        rails: the geometry at its beginning.
        playhead: result seconds.
        grasped: where the pointer began.
        beats: result seconds of the beats at its beginning.
    """

    held: HeldSound
    project: Project
    rails: Rails
    playhead: float
    grasped: QPointF
    beats: Seconds

    @property
    def label(self) -> str:
        """The label of its step of undo."""
        return self.held.label

    def edit(self, at: QPointF, *, exact: bool) -> Edit:
        """The edit that the drag amounts to; ``exact`` defeats snapping."""
        if self.held.beat is not None:
            return self._beat(self.held.beat, at)
        number = self.held.music
        piece = self.project.music[number]
        by = (at.x() - self.grasped.x()) / self.rails.result_scale
        to = piece.at + Fraction(round(by * 1000), 1000)
        if not exact:
            to += Fraction(round(self._snap(float(piece.at), by) * _PARTS_OF_SECOND), _PARTS_OF_SECOND)
        length = piece.end_in(self.project.footage_named(piece.footage).stored_length) - piece.in_point
        to = min(max(to, min(1 - length, Fraction(0))), self.project.result_length)
        return lambda project: sounding.set_music(project, number, replace(project.music[number], at=to))

    def outcome(self, now: Project) -> str:
        """Old and new, for the label at the pointer."""
        if self.held.beat is not None:
            return f"beat {format_time(self.held.beat, 2)}"
        before, after = (float(project.music[self.held.music].at) for project in (self.project, now))
        return f"{_signed(before)} → {_signed(after)}"

    def _snap(self, begins: float, by: float) -> float:
        """How much further brings its beginning, or one of its beats, to what stands near."""
        edges = np.concatenate(([0.0, self.playhead], self.project.rows.ends))
        own = np.concatenate(([begins], self.beats)) + by
        places = np.clip(np.searchsorted(edges_ := np.sort(edges), own), 1, len(edges) - 1)
        gaps = np.stack([edges_[places - 1] - own, edges_[places] - own]).ravel()
        least = float(gaps[np.abs(gaps).argmin()])
        return least if abs(least) * self.rails.result_scale <= GRIP else 0.0

    def _beat(self, beat: float, at: QPointF) -> Edit:
        """Move one beat of music, which then is another in every turn of it."""
        footage = self.project.footage_named(self.project.music[self.held.music].footage)
        spans = _turns(self.project, self.held.music)
        off = next((source - begin for begin, end, source in spans if begin <= beat < end), 0.0)
        seconds = beat, max(0.0, float(self.rails.result_time(at.x())))
        was, to = (
            Fraction(round(max(0.0, second + off) * _PARTS_OF_SECOND), _PARTS_OF_SECOND) for second in seconds
        )
        choices = footage.beats if isinstance(footage, Music) else BeatChoices()
        moved = with_moved(choices, was, to)
        return lambda project: sounding.set_beats(project, footage.key, moved)


def _signed(seconds: float) -> str:
    return f"{'−' if seconds < 0 else ''}{format_time(abs(seconds), 2)}"
