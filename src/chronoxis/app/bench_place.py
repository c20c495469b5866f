"""The place of the Bench, in which panels may stand instead."""

from collections.abc import Mapping
from typing import Any

from PySide6.QtWidgets import QStackedWidget, QWidget

from chronoxis.app.bench.bench import Bench
from chronoxis.app.scroller import Scroller
from chronoxis.app.theme.theme import scaled

_LEAST_WIDTH, _WIDTH_FOR_TEXT = 384, 360  # pixels; the latter grows with the text
_MOST_PERCENT = 45  # percent of the window's width


class BenchPlace(QStackedWidget):
    """Shows the Bench, or a panel in its place; as wide as the words of what is shown need."""

    def __init__(self, bench: Bench, panels: Mapping[str, QWidget]) -> None:
        """``panels`` are known by the names under which help is told about them."""
        super().__init__()
        self._bench, self._panels = bench, panels
        for widget in (bench, *panels.values()):
            self.addWidget(widget)
        self.setFixedWidth(max(_LEAST_WIDTH, scaled(_WIDTH_FOR_TEXT)))
        for scroller in self.findChildren(Scroller):
            scroller.wished.connect(self._give_width)

    def show_instead(self, panel: QWidget) -> None:
        """Show a panel in the Bench's place, open it if it is folded."""
        self.setCurrentWidget(panel)
        self.show()

    def show_bench(self) -> None:
        """Show the Bench."""
        self.show_instead(self._bench)

    def fold(self) -> None:
        """Fold it away, or open it."""
        self.setVisible(self.isHidden())

    def shows(self, panel: QWidget) -> bool:
        """Whether a panel stands there now."""
        return self.currentWidget() is panel

    @property
    def shown_name(self) -> str:
        """The name of the panel, or of the Bench's page, that stands there."""
        named = (name for name, panel in self._panels.items() if self.shows(panel))
        pages = (name for name, page in self._bench.pages if page is self._bench.shown_page)
        return next(named, "") or next(pages)

    def _give_width(self, *_: Any) -> None:
        """Widen it where the words of what it shows are longer than usual; it stays as wide then."""
        if (shown := self.currentWidget()) is None:
            return
        need = self._bench.shown_width if shown is self._bench else shown.minimumSizeHint().width()
        most = max(self.minimumWidth(), self.window().width() * _MOST_PERCENT // 100)
        if need > self.minimumWidth():
            self.setFixedWidth(min(need, most))
