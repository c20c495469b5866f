"""The three faces of the export panel."""

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.push_button import push_button
from chronoxis.app.theme.theme import font
from chronoxis.core.model.export_format import ExportFormat, Quality
from chronoxis.core.model.export_formats import FORMATS
from chronoxis.core.model.settings import SIZE_NAMES, ResultSettings, SizeWish
from chronoxis.core.timing.timecode import format_time

_QUALITY_WORDS = {
    Quality.DRAFT: "draft · small file",
    Quality.SHARING: "sharing",
    Quality.GOOD: "good",
    Quality.HIGH: "high",
    Quality.MASTER: "master · large file",
}


class ChoiceForm(QWidget):
    """What the file should be like. Signal ``changed``: a person chose something."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.formats: dict[ExportFormat, QPushButton] = {}
        self.size_box = QComboBox()
        self.size_box.setEditable(True)
        self.size_box.addItems(list(SIZE_NAMES))
        self.size_box.setToolTip(
            "Size of the result: as recorded, 1080p, or width x height; the aspect is kept"
        )
        self.size_box.setAccessibleName("Size")
        self.size_box.activated.connect(self._tell)
        line = self.size_box.lineEdit()
        assert line is not None
        line.editingFinished.connect(self._tell)
        self.stretch = _box("Give &up the recorded aspect", "Fill width x height exactly")
        self.stretch.clicked.connect(self._tell)
        self.quality = QSlider(Qt.Orientation.Horizontal)
        self.quality.setRange(1, 5)
        self.quality.setPageStep(1)
        self.quality.setToolTip("How much of the picture is kept, as against file size")
        self.quality.setAccessibleName("Quality")
        self.quality.valueChanged.connect(self._tell)
        self.quality_word = QLabel()
        self.sound = _box("Keep the recorded &sound", "Possible at 1× only")
        self.sound.clicked.connect(self._tell)
        self.output = QLineEdit()
        self.output.setToolTip("Where the result is written")
        self.output.setAccessibleName("File")
        self.browse = push_button("&Browse…", "Choose where the result is written")
        self.replace_it = _box("&Replace it", "Replace the file that is there")
        self.replace_it.hide()
        self.facts, self.expected = QLabel(), QLabel()
        self.expected.setFont(font(10, 500))
        self.facts.setWordWrap(True)
        self.start = push_button("E&xport", "Write the file (Ctrl+Return)")
        self.start.setProperty("main", True)
        self.back = push_button("Bac&k to the Bench", "Go on adjusting (Esc)")
        self._lay_out()

    def settings(self) -> ResultSettings:
        """What is chosen. Raises PlanError if the size is not one."""
        chosen = next(format_ for format_, chip in self.formats.items() if chip.isChecked())
        size = SizeWish.parse(self.size_box.currentText(), stretch=self.stretch.isChecked())
        return ResultSettings(chosen, size, Quality(self.quality.value()), self.sound.isChecked())

    def show_settings(self, settings: ResultSettings, *, can_keep_sound: bool) -> None:
        """Show the document's choices."""
        self._set_quiet(True)
        self.formats[settings.format].setChecked(True)
        self.size_box.setCurrentText(str(settings.size))
        self.stretch.setChecked(settings.size.stretch)
        self.stretch.setEnabled(settings.size.width is not None)
        self.quality.setValue(int(settings.quality))
        lossless = settings.format.lossless
        self.quality.setEnabled(not lossless)
        self.quality_word.setText("lossless" if lossless else _QUALITY_WORDS[settings.quality])
        self.sound.setChecked(settings.sound)
        self.sound.setEnabled(can_keep_sound or settings.sound)
        self._set_quiet(False)

    def _set_quiet(self, quiet: bool) -> None:
        self.size_box.blockSignals(quiet)
        self.quality.blockSignals(quiet)

    def _tell(self, *_: object) -> None:
        self.changed.emit()

    def _lay_out(self) -> None:
        group, chips = QButtonGroup(self), QHBoxLayout()
        for format_ in FORMATS:
            chip = push_button(format_.name, format_.purpose)
            chip.setCheckable(True)
            chip.setProperty("choice", True)
            chip.clicked.connect(self._tell)
            group.addButton(chip)
            chips.addWidget(chip)
            self.formats[format_] = chip
        chips.addStretch()
        grid = QGridLayout()
        grid.setVerticalSpacing(6)
        fields: tuple[tuple[str, QWidget], ...] = (
            ("Si&ze", self.size_box),
            ("&Quality", self.quality),
            ("&File", self.output),
        )
        for row, (text, widget) in enumerate(fields):
            label = QLabel(text)
            label.setProperty("dim", True)
            label.setBuddy(widget)
            grid.addWidget(label, row, 0)
            grid.addWidget(widget, row, 1)
        grid.addWidget(self.quality_word, 1, 2)
        grid.addWidget(self.browse, 2, 2)
        grid.setColumnStretch(1, 1)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addLayout(chips)
        rows.addLayout(grid)
        buttons = QHBoxLayout()
        buttons.addWidget(self.back)
        buttons.addStretch()
        buttons.addWidget(self.start)
        for widget in (self.stretch, self.sound, self.replace_it, self.facts, self.expected):
            rows.addWidget(widget)
        rows.addLayout(buttons)


