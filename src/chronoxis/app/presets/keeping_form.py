"""What is kept of a treatment, and under which name."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QGridLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.bench.page import label_for
from chronoxis.app.push_button import choice_chip, segments_of, switch
from chronoxis.app.small_picture import small_picture
from chronoxis.app.text_label import TextLabel
from chronoxis.core.model.preset import (
    LONGEST_ABOUT,
    LONGEST_NAME,
    PARTS,
    PaceChoice,
    Preset,
    paces_of,
    taken_from,
)
from chronoxis.core.model.preset_words import PART_NAMES, in_words
from chronoxis.core.model.project import Project

_PICTURE_HEIGHT = 180  # pixels
_LEFT_OUT = ("rate", "export")  # at first: they concern the whole result
_PACES = (
    ("its s&peed", "All at the usual speed of this shot"),
    ("its &length", "As fast as makes it as long as this shot"),
    ("by L&ulls", "Lulls at the fastest speed of this shot, the rest at its usual one"),
)


class KeepingForm(QWidget):
    """A name, a line, and which parts of a shot's treatment are kept."""

    def __init__(self) -> None:
        super().__init__()
        self._whole: Preset | None = None
        self._paces: tuple[PaceChoice, ...] = ()
        self.name, self.about = QLineEdit(), QLineEdit()
        self.name.setAccessibleName("Name of the preset")
        self.about.setAccessibleName("What the preset is for")
        self.name.setMaxLength(LONGEST_NAME)
        self.name.setPlaceholderText("such as Dusk over the harbour")
        self.name.setToolTip("By which you find it again")
        self.about.setMaxLength(LONGEST_ABOUT)
        self.about.setPlaceholderText("nothing more")
        self.about.setToolTip("What it is for, in a line")
        group = QButtonGroup(self)
        self.paces: list[QPushButton] = [
            choice_chip(label, tip, group, self._tell_pace) for label, tip in _PACES
        ]
        self.paces[0].setChecked(True)
        self.parts: dict[str, QCheckBox] = {}
        self._said: dict[str, TextLabel] = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        for row, part in enumerate(PARTS):
            said = TextLabel()
            said.setProperty("dim", True)
            said.setWordWrap(True)
            turn = switch(PART_NAMES[part], f"Keep this part: {PART_NAMES[part].lower()}", lambda _: None)
            turn.setChecked(part not in _LEFT_OUT)
            grid.addWidget(turn, row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(said, row, 1, Qt.AlignmentFlag.AlignTop)
            self.parts[part], self._said[part] = turn, said
        grid.setColumnStretch(1, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 6, 0)
        layout.addWidget(label_for("&Name", self.name))
        layout.addWidget(self.name)
        layout.addWidget(label_for("What it is &for", self.about))
        layout.addWidget(self.about)
        layout.addWidget(TextLabel("Of the pace, keep"))
        layout.addWidget(segments_of(*self.paces))
        layout.addLayout(grid)
        layout.addStretch()

    def show_treatment(self, project: Project, shot: int) -> None:
        """Show what could be kept of a shot's treatment."""
        self._whole, self._paces = taken_from(project, shot, "-"), paces_of(project, shot)
        for part in PARTS:
            there = part in self._whole.parts
            self.parts[part].setEnabled(there)
            self._said[part].setText(in_words(self._whole, part) if there else "nothing to keep")
        self._tell_pace()

    def preset(self, picture: QImage | None) -> Preset:
        """What is to be kept. Raises PlanError: the name is none."""
        if self._whole is None:
            raise AssertionError("nothing was shown that could be kept")
        kept = {
            part: getattr(self._whole, part) for part in self._whole.parts if self.parts[part].isChecked()
        }
        if "pace" in kept:
            kept["pace"] = self._pace
        return Preset(
            self.name.text().strip(),
            self.about.text().strip(),
            small_picture(picture, _PICTURE_HEIGHT),
            **kept,
        )

    @property
    def _pace(self) -> PaceChoice:
        return next(pace for chip, pace in zip(self.paces, self._paces, strict=True) if chip.isChecked())

    def _tell_pace(self) -> None:
        if self._paces:
            self._said["pace"].setText(self._pace.words)
