"""First pictures of nested runs, for the shelf: made in the background whenever a run is another."""

from collections.abc import Callable, Hashable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from chronoxis.app.document.document import Document
from chronoxis.app.footage.shelf import Shelf
from chronoxis.app.pictures.frame_images import small_image
from chronoxis.app.workers import NewestWorker
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.model.nested import Nested
from chronoxis.core.render.nested_source import NestedSource

_HEIGHT = 72

_Wish = tuple[tuple[Hashable, NestedSource], ...]


class RunPictures(QObject):
    """Looks at the runs of each plan.

    Signals:
        made: the origin of a run, and its picture.
    """

    made = Signal(object, object)

    def __init__(self, document: Document, shelf: Shelf) -> None:
        super().__init__()
        self._document = document
        self.made.connect(shelf.show_thumbnail)  # which ends with the shelf
        self._made: dict[Hashable, Hashable] = {}  # by origin: the course that its picture is of
        self._work = NewestWorker(_first_pictures, "first pictures of runs")
        self._work.answered.connect(self._take)
        document.planned.connect(self._ask)

    def close(self) -> None:
        """Give up what is under way; `wait_for_ends` waits for the thread."""
        self._work.close()

    def _ask(self) -> None:
        wish = []
        for footage in self._document.project.footage:
            source = self._document.known.sources.get(footage.origin) if isinstance(footage, Nested) else None
            if isinstance(source, NestedSource) and self._made.get(footage.origin) != source.run.course:
                wish.append((source.run.course, source))
        if wish:
            self._work.ask(tuple(wish))

    def _take(self, _wish: _Wish, images: list[tuple[Hashable, Hashable, QImage]]) -> None:
        for origin, course, image in images:
            self._made[origin] = course
            self.made.emit(origin, image)


def _first_pictures(wish: _Wish, still_wanted: Callable[[], bool]) -> list[tuple[Hashable, Hashable, QImage]]:
    made: list[tuple[Hashable, Hashable, QImage]] = []
    for course, source in wish:
        if not still_wanted():
            break
        picture = source.facts.picture
        small = round(_HEIGHT * picture.width / picture.height), _HEIGHT
        try:
            with source.reader(1, small) as reader:
                made.append((source.origin, course, small_image(reader.frame(0), picture, _HEIGHT)))
        except ChronoxisError:
            continue  # what cannot be made there is said where the run is looked at
    return made