class ProgressForm(QWidget):
    """How far the export is."""

    def __init__(self) -> None:
        super().__init__()
        self._name, self._numbers = QLabel(), QLabel()
        self._name.setFont(font(10, 500))
        self._numbers.setProperty("dim", True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("Export progress")
        self.bar.setToolTip("How far the export is")
        self.cancel = push_button("&Cancel", "Stop the export; nothing is left behind")
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        for widget in (self._name, self.bar, self._numbers):
            rows.addWidget(widget)
        rows.addWidget(self.cancel, 0, Qt.AlignmentFlag.AlignRight)
        rows.addStretch()

    def begin(self, output: Path) -> None:
        """A new export."""
        self._name.setText(f"Writing {output.name}")
        self._numbers.setText("getting ready…")
        self.bar.setRange(0, 0)
        self.cancel.setEnabled(True)

    def show_progress(self, done: int, total: int, rate: float, seconds_left: float) -> None:
        """Where it is now."""
        self.bar.setRange(0, total)
        self.bar.setValue(done)
        left = format_time(seconds_left, 0)
        self._numbers.setText(f"{done:,} of {total:,} frames  ·  {rate:.1f} a second  ·  {left} left")

    def stopping(self) -> None:
        """It was asked to stop."""
        self._numbers.setText("stopping…")
        self.cancel.setEnabled(False)


class DoneForm(QWidget):
    """What came out."""

    def __init__(self) -> None:
        super().__init__()
        self._name, self._facts = QLabel(), QLabel()
        self._name.setFont(font(11, 600))
        self._facts.setWordWrap(True)
        checked = QLabel("Read back and compared with the plan: every frame is there, at its time.")
        checked.setWordWrap(True)
        checked.setProperty("dim", True)
        self.play = push_button("&Play", "Open the file in the desktop's player")
        self.play.setProperty("main", True)
        self.folder = push_button("Open &folder", "Show where the file is")
        self.again = push_button("Change &settings", "Export once more, with other settings")
        self.back = push_button("Bac&k to the Bench", "Go on adjusting (Esc)")
        rows, first, second = QVBoxLayout(self), QHBoxLayout(), QHBoxLayout()
        rows.setContentsMargins(0, 0, 0, 0)
        for widget in (self._name, self._facts, checked):
            rows.addWidget(widget)
        for row, buttons in ((first, (self.play, self.folder)), (second, (self.again, self.back))):
            for button in buttons:
                row.addWidget(button)
            row.addStretch()
            rows.addLayout(row)
        rows.addStretch()

    def show_outcome(self, name: str, facts: str) -> None:
        """Name and figures of the finished file."""
        self._name.setText(f"{name} is done")
        self._facts.setText(facts)


def _box(text: str, tip: str) -> QCheckBox:
    box = QCheckBox(text)
    box.setToolTip(tip)
    return box
