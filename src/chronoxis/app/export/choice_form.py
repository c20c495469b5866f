"""The choices of an export: what the file should be like."""

from collections.abc import Callable, Iterable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from chronoxis.app.export.limits_form import LimitsForm
from chronoxis.app.export.machine_choice import MachineChoice
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.model.export_format import ExportFormat, Quality
from chronoxis.core.model.export_formats import FORMATS
from chronoxis.core.model.settings import SIZE_NAMES, ResultSettings, SizeWish, parse_bitrate, parse_megabytes

_QUALITY_WORDS = {
    Quality.DRAFT: "draft · small file",
    Quality.SHARING: "sharing",
    Quality.GOOD: "good",
    Quality.HIGH: "high",
    Quality.MASTER: "master · large file",
}


_HOLDS = (
    ("the quality", "The file becomes as large as the quality needs"),
    ("a bitrate", "So many bits for every second, in place of a quality"),
    ("a size at most", "Quality gives way where the file would become larger"),
)
_BITRATE, _AT_MOST = 1, 2
_FIRST_BITRATE, _FIRST_MEGABYTES = "8M", "25 MB"


class ChoiceForm(QWidget):
    """What the file should be like; what is expected, and the buttons, go below it.

    Signal ``changed``: a person chose something.
    """

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.format_box = _combo("Format", "What kind of file the result becomes", self._tell)
        for place, format_ in enumerate(FORMATS):
            self.format_box.addItem(format_.name)
            self.format_box.setItemData(place, format_.purpose, Qt.ItemDataRole.ToolTipRole)
        self.purpose = TextLabel()
        self.purpose.setProperty("dim", True)
        self.purpose.setWordWrap(True)
        self.kept_box = _combo("Kept choices", "Choices that were kept under a name, to use again")
        self.keep = push_button("&Keep…", "Keep these choices under a name")
        size_tip = "Size of the result: as recorded, 1080p, or width x height; the aspect is kept"
        self.size_box = _combo("Size", size_tip, self._tell)
        self.size_box.setEditable(True)
        self.size_box.addItems(list(SIZE_NAMES))
        line = self.size_box.lineEdit()
        assert line is not None
        line.setAccessibleName("Size")
        line.editingFinished.connect(self._tell)
        self.quality = QSlider(Qt.Orientation.Horizontal)
        self.quality.setRange(1, 5)
        self.quality.setPageStep(1)
        self.quality.setToolTip("How much of the picture is kept, as against file size")
        self.quality.setAccessibleName("Quality")
        self.quality.valueChanged.connect(self._tell)
        self.quality_word = TextLabel()
        self.hold_box = _combo("What decides the file's size", "What decides the file's size", self._hold)
        for place, (text, tip) in enumerate(_HOLDS):
            self.hold_box.addItem(text)
            self.hold_box.setItemData(place, tip, Qt.ItemDataRole.ToolTipRole)
        self.hold_value = _line("Bitrate, or size of the file", "Such as 8M, for megabits a second; or 25 MB")
        self.hold_value.editingFinished.connect(self._tell)
        self.stretch = _box("Give &up the aspect", "Fill width x height exactly")
        self.sound = _box(
            "Sou&nd", "Recorded sound, music and effects, as set on the pages Sound and Footage"
        )
        self.credits = _box("Credi&ts", "Also write a text beside the file that says whose music it is")
        for box in (self.stretch, self.sound, self.credits):
            box.clicked.connect(self._tell)
        self.output = _line("File", "Where the result is written; for stills, a folder")
        self.made, self.place = MachineChoice(), LimitsForm()
        self._goes_to = ""
        self.browse = push_button("&Browse…", "Choose where the result is written")
        self.replace_it = _box("&Replace it", "Replace the file that is there")
        self.replace_it.hide()
        self.facts, self.expected = TextLabel(), TextLabel()
        self.expected.setFont(font(10, 500))
        self.facts.setWordWrap(True)
        self.start = push_button("E&xport", "Write the file (Ctrl+Return)")
        self.start.setProperty("main", True)
        self.back = push_button("Back t&o the Bench", "Go on adjusting (Esc)")
        self.all_exports = push_button("&All exports", "Those that wait, go on or are done (Ctrl+Shift+E)")
        self.foot = QWidget()  # below the choices, whatever is scrolled
        self._lay_out()

    def _hold(self, *_: object) -> None:
        """What is typed means something else now."""
        self.hold_value.clear()
        self._tell()

    def settings(self) -> ResultSettings:
        """What is chosen. Raises PlanError if an entry means nothing."""
        chosen = FORMATS[self.format_box.currentIndex()]
        size = SizeWish.parse(self.size_box.currentText(), stretch=self.stretch.isChecked())
        bitrate = at_most = None
        hold, text = self.hold_box.currentIndex(), self.hold_value.text()
        if hold == _BITRATE and chosen.bitrate_options:
            bitrate = parse_bitrate(text or _FIRST_BITRATE)
        elif hold == _AT_MOST and chosen.most_options:
            at_most = parse_megabytes(text or _FIRST_MEGABYTES)
        sound = self.sound.isChecked()
        credits_, quality = self.credits.isChecked(), Quality(self.quality.value())
        return ResultSettings(chosen, size, quality, sound, bitrate, at_most, credits_, self._goes_to)

    def choose_format(self, format_: ExportFormat) -> None:
        """Choose a format as a person would."""
        self.format_box.setCurrentIndex(FORMATS.index(format_))
        self._tell()

    def show_settings(self, settings: ResultSettings) -> None:
        """Show the document's choices."""
        self._set_quiet(True)
        format_ = settings.format
        self.format_box.setCurrentIndex(FORMATS.index(format_))
        self.purpose.setText(f"{format_.purpose}.")
        self._show_hold(settings)
        self.size_box.setCurrentText(str(settings.size))
        self.stretch.setChecked(settings.size.stretch)
        self.stretch.setEnabled(settings.size.width is not None)
        self.quality.setValue(int(settings.quality))
        self.quality.setEnabled(format_.has_quality and settings.bitrate is None)
        word = _QUALITY_WORDS[settings.quality] if format_.has_quality else format_.sole_quality
        self.quality_word.setText(word)
        self.sound.setChecked(settings.sound)
        self.sound.setEnabled(bool(format_.sound_codec))
        self.credits.setChecked(settings.credits)
        self._goes_to = settings.goes_to
        self.place.show_place(settings.goes_to)
        self._set_quiet(False)

    def _show_hold(self, settings: ResultSettings) -> None:
        hold, text = 0, ""
        if settings.bitrate is not None:
            hold, text = _BITRATE, f"{settings.bitrate / 1e6:g}M"
        elif settings.at_most is not None:
            hold, text = _AT_MOST, f"{settings.at_most / 1e6:g} MB"
        self.hold_box.setCurrentIndex(hold)
        self.hold_box.setEnabled(bool(settings.format.bitrate_options))
        self.hold_value.setVisible(hold > 0)
        if not self.hold_value.isModified() or not self.hold_value.hasFocus():
            self.hold_value.setText(text)

    def show_kept(self, names: Iterable[str]) -> None:
        """Show what is kept, by name."""
        self.kept_box.clear()
        self.kept_box.addItems(["kept choices…", *names])
        self.kept_box.setEnabled(self.kept_box.count() > 1)

    def _set_quiet(self, quiet: bool) -> None:
        self.size_box.blockSignals(quiet)
        self.quality.blockSignals(quiet)

    def _tell(self, *_: object) -> None:
        self.changed.emit()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        held, kept = QHBoxLayout(), QHBoxLayout()
        held.addWidget(self.hold_box, 1)
        held.addWidget(self.hold_value, 1)
        kept.addWidget(self.kept_box, 1)
        kept.addWidget(self.keep)
        fields: tuple[tuple[str, QWidget], ...] = (
            ("For&mat", self.format_box),
            ("Si&ze", self.size_box),
            ("&Quality", self.quality),
            ("Hol&d to", self.hold_box),
            ("F&ile", self.output),
            ("&Where", self.made.box),
        )
        for row, (text, widget) in zip((0, 2, 3, 4, 5, 6), fields, strict=True):
            label = TextLabel(text)
            label.setProperty("dim", True)
            label.setBuddy(widget)
            grid.addWidget(label, row, 0)
            if widget is self.made.box:
                label.setVisible(not self.made.isHidden())
                grid.addWidget(self.made, row, 1, 1, 2)
            elif widget is not self.hold_box:
                grid.addWidget(widget, row, 1)
        grid.addWidget(self.purpose, 1, 1, 1, 2)
        grid.addLayout(held, 4, 1)
        grid.addWidget(self.quality_word, 3, 2)
        grid.addWidget(self.browse, 5, 2)
        grid.setColumnStretch(1, 1)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(2)
        rows.addLayout(kept)
        rows.addLayout(grid)
        boxes = QHBoxLayout()
        boxes.addWidget(self.stretch)
        boxes.addWidget(self.sound)
        boxes.addWidget(self.credits)
        boxes.addStretch()
        rows.addLayout(boxes)
        rows.addWidget(self.place)
        for widget in (self.replace_it, self.facts):
            rows.addWidget(widget)
        rows.addStretch()
        below, buttons = QVBoxLayout(self.foot), QHBoxLayout()
        below.setContentsMargins(0, 4, 0, 0)
        below.addWidget(self.expected)
        below.addLayout(buttons)
        buttons.addWidget(self.back)
        buttons.addStretch()
        buttons.addWidget(self.all_exports)
        buttons.addWidget(self.start)


def _combo(name: str, tip: str, act: Callable[[], object] | None = None) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    box.setToolTip(tip)
    if act is not None:
        box.activated.connect(lambda _: act())
    return box


def _line(name: str, tip: str) -> QLineEdit:
    line = QLineEdit()
    line.setAccessibleName(name)
    line.setToolTip(tip)
    return line


def _box(text: str, tip: str) -> QCheckBox:
    box = QCheckBox(text)
    box.setToolTip(tip)
    return box
