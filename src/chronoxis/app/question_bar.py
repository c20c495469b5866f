"""A question in the window itself, with its answers beside it."""

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton

Answer = tuple[str, Callable[[], object]]


class QuestionBar(QFrame):
    """Asks without stopping anything; gone once answered."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("question", True)
        self.text = QLabel()
        self.text.setWordWrap(True)
        self.buttons: list[QPushButton] = []
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(12, 6, 8, 6)
        self._row.addWidget(self.text, 1)
        self.hide()

    def ask(self, text: str, answers: Sequence[Answer]) -> None:
        """Ask; the first answer is the one that a person most likely wants."""
        self.drop()
        self.text.setText(text)
        for label, act in answers:
            button = QPushButton(label)
            button.setToolTip(label.replace("&", ""))
            button.clicked.connect(lambda _, act=act: self._answer(act))
            self._row.addWidget(button)
            self.buttons.append(button)
        self.buttons[0].setProperty("main", True)
        self.show()
        self.buttons[0].setFocus()

    def drop(self) -> None:
        """Take the question back."""
        for button in self.buttons:
            button.hide()
            button.deleteLater()
        self.buttons = []
        self.hide()

    def _answer(self, act: Callable[[], object]) -> None:
        self.drop()
        act()
