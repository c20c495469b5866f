"""What is known of the sound of all footage: its levels, and the beats of music."""

from collections.abc import Hashable

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.service import MeasuringService
from chronoxis.app.measuring.traces_of_kind import TracesOfKind
from chronoxis.core.model.beats import Beats, ResultBeats, all_beats, chosen_beats
from chronoxis.core.model.music import Music
from chronoxis.core.model.project import Project
from chronoxis.core.traces.sound_trace import NOTHING, SoundTrace
from chronoxis.core.traces.trace_kinds import SOUND

_BEYOND_LENGTHS = 4  # times the result's length up to which acts may need beats


class SoundTraces(TracesOfKind):
    """Has the sound of all the document's footage measured."""

    def __init__(self, document: Document, service: MeasuringService) -> None:
        super().__init__(document, service, SOUND)
        self._beats: tuple[Project, ResultBeats] | None = None
        self.changed.connect(self._forget_beats)  # before anybody else hears of it

    def trace(self, origin: Hashable) -> SoundTrace:
        """What is known of the sound of footage."""
        return self._service.trace(SOUND, origin) or NOTHING

    @property
    def beats(self) -> ResultBeats:
        """The beats of the result."""
        project = self._document.project
        if self._beats is None or self._beats[0] is not project:
            self._beats = project, all_beats(project, self._found())
        return self._beats[1]

    def beats_beyond(self) -> ResultBeats:
        """The same as far beyond its end as an edit may need them."""
        project = self._document.project
        return all_beats(project, self._found(), project.result_length * _BEYOND_LENGTHS)

    def beats_of(self, music: Music) -> Beats:
        """The beats of music as a person wants them."""
        return chosen_beats(self.trace(music.origin).beats, music.beats)

    def _found(self) -> dict[str, Beats]:
        return {f.key: self.trace(f.origin).beats for f in self._document.project.footage}

    def _forget_beats(self) -> None:
        self._beats = None
