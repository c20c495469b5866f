"""The window with which *clear* begins: the shortest in which whoever passes by vanishes."""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from PySide6.QtCore import QObject, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.source import Source
from chronoxis.core.model import making
from chronoxis.core.model.playing import played_at
from chronoxis.core.model.project import Place, Project
from chronoxis.core.traces.vanishing import vanishing_window


@dataclass(frozen=True, eq=False)
class WindowWish:
    """Footage, a stored second of it, and the project for whose passages a window is wanted."""

    source: Source
    moment: float
    scale: Fraction
    project: Project
    places: tuple[Place, ...]


class ClearWindow(QObject):
    """Finds a window once *clear* is chosen for passages that have none.

    Attributes:
        words: what was found, or nothing.

    Signals:
        changed: it says something else.
    """

    changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.words = ""
        self._work = NewestWorker(_found, "window of clear", awaited=True)
        self._work.answered.connect(self._take)

    def close(self) -> None:
        """Stop the work in the background."""
        self._work.close()

    def look(self, places: list[Place]) -> None:
        """Look for the window of passages that were just given *clear*, at the playhead if it is there."""
        document, project = self._document, self._document.project
        wanting = tuple(place for place in places if project.passage(place).making.window is None)
        if not wanting:
            return
        shot = project.shots[wanting[0].shot]
        source = document.known.opened(project.footage_of(shot))
        if source is None or not source.has_pictures:
            return
        played = played_at(project, [float(document.playhead)])
        at_playhead = int(played.shots[0]) == wanting[0].shot
        moment = float(played.recorded[0]) if at_playhead else sum(shot.span) / 2
        scale = project.footage_of(shot).scale
        self._say("Looking for how long it takes until whoever passes by vanishes…")
        self._work.ask(WindowWish(source, moment / float(scale), scale, project, wanting))

    def _take(self, wish: WindowWish, window: Fraction | None) -> None:
        if self._document.project is not wish.project:
            self._say("")
            return
        if window is None:
            self._say("No window was found in which whoever passes by vanishes: set one by hand.")
            return
        recorded = window * wish.scale
        self._say(f"A window of {float(recorded):g} s, so that whoever passes by vanishes.")
        self._document.apply("Window of clear", lambda p: making.set_window(p, wish.places, recorded))

    def _say(self, words: str) -> None:
        self.words = words
        self.changed.emit()


def _found(wish: WindowWish, still_wanted: Callable[[], bool]) -> Fraction | None:
    def check() -> None:
        if not still_wanted():
            raise Cancelled

    return vanishing_window(wish.source, wish.moment, check)
