"""What the camera does on both sides of a cut, in words, with what can be done about it."""

from fractions import Fraction

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.camera_paths import CameraPaths
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.core.model import arranging, joining
from chronoxis.core.model.project import Project
from chronoxis.core.render.camera_at_joins import JoinCamera
from chronoxis.core.timing.timecode import format_time
from chronoxis.core.traces.camera_moves import agreement


class CameraWords(QWidget):
    """Shows one join at a time."""

    def __init__(self, document: Document, cameras: CameraPaths) -> None:
        super().__init__()
        self._document, self._cameras = document, cameras
        self._join: int | None = None
        self.words = TextLabel()
        self.words.setWordWrap(True)
        self.reversals: list[QPushButton] = []
        self.whips: list[QPushButton] = []
        row = QHBoxLayout()
        for column, side in enumerate(("before", "after")):
            turn = push_button(
                f"Reverse {side}", f"Play the shot {side} the cut the other way, so that both agree"
            )
            turn.clicked.connect(lambda _, column=column: self._reverse(column))
            tip = f"Cut where a fast movement blurs the picture most, {side} the cut"
            whip = push_button(f"Whip {side}", tip)
            whip.clicked.connect(lambda _, column=column: self._cut_at_whip(column))
            turn.hide()
            whip.hide()
            self.reversals.append(turn)
            self.whips.append(whip)
        for button in (*self.reversals, *self.whips):
            row.addWidget(button)
        row.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        layout.addWidget(self.words)
        layout.addLayout(row)
        cameras.changed.connect(self._show)

    def show_join(self, join: int | None) -> None:
        """Show a join; None where several are selected."""
        self._join = join
        self._show()

    def _show(self) -> None:
        join, project = self._join, self._document.project
        if join is None or join + 1 >= len(project.shots):
            self.words.setText("Several joins: select one to see how the camera moves there.")
            self._offer(None)
            return
        camera = self._cameras.at_join(join) if self.isVisible() else None
        if camera is None:
            self.words.setText("Looking how the camera moves here…" if self._cameras.is_busy else "")
        else:
            self.words.setText(agreement(camera.before.move, camera.after.move))
        self._offer(camera)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._show()

    def _offer(self, camera: JoinCamera | None) -> None:
        for button in self.reversals:
            button.setVisible(camera is not None and camera.are_opposed)
        times = (camera.whip_before, camera.whip_after) if camera is not None else (None, None)
        for button, at, side in zip(self.whips, times, ("before", "after"), strict=True):
            button.setVisible(at is not None)
            if at is not None:
                button.setText(f"Whip {side}: {format_time(at, 1)}")

    def _reverse(self, after: int) -> None:
        if self._join is not None:
            number = self._join + after
            self._document.apply("Reverse", lambda p: arranging.reverse(p, [number]))

    def _cut_at_whip(self, after: int) -> None:
        join = self._join
        camera = self._cameras.at_join(join) if join is not None else None
        if join is None or camera is None:
            return
        at = camera.whip_after if after else camera.whip_before
        if at is not None:
            self._document.apply("Cut at the whip", lambda p: _ending_at(p, join, at, after=bool(after)))


def _ending_at(project: Project, join: int, at: Fraction, *, after: bool) -> Project:
    return joining.set_edge(project, join + after, at, at_end=not after)
