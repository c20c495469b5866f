"""The line at the top: the project's name, what the result amounts to, and the one main action."""

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QWidget

from chronoxis.app.document.document import Document
from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.files.project_files import ProjectFiles
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font, scaled
from chronoxis.core.errors import PlanError
from chronoxis.core.model import pacing
from chronoxis.core.queue.jobs import Job, seconds_left
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.speed import format_speed
from chronoxis.core.timing.timecode import format_time, parse_time


class HeadLine(QWidget):
    """Reads the document and its file.

    Signals:
        export_wanted: a person wants to export.
        exports_wanted: a person wants to see how exports stand.
        back_wanted: a person wants to leave the nested run that is open.
    """

    export_wanted = Signal()
    exports_wanted = Signal()
    back_wanted = Signal()

    def __init__(self, document: Document, files: ProjectFiles) -> None:
        super().__init__()
        self._document, self._files = document, files
        self._title, self._state = ElidedLabel(), TextLabel()
        self._length, self._summary = TextLabel(), ElidedLabel()
        self._title.show_text("Chronoxis")
        self._title.setFont(font(12.5, 600))
        self._length.setFont(font(13, 600))
        for label in (self._state, self._summary):
            label.setProperty("dim", True)
        self.fit_field = QLineEdit()
        self.fit_field.setPlaceholderText("0:30")
        self.fit_field.setFixedWidth(scaled(72))
        self.fit_field.setAccessibleName("Wished result length")
        self.fit_field.setToolTip("The length that the whole result should have: 30, 0:30, 1m30s")
        self.fit_field.returnPressed.connect(self.fit_to_length)
        self.fit_button = QPushButton("Fit to length")
        self.fit_button.setToolTip(
            "Give the whole result this length; passages whose speed is held stay (Ctrl+F)"
        )
        self.fit_button.clicked.connect(self.fit_to_length)
        self.export_button = QPushButton("Export…")
        self.export_button.setProperty("main", True)
        self.export_button.setToolTip("Choose what the file should be like, and write it (Ctrl+E)")
        self.export_button.clicked.connect(self.export_wanted)
        self.exports_button = QPushButton()
        self.exports_button.setAccessibleName("Exports")
        self.exports_button.setToolTip("How exports stand, and what can be done about them (Ctrl+Shift+E)")
        self.exports_button.clicked.connect(self.exports_wanted)
        self.exports_button.hide()
        self.back_button = QPushButton("Come back")
        self.back_button.setToolTip("Leave this nested run, with what was changed inside (Ctrl+Backspace)")
        self.back_button.clicked.connect(self.back_wanted)
        self.back_button.hide()
        self._lay_out()
        document.eased.connect(self._show)
        files.changed.connect(self._show_file)

    def enter_fit(self) -> None:
        """Go to the field of the wished length."""
        self.fit_field.setFocus()
        self.fit_field.selectAll()

    def fit_to_length(self) -> None:
        """Give the whole result the length in the field."""
        project = self._document.project
        try:
            wish = parse_time(self.fit_field.text() or self.fit_field.placeholderText(), project.rate)
        except PlanError as error:
            self._document.refused.emit(str(error))
            return
        self._document.apply("Fit to length", lambda p: pacing.fit_to_length(p, wish))

    @property
    def title(self) -> str:
        """What the project is called."""
        project = self._document.project
        if project.outside is not None:
            return f"Inside {project.footage_named(project.outside.key).name}"
        if self._files.path:
            return self._files.path.stem
        return project.footage[0].name if project.footage else "Chronoxis"

    def show_exports(self, going_on: Sequence[Job]) -> None:
        """Show how many exports go on, and how long that takes yet."""
        self.exports_button.setVisible(bool(going_on))
        many = f"{len(going_on)} exports" if len(going_on) > 1 else "1 export"
        left = seconds_left(going_on)
        self.exports_button.setText(many if left is None else f"{many}  ·  {format_time(left, 0)} left")

    def _lay_out(self) -> None:
        head = QHBoxLayout(self)
        head.setContentsMargins(14, 6, 14, 2)
        head.addWidget(self._title)
        head.addSpacing(6)
        head.addWidget(self.back_button)
        head.addWidget(self._state)
        head.addStretch()
        head.addWidget(self._length)
        head.addSpacing(8)
        head.addWidget(self._summary)
        head.addStretch()
        for widget in (self.fit_field, self.fit_button, self.exports_button, self.export_button):
            head.addWidget(widget)

    def _show(self) -> None:
        project = self._document.project
        self.back_button.setVisible(project.outside is not None)
        self._show_file()
        self.fit_button.setEnabled(bool(project.shots))
        if not project.shots:
            self._length.setText("")
            self._summary.show_text("no shot: add a recording from the left" if project.footage else "")
            return
        recorded, lasting = project.recorded_length, project.result_length
        self._length.setText(format_time(lasting))
        average = format_speed(float(recorded / lasting))
        single = len(project.rows) == 1
        self._summary.show_text(
            f"from {format_time(recorded)} recorded  ·  {average}{'' if single else ' on average'}  ·  "
            f"{format_rate(project.rate)} fps  ·  {self._document.frame_count:,} frames"
        )

    def _show_file(self) -> None:
        self._title.show_text(self.title)
        self._state.setText(
            "not saved" if self._document.is_modified else "saved" if self._files.path else ""
        )
