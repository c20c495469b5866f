"""What is under way for the project's footage: opening it, counting its frames, drawing the demo."""

from collections.abc import Hashable
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from chronoxis.app.document.document import Document
from chronoxis.app.files.disk_questions import DiskQuestions
from chronoxis.app.footage.demo_drawing import DemoDrawing
from chronoxis.app.footage.drawn_moments import DrawnMoments
from chronoxis.app.footage.loader import Loader
from chronoxis.app.footage.on_disk import OnDisk
from chronoxis.app.footage.shelf import Shelf
from chronoxis.app.weave.rails import STRIP
from chronoxis.app.weave.weave import Weave
from chronoxis.core.footage.source import Facts, Source
from chronoxis.core.model import arranging
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.music import MusicFile
from chronoxis.core.model.photo_run import PhotoFiles
from chronoxis.core.model.project import Project
from chronoxis.core.model.trials import with_trials

_COUNTING, _DRAWING = "counting frames…", "being drawn…"


class Loading(QObject):
    """Brings footage into the document, and shows on the shelf and the Weave how far that is.

    Signals:
        run_offered: one photo was chosen, and the run that it is of; both are origins.
        opened: the facts of footage that was opened, and its first picture.
        brought_in: the same, of footage that is new to the project.
        said: a message for the person; empty when there is nothing more to say.
    """

    run_offered = Signal(object, object)
    opened = Signal(object, object)
    brought_in = Signal(object, object)
    said = Signal(str)

    def __init__(self, document: Document, disk: DiskQuestions, shelf: Shelf, weave: Weave) -> None:
        super().__init__()
        self._document, self._disk, self._shelf, self._weave = document, disk, shelf, weave
        self.loader = Loader()
        self.loader.looked.connect(self._looked)
        self.loader.opened.connect(self._opened)
        self.loader.progress.connect(self._count)
        self.loader.counted.connect(self._counted)
        self.loader.failed.connect(self._failed)
        self.on_disk = OnDisk(document)
        self.on_disk.altered.connect(self._read_again)
        self.on_disk.gone.connect(self._gone)
        self.loader.stamped.connect(self.on_disk.remember)
        self._read_again_of: set[Hashable] = set()
        self.drawing = DemoDrawing()
        self.moments = DrawnMoments(document)
        self.moments.drawn.connect(self._show_moment)
        self.drawing.progress.connect(lambda origin, share: document.wait_for(origin, _DRAWING, share))
        self.drawing.drawn.connect(self._drawn)
        self.drawing.failed.connect(self._failed)
        shelf.given_up.connect(self._give_up)
        shelf.count_wanted.connect(self.loader.load)

    def bring_in(self, *paths: Path) -> None:
        """Open files and folders as new footage; the window stays usable meanwhile."""
        self.said.emit("")
        self.loader.look_at([path.absolute() for path in paths])

    def bring_in_music(self, paths: list[Path]) -> None:
        """Open files for their sound alone."""
        self.said.emit("")
        for path in paths:
            self.loader.load(MusicFile(path.absolute()))

    def _looked(self, origins: list[Hashable], run: PhotoFiles | None) -> None:
        if run is not None and len(run.names) > 1:
            self.run_offered.emit(origins[0], run)
            return
        for origin in origins:
            self.loader.load(origin)

    def load_project(self) -> None:
        """Open all footage of the project, in place of what was being opened."""
        self.loader.cancel_all()
        recorded = (footage for footage in self._document.project.footage if not footage.made_of)
        for footage in recorded:
            if footage.origin in self.drawing.under_way:
                self._document.wait_for(footage.origin, _DRAWING, 0.0)
                self.moments.begin(footage)
            else:
                self.loader.load(footage.origin)

    def load_lacking(self) -> None:
        """Open the footage of the project that nobody opened yet, such as that of a trial that was taken."""
        known = self._document.known
        tried = {*known.sources, *known.missing, *known.pending, *known.stopped, *self.drawing.under_way}
        for footage in self._document.project.footage:
            if not footage.made_of and footage.origin not in tried:
                self.loader.load(footage.origin)

    def found(self, key: str, path: Path) -> None:
        """Take missing footage from where it is now, and other that lies beside it under its old name."""
        document, folder = self._document, path.absolute().parent
        beside = {
            footage.key: folder / footage.files[0].name
            for footage in document.project.footage
            if footage.key != key and footage.origin in document.known.missing and footage.files
        }
        asked = {footage.key: footage.origin for footage in document.project.footage}
        self._disk.ask(
            lambda: {other: place for other, place in beside.items() if place.exists()},
            lambda there: self._locate(asked, {key: path.absolute(), **there}),
        )

    def _locate(self, asked: dict[str, Hashable], places: dict[str, Path]) -> None:
        """Look for footage in these places, unless it is another by now: nobody waited for the disk."""
        here = {footage.key: footage.origin for footage in self._document.project.footage}
        places = {key: place for key, place in places.items() if here.get(key) == asked[key]}

        def edit(project: Project) -> Project:
            for footage in project.footage:
                if footage.key in places and footage.origin == asked[footage.key]:
                    project = arranging.locate(project, footage.key, places[footage.key])
            return project

        if self._document.apply("Locate", with_trials(edit)):
            self.said.emit("")
            for footage in self._document.project.footage:
                if footage.key in places:
                    self.loader.load(footage.origin)

    def close(self) -> None:
        """Stop, giving up what is under way."""
        self.on_disk.close()
        self.drawing.close()
        self.moments.close()
        self.loader.close()

    def _read_again(self, origin: Hashable) -> None:
        """Files are not what they were: nothing that was read of them is believed any more."""
        if origin in self.drawing.under_way:
            return
        if origin in self._document.known.sources:
            self.said.emit(f"{self._label(origin)} was changed on the disk and is read again.")
        self._read_again_of.add(origin)
        self._document.forget(origin)
        self.loader.load(origin)

    def _gone(self, origin: Hashable, path: Path) -> None:
        self._document.miss(
            origin, f"{path} is not there any more; put it back, or find where the file was moved."
        )

    def _label(self, origin: Hashable) -> str:
        return next(f.label for f in self._document.project.footage if f.origin == origin)

    def _opened(self, facts: Facts, picture: QImage) -> None:
        is_new = not self._document.uses(facts.origin)
        self._document.meet(facts)
        self._shelf.show_thumbnail(facts.origin, picture)
        wide = max(1, round(picture.width() * STRIP / picture.height()))
        for footage in self._document.project.footage:
            if footage.origin == facts.origin:
                self._weave.strips.put(footage.course, 0.0, picture.scaled(wide, STRIP))
        self._count(facts.origin, 0.0)
        self.opened.emit(facts, picture)
        if is_new:
            self.brought_in.emit(facts, picture)

    def _count(self, origin: Hashable, share: float) -> None:
        self._document.wait_for(origin, _COUNTING, share)

    def _counted(self, source: Source) -> None:
        self._document.wait_for(source.facts.origin, _COUNTING, None)
        self._document.count(source)
        if source.facts.origin in self._read_again_of:
            self._read_again_of.discard(source.facts.origin)
            self.said.emit("")
        self._document.move_playhead(self._document.playhead)

    def _show_moment(self, footage: Footage, seconds: float, picture: QImage) -> None:
        """A small picture of what is being drawn."""
        if seconds == 0:
            self._shelf.show_thumbnail(footage.origin, picture)
        self._weave.strips.put(footage.course, seconds, picture)

    def _failed(self, origin: Hashable, message: str) -> None:
        self.moments.end(origin)
        self._document.wait_for(origin, "", None)
        if self._document.uses(origin):
            self._document.miss(origin, message)
        else:
            self.said.emit(message)

    def _drawn(self, origin: Hashable) -> None:
        self.moments.end(origin)
        self._document.wait_for(origin, _DRAWING, None)
        if self._document.uses(origin):
            self.loader.load(origin)

    def _give_up(self, origin: Hashable) -> None:
        if origin in self.drawing.under_way:
            self.drawing.give_up(origin)
            return
        self.loader.cancel(origin)
        self._document.stop_waiting(origin)
