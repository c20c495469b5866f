"""One export in the list: how it stands, and what can be done about it."""

from pathlib import Path

from PySide6.QtCore import QUrl, Signal
from PySide6.QtGui import QDesktopServices, QImage
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout

from chronoxis.app.export.exports import Exports
from chronoxis.app.footage.share_bar import ShareBar
from chronoxis.app.picture_card import PictureCard
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import plain_tip
from chronoxis.core.queue.jobs import Job, JobState
from chronoxis.core.timing.timecode import format_time

_OPEN = (JobState.WAITING, JobState.UNDER_WAY, JobState.PAUSED)


class ExportRow(PictureCard):
    """Its picture, name, progress, and the acts that go with how it stands.

    Signals:
        again: a person wants to export it once more, with other choices.
        failed: a message for the person.
    """

    again = Signal(int)
    failed = Signal(str)

    def __init__(self, exports: Exports, job: Job) -> None:
        super().__init__()
        self._exports, self.job = exports, job
        self._shown_picture = b""
        self.bar = ShareBar()
        self.bar.setToolTip("How far it is")
        number = job.id
        self._acts: list[tuple[QPushButton, str, tuple[JobState, ...]]] = []
        self._act("Pause", "Let it rest; what is made of it stays", _OPEN[:2], lambda: exports.pause(number))
        self._act("Go on", "Let it go on", (JobState.PAUSED,), lambda: exports.go_on(number))
        self._act(
            "Try again", "Go on with what is made of it", (JobState.FAILED,), lambda: exports.go_on(number)
        )
        self._act(
            "Locate…",
            "Say where footage was moved to that it lacks, and go on",
            (JobState.FAILED,),
            lambda: exports.tell_missing(number),
        )
        self._act("First", "Let it be the next one", (JobState.WAITING,), lambda: exports.to_top(number))
        self._act("Play", "Open it in the desktop's player", (JobState.DONE,), self._play)
        self._act("Folder", "Show where it is", (JobState.DONE,), self._show_folder)
        self._act(
            "Again…",
            "Export the same once more, with other choices",
            (JobState.DONE, JobState.FAILED),
            lambda: self.again.emit(number),
        )
        self._act("Cancel", "Stop it; what is made of it goes", _OPEN, lambda: exports.cancel(number))
        self._act(
            "Remove",
            "Take it off the list; a file that is done stays",
            (JobState.DONE, JobState.FAILED),
            lambda: exports.cancel(number),
        )
        self._lay_out()
        self.show_job(job)

    def button(self, text: str) -> QPushButton:
        """The button of an act. Raises StopIteration if there is none."""
        return next(button for button, name, _ in self._acts if name == text)

    def show_job(self, job: Job) -> None:
        """Show how it stands."""
        self.job = job
        self._name.show_text(job.output.name)
        self._facts.show_text(_in_words(job))
        self.caution.setText(job.why)
        self.caution.setVisible(bool(job.why))
        self.bar.setVisible(job.is_open and job.total > 0)
        self.bar.show_share(job.done / job.total if job.total else 0.0)
        if job.picture != self._shown_picture:
            self._shown_picture = job.picture
            self._picture.show_image(QImage.fromData(job.picture))
        self.setToolTip(plain_tip(str(job.output)))
        self.setAccessibleName(f"Export {job.output.name}, {job.state}")
        for button, text, states in self._acts:
            button.setVisible(job.state in states)
            button.setAccessibleName(f"{text} {job.output.name}")

    def _act(self, text: str, tip: str, states: tuple[JobState, ...], act: object) -> None:
        button = push_button(text, tip)
        button.clicked.connect(act)
        self._acts.append((button, text, states))

    def _play(self) -> None:
        self._open(QUrl.fromLocalFile(str(self.job.outcome["output"])))

    def _show_folder(self) -> None:
        self._open(QUrl.fromLocalFile(str(Path(str(self.job.outcome["output"])).parent)))

    def _open(self, url: QUrl) -> None:
        if not QDesktopServices.openUrl(url):
            self.failed.emit(f"No program here opens {url.toLocalFile()}.")

    def _lay_out(self) -> None:
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        for button, _, _ in self._acts:
            buttons.addWidget(button)
        buttons.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(5, 4, 4, 4)
        layout.setSpacing(3)
        layout.addLayout(self.head)
        layout.addWidget(self.bar)
        layout.addWidget(self.caution)
        layout.addLayout(buttons)


def _in_words(job: Job) -> str:
    """How an export stands."""
    match job.state:
        case JobState.DONE:
            length = format_time(float(job.outcome["length"]), 2)
            return f"done  ·  {job.total:,} frames, {length}\n{in_megabytes(int(job.outcome['size']))}"
        case JobState.UNDER_WAY if job.total:
            left = "" if job.seconds_left is None else f"  ·  {format_time(job.seconds_left, 0)} left"
            where = "" if job.machines is None else f", {job.machines.in_words}"
            return f"{job.done:,} of {job.total:,} frames{where}\n{job.rate:.1f} a second{left}"
        case JobState.UNDER_WAY:
            return "getting ready…"
        case JobState.WAITING if job.expected is not None and not job.done:
            return f"waiting  ·  takes about {format_time(max(job.expected, 1), 0)}"
        case _ if job.done:
            return f"{job.state}  ·  {job.done:,} of {job.total:,} frames are made"
        case _:
            return str(job.state)


def in_megabytes(size: int) -> str:
    """Bytes, for a person."""
    return f"{size / 1e9:.2f} GB" if size >= 1e9 else f"{size / 1e6:.1f} MB"
