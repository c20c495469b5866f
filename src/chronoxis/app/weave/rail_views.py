"""Which part of each rail is shown, and how that is zoomed and moved."""

from collections.abc import Callable

from PySide6.QtCore import QObject, QPointF, Signal

from chronoxis.app.background import note_activity
from chronoxis.app.document.document import Document
from chronoxis.app.weave.rails import Rails, View
from chronoxis.core.model.playing import played_at, result_span

_SINGLE_FRAMES = 40  # result frames that the deepest step of zooming shows
_AROUND_SHARE = 0.06  # of what is zoomed to, that is shown on either side of it
_LEAST_SHOWN = 1e-3  # seconds
_WHEEL_PART = 1 / 8  # of what is shown, by which one step of a wheel moves it
_WHOLE_SHARE = 0.9999  # of a rail, from which on it is shown whole, and grows with the project


class RailViews(QObject):
    """The part of the recorded and of the result rail that is shown: all of it, until a person zooms.

    Signals:
        changed: another part is shown.
    """

    changed = Signal()

    def __init__(
        self, document: Document, rails: Callable[[], Rails | None], playhead_x: Callable[[Rails], float]
    ) -> None:
        """The functions give the present geometry, and where the playhead stands on the recorded rail."""
        super().__init__()
        self._document, self._rails, self._playhead_x = document, rails, playhead_x
        self._recorded: View | None = None  # None: all of the rail
        self._result: View | None = None

    def of(self, recorded_length: float, result_length: float) -> tuple[View, View]:
        """What is shown of rails of these lengths, in seconds."""
        recorded = self._recorded.within(recorded_length) if self._recorded else View(0.0, recorded_length)
        result = self._result.within(result_length) if self._result else View(0.0, result_length)
        return recorded, result

    def zoom(self, factor: float, about: QPointF | None = None) -> None:
        """Show ``factor`` times as much of both rails about the playhead, or of one about a point."""
        rails = self._rails()
        if rails is None:
            return
        recorded, result = rails.recorded_view, rails.result_view
        below = about is None or rails.is_in_result(about)
        above = about is None or not below
        if above:
            focus = rails.recorded_along(about.x() if about else self._playhead_x(rails))
            recorded = recorded.zoomed(factor, focus, rails.stretches[-1].end)
        if below:
            focus = float(rails.result_time(about.x())) if about else float(self._document.playhead)
            result = result.zoomed(factor, focus, self._result_length)
        self._show(rails, recorded, result)

    def zoom_to_selection(self) -> None:
        """Show the selected passages on both rails, with a little around them."""
        project, rails, chosen = self._document.project, self._rails(), self._document.selection.places
        if rails is None or not chosen:
            return
        spans = [result_span(project, place) for place in chosen]
        low, high = min(span[0] for span in spans), max(span[1] for span in spans)
        ends: list[float] = []
        for place in chosen:
            shot, stretch = project.shots[place.shot], rails.stretches[place.shot]
            covered = shot.joints[place.passage : place.passage + 2]
            ends += [stretch.at + float(shot.recorded_time(c)) - stretch.first for c in covered]
        self._show(rails, _around(min(ends), max(ends)), _around(low, high))

    def zoom_to_frames(self) -> None:
        """Show single frames about the playhead."""
        rails = self._rails()
        if rails is None:
            return
        project, here = self._document.project, float(self._document.playhead)
        played = played_at(project, [here])
        rate = float(project.footage_of(project.shots[int(played.shots[0])]).rate)
        span = _SINGLE_FRAMES / float(project.rate)
        length = max(_SINGLE_FRAMES / rate, span * float(played.speeds[0]))
        along = rails.recorded_along(self._playhead_x(rails))
        self._show(rails, View(along - length / 2, length), View(here - span / 2, span))

    def move(self, steps: float, at: QPointF) -> None:
        """Move what is shown by steps of a wheel over a point: of one rail, or of both between them."""
        rails = self._rails()
        if rails is None:
            return
        recorded, result = rails.recorded_view, rails.result_view
        if not rails.is_in_result(at):
            recorded = recorded.moved(-steps * recorded.length * _WHEEL_PART, rails.stretches[-1].end)
        if not rails.is_in_recorded(at):
            result = result.moved(-steps * result.length * _WHEEL_PART, self._result_length)
        self._show(rails, recorded, result)

    def show_all(self) -> None:
        """Show all of both rails."""
        self._recorded = self._result = None
        self.changed.emit()

    @property
    def _result_length(self) -> float:
        return float(self._document.project.result_length)

    def _show(self, rails: Rails, recorded: View, result: View) -> None:
        self._recorded = _unless_all(recorded, rails.stretches[-1].end)
        self._result = _unless_all(result, self._result_length)
        note_activity()
        self.changed.emit()


def _unless_all(view: View, whole: float) -> View | None:
    return None if view.length >= whole * _WHOLE_SHARE else view.within(whole)


def _around(low: float, high: float) -> View:
    length = max(high - low, _LEAST_SHOWN)
    return View(low - length * _AROUND_SHARE, length * (1 + 2 * _AROUND_SHARE))
