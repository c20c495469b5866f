"""What can be done with lulls at the playhead, by menu and key; and playing from one to the next."""

from collections.abc import Callable
from fractions import Fraction
from math import ceil

from PySide6.QtCore import QObject

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.found_lulls import FoundLulls, ShotLull, exact
from chronoxis.app.pictures.transport import Transport
from chronoxis.core.model import lull_marks
from chronoxis.core.model.playing import result_time_of
from chronoxis.core.timing.judged import Span

_AROUND_LULL = 0.8  # result seconds before a lull, and behind it, that are played with it
_LEAST_DRAWN = 1.0  # recorded seconds of a lull that is begun by a key
_JUST_BEFORE = 1e-6  # seconds


class LullCommands(QObject):
    """Turns a person's wish into edits of what is a lull, and goes from lull to lull.

    Attributes:
        plays_lulls: whether only lulls are played, with a little around them.
    """

    def __init__(
        self, document: Document, found: FoundLulls, transport: Transport, show_page: Callable[[], object]
    ) -> None:
        """``show_page`` shows the page of lulls: only there they are to be seen."""
        super().__init__()
        self._document, self._found, self._transport = document, found, transport
        self._show_page = show_page
        self.plays_lulls = False
        self._played: ShotLull | None = None
        document.playhead_moved.connect(self._go_on)
        transport.changed.connect(self._follow_transport)

    def walk(self, by: int) -> None:
        """Go to the begin of the next lull, or of the one before; round at the ends."""
        begins = self._begins()
        if not begins:
            return
        here = float(self._document.playhead)
        frames = {at: float(self._frame_from(at)) for at in begins}
        beyond = [at for at in begins if (frames[at] - here) * by > _JUST_BEFORE]
        to = (min(beyond) if by > 0 else max(beyond)) if beyond else begins[0 if by > 0 else -1]
        if self.plays_lulls:
            self._played = next(each for each in self._in_order() if self._span(each)[0] == to)
            to = max(0.0, to - _AROUND_LULL)
        self._document.move_playhead(self._frame_from(to))

    def play(self) -> None:
        """Play from lull to lull, or rest."""
        if self.plays_lulls:
            self._transport.rest()
            return
        if not self._begins():
            return
        self.plays_lulls = True
        self.walk(1)
        self._transport.set_shuttle(1)
        self.plays_lulls = self._transport.playing

    def begin_here(self) -> None:
        """Have the lull at the playhead begin here; where there is none, draw one from here on."""
        if not self._sees():
            return
        number, second = self._here()
        lull = self._found.at_playhead()
        moment = self._moment(number, second)
        if lull is not None:
            self._stretch("Move begin of lull", number, exact(lull.lull), (moment, exact(lull.lull)[1]))
            return
        shot = self._document.project.shots[number]
        after = [each.lull.begin for each in self._found.all() if each.shot == number]
        long = max(self._document.project.lulls.least, _LEAST_DRAWN)
        end = min([second + long, shot.span[1], *(begin for begin in after if begin > second)])
        to = moment, self._moment(number, end)
        self._stretch("Draw lull", number, to, to)

    def end_here(self) -> None:
        """Have the lull at the playhead, or else the one before it, end here."""
        if not self._sees():
            return
        number, second = self._here()
        before = [e for e in self._found.all() if e.shot == number and e.lull.begin < second]
        if not before:
            self._document.refused.emit("Begin a lull first; there is none before this moment.")
            return
        lull = exact(before[-1].lull)
        self._stretch("Move end of lull", number, lull, (lull[0], self._moment(number, second)))

    def split(self) -> None:
        """Make two of the lull at the playhead."""
        lull = self._chosen()
        if lull is None:
            return
        number, second = self._here()
        at, key = self._moment(number, second), self._key(number)
        self._document.apply("Split lull", lambda p: lull_marks.split(p, key, exact(lull.lull), at))

    def refuse(self) -> None:
        """Say that the lull at the playhead is none; or where one was refused, take that back."""
        if not self._sees():
            return
        number, second = self._here()
        key = self._key(number)
        there = [each for each in self._found.refused() if each.shot == number]
        refused = next((e.lull for e in there if e.lull.begin <= second < e.lull.end), None)
        if refused is not None:
            span = exact(refused)
            self._document.apply("Take refusal back", lambda p: lull_marks.leave_to_search(p, key, span))
            return
        lull = self._chosen()
        if lull is not None:
            self._document.apply("Refuse lull", lambda p: lull_marks.refuse(p, key, exact(lull.lull)))

    def _stretch(self, label: str, number: int, lull: Span, to: Span) -> None:
        key = self._key(number)
        self._document.apply(label, lambda p: lull_marks.stretch(p, key, lull, to))

    def _sees(self) -> bool:
        """Whether lulls are to be seen, and the playhead is in a selected shot; else that is seen to."""
        if not self._found.is_wanted:
            self._show_page()
        if self._found.here() is None:
            self._document.refused.emit("The playhead is in none of the selected shots.")
            return False
        return True

    def _chosen(self) -> ShotLull | None:
        if not self._sees():
            return None
        lull = self._found.at_playhead()
        if lull is None:
            self._document.refused.emit("There is no lull at the playhead; ] goes to the next one.")
        return lull

    def _here(self) -> tuple[int, float]:
        here = self._found.here()
        assert here is not None
        return here

    def _key(self, number: int) -> str:
        return self._document.project.shots[number].footage

    def _moment(self, number: int, second: float) -> Fraction:
        footage = self._document.project.footage_of(self._document.project.shots[number])
        return self._document.known.nearest_frame_time(footage, Fraction(second))

    def _span(self, each: ShotLull) -> tuple[float, float]:
        """Result seconds between which a lull plays."""
        ends = (result_time_of(self._document.project, each.shot, second) for second in each.lull)
        begin, end = sorted(ends)
        return begin, end

    def _frame_from(self, seconds: float) -> Fraction:
        """When the first result frame from a moment on begins."""
        rate = self._document.project.rate
        return ceil((seconds - _JUST_BEFORE) * float(rate)) / rate

    def _in_order(self) -> list[ShotLull]:
        return sorted(self._found.all(), key=self._span)

    def _begins(self) -> list[float]:
        """Result seconds at which lulls begin to play; shows them, if they were not to be seen."""
        if not self._found.is_wanted:
            self._show_page()
        begins = sorted(self._span(each)[0] for each in self._found.all())
        if not begins:
            self._document.refused.emit("There is no lull in what is selected.")
        return begins

    def _go_on(self, seconds: float) -> None:
        """Behind a lull, and a little more, go on with the next."""
        if not self.plays_lulls or self._played is None or not self._transport.playing:
            return
        if seconds <= self._span(self._played)[1] + _AROUND_LULL:
            return
        spans = {each: self._span(each) for each in self._in_order()}
        if not spans:
            self._transport.rest()
            return
        self._played = next((each for each, (_, end) in spans.items() if end > seconds), next(iter(spans)))
        begin, end = spans[self._played]
        if not begin - _AROUND_LULL <= seconds <= end:  # else it is near enough to be played into
            self._document.move_playhead(self._frame_from(max(0.0, begin - _AROUND_LULL)))

    def _follow_transport(self) -> None:
        if not self._transport.playing:
            self.plays_lulls, self._played = False, None
