"""The list of exports: those that wait, are under way, rest, are done or have failed."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from chronoxis.app.export.export_row import ExportRow
from chronoxis.app.export.exports import Exports
from chronoxis.app.push_button import push_button
from chronoxis.app.scroller import Scroller
from chronoxis.app.text_label import TextLabel
from chronoxis.core.queue.jobs import JobState

_ORDER = (JobState.UNDER_WAY, JobState.WAITING, JobState.FAILED, JobState.PAUSED, JobState.DONE)


class ExportList(QWidget):
    """A row for each export, those that go on first.

    Signals:
        again: a person wants to export one once more, with other choices; its number.
        failed: a message for the person.
    """

    again = Signal(int)
    failed = Signal(str)

    def __init__(self, exports: Exports) -> None:
        super().__init__()
        self._exports = exports
        self.rows: dict[int, ExportRow] = {}
        self._told = TextLabel("Exports go on when this window is closed, and after a restart.")
        self._told.setProperty("dim", True)
        self._told.setWordWrap(True)
        self.another = push_button("Ne&w export…", "Choose what another file should be like")
        self.others = push_button(
            "&Condense others…", "Export other recordings as this project is; or drop them here"
        )
        self.clear = push_button("C&lear done", "Take exports that are done off the list; their files stay")
        self.back = push_button("Bac&k to the Bench", "Go on adjusting (Esc)")
        self.go_on = push_button("&Go on with them", "Have exports made that were interrupted")
        self.go_on.setProperty("main", True)
        self.go_on.clicked.connect(exports.go_on_with_all)
        self.clear.clicked.connect(exports.clear)
        rows, inside = QWidget(), QVBoxLayout()
        rows.setLayout(inside)
        self._list = QVBoxLayout()
        self._list.setSpacing(6)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addLayout(self._list)
        inside.addWidget(self._told)
        acts = QHBoxLayout()
        acts.addWidget(self.others)
        acts.addWidget(self.go_on)
        acts.addStretch()
        inside.addLayout(acts)
        inside.addStretch()
        buttons = QHBoxLayout()
        buttons.addWidget(self.back)
        buttons.addStretch()
        buttons.addWidget(self.clear)
        buttons.addWidget(self.another)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(Scroller(rows), 1)
        layout.addLayout(buttons)
        exports.changed.connect(self.show_jobs)
        self.show_jobs()

    def show_jobs(self) -> None:
        """Show how all exports stand."""
        jobs = sorted(self._exports.jobs, key=lambda job: _ORDER.index(job.state))
        for number in set(self.rows) - {job.id for job in jobs}:
            row = self.rows.pop(number)
            row.hide()
            row.deleteLater()
        for place, job in enumerate(jobs):
            if job.id not in self.rows:
                row = self.rows[job.id] = ExportRow(self._exports, job)
                row.again.connect(self.again)
                row.failed.connect(self.failed)
            self.rows[job.id].show_job(job)
            if self._list.indexOf(self.rows[job.id]) != place:
                self._list.insertWidget(place, self.rows[job.id])
        self.go_on.setVisible(self._exports.rest)
        self.clear.setEnabled(any(job.state is JobState.DONE for job in jobs))
        self._told.setText(
            "Exports go on when this window is closed, and after a restart."
            if jobs
            else "Nothing is exported. A new export goes on when this window is closed."
        )
