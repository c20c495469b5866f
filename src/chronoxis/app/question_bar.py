"""A question in the window itself, with its answers beside it."""

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QPushButton

from chronoxis.app.text_label import TextLabel

Answer = tuple[str, Callable[[], object]]


class QuestionBar(QFrame):
    """Asks without stopping anything; gone once answered."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("question", True)
        self.text = TextLabel()
        self.text.setWordWrap(True)
        self.buttons: list[QPushButton] = []
        self.field: QLineEdit | None = None
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

    def ask_name(self, text: str, name: str, act: Callable[[str], object]) -> None:
        """Ask for a name; ``act`` takes the one that is given, if it is not empty."""

        def take() -> None:
            given = field.text().strip()
            self.drop()
            if given:
                act(given)

        field = QLineEdit(name)
        field.setAccessibleName(text)
        field.setToolTip("Enter takes the name")
        field.returnPressed.connect(take)
        self.ask(text, [("Name it", take), ("Leave it", lambda: None)])
        self._row.insertWidget(1, field)
        self.field = field
        field.selectAll()
        field.setFocus()

    def drop(self) -> None:
        """Take the question back."""
        for button in self.buttons:
            button.hide()
            button.deleteLater()
        self.buttons = []
        if self.field is not None:
            self.field.hide()
            self.field.deleteLater()
            self.field = None
        self.hide()

    def _answer(self, act: Callable[[], object]) -> None:
        self.drop()
        act()
