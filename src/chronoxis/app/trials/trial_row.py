"""One trial in the list: its picture, in what it differs, its figures, and what can be done with it."""

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout

from chronoxis.app.export.export_row import in_megabytes
from chronoxis.app.picture_card import PictureCard
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel, plain_tip
from chronoxis.app.theme.theme import font
from chronoxis.app.trials.trial_facts import TrialFacts
from chronoxis.core.model.project import Project
from chronoxis.core.model.trial_words import usual_speed
from chronoxis.core.timing.schedule import result_frame_count
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time

COLUMNS = ("length", "frames", "speed", "size", "export")
"""What the figures of a row are, from left to right."""

_UNKNOWN = "…"


class TrialRow(PictureCard):
    """A trial, or the project as it is now.

    Attributes:
        beside: to show it beside the result; None of the project as it is now.
        take: to go on with it; None likewise.
        rename: to give it another name; None likewise.
        remove: to keep it no longer; None likewise.
        export: to write it into a file; None likewise.
    """

    def __init__(self, name: str, *, is_trial: bool) -> None:
        super().__init__()
        self.name = name
        self._name.show_text(name)
        self.setAccessibleName(f"Trial {name}" if is_trial else name)
        self._figures = [TextLabel() for _ in COLUMNS]
        self.beside: QPushButton | None = None
        self.take: QPushButton | None = None
        self.rename: QPushButton | None = None
        self.remove: QPushButton | None = None
        self.export: QPushButton | None = None
        rows = QVBoxLayout(self)
        rows.setContentsMargins(8, 6, 8, 6)
        rows.setSpacing(4)
        rows.addLayout(self.head)
        rows.addLayout(columns_of(self._figures))
        if is_trial:
            rows.addLayout(self._acts())

    def show_state(self, state: Project, difference: str, facts: TrialFacts) -> None:
        """Show a state, in what it differs from the present one, and what is known of it."""
        self._facts.show_text(difference)
        self._picture.show_image(facts.picture)
        expected = facts.expected
        figures = (
            format_time(state.result_length, 1),
            f"{result_frame_count(state.result_length, state.rate):,}",
            format_speed(usual_speed(state)) if state.shots else "",
            in_megabytes(expected.size) if expected else _UNKNOWN,
            format_time(max(expected.seconds, 1), 0) if expected else _UNKNOWN,
        )
        for label, text in zip(self._figures, figures, strict=True):
            label.setText("" if facts.refusal and text == _UNKNOWN else text)
        told = "\n".join(f"{name}: {text}" for name, text in zip(COLUMNS, figures, strict=True))
        self.setToolTip(plain_tip(f"{self.name}: {difference}\n{told}"))
        self.setAccessibleDescription(f"{difference}. {told}")
        self.caution.setText(facts.refusal)

    @property
    def words(self) -> list[str]:
        """Its figures, as they are shown."""
        return [label.text() for label in self._figures]

    def _acts(self) -> QHBoxLayout:
        self.beside = self._act("Beside", "Show it beside the result, or no longer; three at most")
        self.beside.setCheckable(True)
        self.beside.setProperty("choice", True)
        self.head.addWidget(self.beside)
        self.take = self._act("Take it", "Go on with it, in one step of undo; trials stay")
        self.rename = self._act("Rename…", "Give it another name")
        self.remove = self._act("Remove", "Keep it no longer; can be undone")
        self.export = self._act("Export", "Write it into a file, with its name in the file's")
        acts = QHBoxLayout()
        acts.setSpacing(4)
        for button in (self.take, self.rename, self.remove, self.export):
            acts.addWidget(button)
        acts.addStretch()
        return acts

    def _act(self, text: str, tip: str) -> QPushButton:
        button = push_button(text, tip)
        button.setProperty("small", True)
        button.setAccessibleName(f"{text.rstrip('…')}: {self.name}")
        return button


def columns_of(labels: list[TextLabel]) -> QGridLayout:
    """Labels as columns that are equally wide in every row."""
    grid = QGridLayout()
    grid.setHorizontalSpacing(4)
    for column, label in enumerate(labels):
        label.setFont(font(8.5))
        label.setProperty("dim", True)
        grid.addWidget(label, 0, column)
        grid.setColumnStretch(column, 1)
    return grid
