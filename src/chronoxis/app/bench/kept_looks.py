"""A row of kept looks: to give one to what is selected, or to keep what is there under a name."""

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from chronoxis.app.document.document import Document
from chronoxis.app.push_button import push_button
from chronoxis.core.model import keeping
from chronoxis.core.model.join import Join
from chronoxis.core.model.look import OWN_LOOKS, KeptLook
from chronoxis.core.readable import readable


class KeptLooks(QWidget):
    """Offers the looks that come with the program and those of the project.

    Signals:
        chosen: a look that a person wants to give to what is selected.
        keep_wanted: a person wants to keep what is there.
    """

    chosen = Signal(object)
    keep_wanted = Signal()

    def __init__(self, document: Document, fits: Callable[[KeptLook], bool]) -> None:
        """``fits`` tells which looks are offered."""
        super().__init__()
        self._document, self._fits = document, fits
        self.box = QComboBox()
        self.box.setAccessibleName("Kept looks")
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.box.setMinimumContentsLength(12)
        self.box.setToolTip("Give a kept look to what is selected")
        self.box.activated.connect(self._choose)
        self.keep = push_button("&Keep…", "Keep what is here as a look under a name, in this project")
        self.keep.clicked.connect(self.keep_wanted)
        self.drop = push_button("Fo&rget", "Forget the look that was given last, if it is this project's own")
        self.drop.clicked.connect(self._forget)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.box, 1)
        row.addWidget(self.keep)
        row.addWidget(self.drop)
        self._shown: tuple[KeptLook, ...] | None = None

    def show_project(self, present: Join) -> None:
        """Offer what there is now, and say which of them is here."""
        offered = tuple(filter(self._fits, (*self._document.project.looks, *OWN_LOOKS)))
        if offered != self._shown:
            self._shown = offered
            self.box.clear()
            self.box.addItem("give a kept look…")
            self.box.addItems([readable(look.name) for look in offered])
        here = next((number for number, look in enumerate(offered) if look.join == present), -1)
        self.box.setCurrentIndex(here + 1)
        self.keep.setEnabled(present != Join())
        self.drop.setEnabled(0 <= here < len(self._document.project.looks))

    def ask(self, question: Callable[[str, str, Callable[[str], object]], None], join: Join) -> None:
        """Ask for a name, and keep a look under it."""
        question(
            "What should the look be called?",
            f"Look {len(self._document.project.looks) + 1}",
            lambda name: self._document.apply("Keep look", lambda p: keeping.keep_look(p, name, join)),
        )

    def _choose(self, row: int) -> None:
        if row > 0 and self._shown is not None:
            self.chosen.emit(self._shown[row - 1])

    def _forget(self) -> None:
        row = self.box.currentIndex() - 1
        if row >= 0 and self._shown is not None:
            name = self._shown[row].name
            self._document.apply("Forget look", lambda p: keeping.forget_look(p, name))
