"""The lulls of the selected shots, as they are found now and were corrected by hand."""

from fractions import Fraction
from typing import Any, NamedTuple

from PySide6.QtCore import QObject, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.picture_traces import PictureTraces
from chronoxis.app.measuring.sound_traces import SoundTraces
from chronoxis.core.model import lull_acts, lull_marks
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.playing import played_at
from chronoxis.core.model.project import Project
from chronoxis.core.timing.judged import Span, refused
from chronoxis.core.timing.lulls import Course, Lull, LullsBy
from chronoxis.core.traces.lull_courses import change_course, level_course, picture_course, speech_course
from chronoxis.core.traces.trace_kinds import PICTURES, SOUND

_FINE = 10**6  # parts of a second that a time by hand is kept in


class Known(NamedTuple):
    """What is known of footage that tells lulls; of what is not all measured yet, nothing.

    Attributes:
        speech: how probable speech is; None if there is no sound, or not all of it was heard.
        change: how much of the picture changes, likewise.
        level: how loud it is, likewise.
        motion: how much moves, likewise.
        has_sound: whether there is any.
        has_pictures: whether any can be measured.
    """

    speech: Course | None = None
    change: Course | None = None
    level: Course | None = None
    motion: Course | None = None
    has_sound: bool = True
    has_pictures: bool = True

    def waits(self, by: LullsBy) -> bool:
        """Whether something that tells such lulls is not measured yet."""
        speech = self.has_sound and self.speech is None
        change = self.has_pictures and self.change is None
        match by:
            case LullsBy.SPEECH:
                return speech if self.has_sound else change
            case LullsBy.CHANGE:
                return change if self.has_pictures else speech
        return speech or change


class ShotLull(NamedTuple):
    """A lull, and the number of the shot that it is in."""

    shot: int
    lull: Lull


class FoundLulls(QObject):
    """Finds lulls, while somebody wants to see them.

    Attributes:
        is_wanted: whether they are to be seen.

    Signals:
        changed: there may be others, or they are to be seen, or no longer.
    """

    changed = Signal()

    def __init__(self, document: Document, sounds: SoundTraces, traces: PictureTraces) -> None:
        super().__init__()
        self._document, self._sounds, self._traces = document, sounds, traces
        self.is_wanted = False
        self._courses: dict[tuple[str, Fraction], tuple[tuple[Any, ...], Known]] = {}
        self._found: tuple[Project, tuple[int, ...], list[ShotLull]] | None = None
        for signal in (sounds.changed, traces.changed):
            signal.connect(self._forget)
        document.footage_changed.connect(self._forget)
        document.changed.connect(self.changed)
        document.selection.changed.connect(self.changed)

    def want(self, on: bool) -> None:
        """Show them, or no longer."""
        if on != self.is_wanted:
            self.is_wanted = on
            self.changed.emit()

    def known(self, footage: Footage) -> Known:
        """What is known of footage that tells lulls."""
        sound, pictures = self._sounds.trace(footage.origin), self._traces.trace(footage.origin)
        source = self._document.known.opened(footage)
        of = source, sound, pictures
        kept = self._courses.get((footage.key, footage.scale))
        if kept is not None and all(now is before for now, before in zip(of, kept[0], strict=True)):
            return kept[1]
        if source is None:
            return Known()
        has_sound, has_pictures = SOUND.fits(source), PICTURES.fits(source)
        heard = sound if has_sound and sound.is_whole else None
        seen = pictures if pictures is not None and pictures.is_whole else None
        known = Known(
            speech_course(footage, heard),
            change_course(footage, source, seen),
            level_course(footage, heard),
            None if seen is None else picture_course(footage, source, seen.motion),
            has_sound,
            has_pictures,
        )
        self._courses[footage.key, footage.scale] = of, known
        return known

    @property
    def waits(self) -> bool:
        """Whether something that tells the lulls of the selected shots is not measured yet."""
        project = self._document.project
        shots = (project.shots[number] for number in self._document.selection.shots)
        return any(self.known(project.footage_of(shot)).waits(project.lulls.by) for shot in shots)

    def all(self) -> list[ShotLull]:
        """The lulls of the selected shots of which something can be made, in the result's order of shots."""
        project, shots = self._document.project, tuple(self._document.selection.shots)
        if self._found is None or self._found[0] is not project or self._found[1] != shots:
            found = [ShotLull(number, lull) for number in shots for lull in self._of_shot(project, number)]
            self._found = project, shots, found
        return self._found[2]

    def by_shot(self) -> dict[int, list[Lull]]:
        """The same, by the number of the shot."""
        found: dict[int, list[Lull]] = {}
        for number, lull in self.all():
            found.setdefault(number, []).append(lull)
        return found

    def refused(self) -> list[ShotLull]:
        """Stretches of the selected shots that a person said are no lull."""
        project = self._document.project
        return [
            ShotLull(number, lull)
            for number in self._document.selection.shots
            for lull in refused(project.footage_of(project.shots[number]).judged)
        ]

    def takes(self, number: int) -> bool:
        """Whether a shot is selected."""
        return number in self._document.selection.shots

    def here(self) -> tuple[int, float] | None:
        """The shot at the playhead, if it is selected, and the recorded second there."""
        project = self._document.project
        if not project.shots:
            return None
        played = played_at(project, [float(self._document.playhead)])
        number = int(played.shots[0])
        return (number, float(played.recorded[0])) if number in self._document.selection.shots else None

    def at_playhead(self) -> ShotLull | None:
        """The lull in which the playhead is, or None."""
        here = self.here()
        if here is None:
            return None
        number, second = here
        return next(
            (each for each in self.all() if each.shot == number and _holds(each.lull, second)),
            None,
        )

    def _of_shot(self, project: Project, number: int) -> list[Lull]:
        known = self.known(project.footage_of(project.shots[number]))
        if known.waits(project.lulls.by):
            return []
        found = lull_marks.lulls_of_shot(project, number, known.speech, known.change)
        return lull_acts.free_lulls(project, number, found)

    def _forget(self) -> None:
        self._found = None
        self.changed.emit()


def _holds(lull: Lull, second: float) -> bool:
    return lull.begin <= second < lull.end


def exact(lull: Lull) -> Span:
    """A lull between exact recorded seconds."""
    begin, end = (Fraction(round(second * _FINE), _FINE) for second in lull)
    return begin, end
