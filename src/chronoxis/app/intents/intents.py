"""From an intention to a result: footage is asked for, and all of a preset is done with it."""

from collections.abc import Hashable, Sequence
from pathlib import Path

from PySide6.QtCore import QObject, Qt, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.files.file_actions import FileActions
from chronoxis.app.footage.loading import Loading
from chronoxis.app.presets.preset_acts import PresetActs
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.model.destinations import DESTINATIONS, Destination, send_to
from chronoxis.core.model.preset import EveryNth, Preset
from chronoxis.core.model.preset_questions import PaceQuestion, pace_question, suited
from chronoxis.core.model.project import Project
from chronoxis.demo.larkfield import demo_project
from chronoxis.demo.shown_presets import part_for


class Intents(QObject):
    """Begins with a preset and footage; each answer does all of it anew, in the one step of undo.

    Attributes:
        preset: what is wished, with the answer about its pace; None if nothing is.
        destination: where its result should go.

    Signals:
        begun: the footage is there, and the preset is given to it, or waits for what is measured.
        measured: whether all is measured that the result reads.
        said: a message for the person.
    """

    begun = Signal()
    measured = Signal(bool)
    said = Signal(str)

    def __init__(self, document: Document, files: FileActions, loading: Loading, acts: PresetActs) -> None:
        super().__init__()
        self._document, self._files, self._loading, self._acts = document, files, loading, acts
        self.preset: Preset | None = None
        self.destination = DESTINATIONS[0]
        self._wished: tuple[Path, ...] = ()  # files and folders that are waited for
        self._drawn: Hashable = None  # what of the demo is drawn first
        self._made: Project | None = None  # as it was left by the last answer
        # After what else follows a change: all of it at once would keep the window waiting.
        for signal in (document.footage_changed, document.changed):
            signal.connect(self._begin_once_there, Qt.ConnectionType.QueuedConnection)
        loading.drawing.drawn.connect(self._bring_in_drawn)
        acts.applied.connect(self._note_made)
        document.planned.connect(self._tell_measured)

    def begin(self, preset: Preset) -> None:
        """Ask for footage, and go on once it is there."""
        if isinstance(preset.pace, EveryNth):
            paths = self._files.ask_for_folder()
        else:
            paths = self._files.ask_for_footage()
        if paths:
            self._wish(preset, paths)
            self._files.open_files(paths)

    def begin_with_demo(self, preset: Preset) -> None:
        """Go on with footage of the demo that suits it; it is drawn first, if need be."""
        try:
            folder = demo_project().parent
        except ChronoxisError as error:
            self.said.emit(str(error))
            return
        part = part_for(preset.name)
        path = folder / part.name
        self._wish(preset, [path])
        if path.exists():
            self._loading.bring_in(path)
            return
        self._drawn = part.origin_in(folder)
        self._loading.drawing.begin(folder, only=part)
        self.said.emit(f"{Path(part.name).stem.replace('-', ' ')} is being drawn…")

    def answer(self, preset: Preset) -> None:
        """Do it with another answer about the pace."""
        self.preset = preset
        self._do()

    def send_to(self, destination: Destination) -> None:
        """Do it for another place that the result should go to."""
        self.destination = destination
        self._do()

    def forget(self) -> None:
        """Nothing is asked about any more."""
        self.preset, self._made = None, None

    @property
    def question(self) -> PaceQuestion | None:
        """What the preset leaves open of the pace."""
        recorded = self._document.project.recorded_length
        return None if self.preset is None else pace_question(self.preset, recorded)

    def _wish(self, preset: Preset, paths: Sequence[Path]) -> None:
        self.preset, self.destination = preset, DESTINATIONS[0]
        self._wished, self._drawn, self._made = tuple(path.absolute() for path in paths), None, None

    def _bring_in_drawn(self, origin: Hashable) -> None:
        if self._wished and origin == self._drawn:
            self.said.emit("")
            self._loading.loader.load(origin)

    def _begin_once_there(self) -> None:
        """Once all footage is counted, do it: what is known before may be wrong.

        Where other footage came instead, nothing is wished any more.
        """
        footage = [self._document.project.footage_of(shot) for shot in self._document.project.shots]
        if not self._wished or not footage:
            return
        if not any(_lies_in(file, self._wished) for each in footage for file in each.files):
            self._wished = ()
        elif all(each.counted for each in footage):
            self._wished = ()
            if self.preset is not None:
                self.preset = suited(self.preset, self._document.project.recorded_length)
            self._do()
            self.begun.emit()

    def _do(self) -> None:
        """Give all shots the preset, in place of what was made of an earlier answer."""
        document = self._document
        if self.preset is None:
            return
        if self._made is not None and self._made is document.project:
            document.undo()
        shots, destination = range(len(document.project.shots)), self.destination
        sizes = document.known.picture_sizes(document.project, shots)
        self._acts.apply(self.preset, shots, also=lambda project: send_to(project, destination, sizes))

    def _tell_measured(self) -> None:
        plan = self._document.plan
        self.measured.emit(plan is None or not plan.unmeasured)

    def _note_made(self) -> None:
        self._made = self._document.project


def _lies_in(file: Path, wished: Sequence[Path]) -> bool:
    return any(file == path or path in file.parents for path in wished)
