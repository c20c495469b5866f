"""The menu in which it is chosen when proxies are made, and where they are removed."""

from functools import partial

from PySide6.QtGui import QAction, QActionGroup
from PySide6.QtWidgets import QMenu

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.proxies import Proxies, ProxyChoice

_ENTRIES = (
    (
        ProxyChoice.WHEN_NEEDED,
        "Make them when &needed",
        "Of what cannot be played here as it is",
    ),
    (ProxyChoice.ALWAYS, "Make them &always", "Of all footage with large pictures"),
    (
        ProxyChoice.NEVER,
        "Make none, and &use none",
        "Play from footage itself, even where frames come late",
    ),
)


class ProxyMenu(QMenu):
    """Proxies are small copies of pictures, for playing and pointing; exports never read them."""

    def __init__(self, document: Document, proxies: Proxies, parent: QMenu) -> None:
        super().__init__("Prox&ies", parent)
        self._document, self._proxies = document, proxies
        self.setToolTipsVisible(True)
        group = QActionGroup(self)
        self.choices: dict[ProxyChoice, QAction] = {}
        for choice, text, tip in _ENTRIES:
            action = self.addAction(text)
            action.setCheckable(True)
            action.setToolTip(tip)
            action.triggered.connect(partial(self._choose, choice))
            group.addAction(action)
            self.choices[choice] = action
        self.addSeparator()
        self.remove = self.addAction("&Remove those of this project")
        self.remove.setToolTip(
            "Take the proxies of its footage from the disk; they are not made again by themselves"
        )
        self.remove.triggered.connect(self._remove)
        self.aboutToShow.connect(self._show)
        self._show()

    def _choose(self, choice: ProxyChoice, _on: bool = False) -> None:
        self._proxies.choose(choice)

    def _remove(self) -> None:
        for footage in self._document.project.footage:
            self._proxies.remove(footage.origin)

    def _show(self) -> None:
        self.choices[self._proxies.choice].setChecked(True)
        origins = [footage.origin for footage in self._document.project.footage]
        self.remove.setEnabled(any(self._proxies.proxy(origin) is not None for origin in origins))
