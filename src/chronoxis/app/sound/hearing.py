"""What is known of the sound of all footage: listened to in the background, one after the other."""

from collections.abc import Hashable
from contextlib import suppress

from PySide6.QtCore import QObject, Signal

from chronoxis.app.background import InTurn, stand_aside
from chronoxis.app.document import Document
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.source import Source
from chronoxis.core.model.beats import Beats, ResultBeats, all_beats, chosen_beats
from chronoxis.core.model.music import Music
from chronoxis.core.model.project import Project
from chronoxis.core.traces.sound_trace import NOTHING, SoundTrace, listen
from chronoxis.core.traces.store import TraceStore

_BEYOND = 4  # times the result's length up to which acts may need beats


class Hearing(QObject):
    """Holds the sound traces of the document's footage.

    Signals:
        heard: more is known of some sound.
        failed: a message for the person.
    """

    heard = Signal()
    failed = Signal(str)
    _told = Signal(object, object)

    def __init__(self, document: Document, store: TraceStore | None = None) -> None:
        super().__init__()
        self._document = document
        self._store = store or TraceStore()
        self._traces: dict[Hashable, SoundTrace] = {}
        self._asked: dict[Hashable, Source] = {}  # what is known of one is not known of another there
        self._closed = False
        self._work = InTurn(self._listen, "listening")
        self._work.failed.connect(lambda _, message: self.failed.emit(message))
        self._told.connect(self._take)
        self._beats: tuple[Project, int, ResultBeats] | None = None
        self._news = 0
        document.footage_changed.connect(self._ask)

    def trace(self, origin: Hashable) -> SoundTrace:
        """What is known of the sound of footage."""
        return self._traces.get(origin, NOTHING)

    @property
    def beats(self) -> ResultBeats:
        """The beats of the result."""
        project = self._document.project
        if self._beats is None or self._beats[0] is not project or self._beats[1] != self._news:
            self._beats = project, self._news, all_beats(project, self._found())
        return self._beats[2]

    def beats_beyond(self) -> ResultBeats:
        """The same as far beyond its end as an edit may need them."""
        project = self._document.project
        return all_beats(project, self._found(), project.result_length * _BEYOND)

    def beats_of(self, music: Music) -> Beats:
        """The beats of music as a person wants them."""
        return chosen_beats(self.trace(music.origin).beats, music.beats)

    def close(self) -> None:
        """Stop listening."""
        self._closed = True
        self._work.close()

    def _found(self) -> dict[str, Beats]:
        return {f.key: self.trace(f.origin).beats for f in self._document.project.footage}

    def _ask(self) -> None:
        for origin, source in self._document.sources.items():
            if self._asked.get(origin) is not source and source.files:
                self._asked[origin] = source
                self._forget(origin)
                if source.facts.sound is not None:
                    self._work.ask(source)

    def _forget(self, origin: Hashable) -> None:
        if self._traces.pop(origin, None) is not None:
            self._news += 1

    def _listen(self, source: Source) -> None:
        def shown(trace: SoundTrace, _share: float) -> None:
            stand_aside()
            if self._closed or not self._is_there(source):
                raise Cancelled
            if len(trace.levels):
                self._told.emit(source, trace)

        with suppress(Cancelled):
            self._told.emit(source, listen(source, self._store, shown))

    def _is_there(self, source: Source) -> bool:
        """Whether the document has the footage still, as it was when it was asked for."""
        return self._document.sources.get(source.facts.origin) is source

    def _take(self, source: Source, trace: SoundTrace) -> None:
        if not self._is_there(source):
            return
        self._traces[source.facts.origin] = trace
        self._news += 1
        self.heard.emit()
