"""What is selected: passages, or footage that is looked at."""

from collections.abc import Callable, Iterable

from PySide6.QtCore import QObject, Signal

from chronoxis.core.model.project import Place, Project


class Selection(QObject):
    """The selected passages and the chosen footage.

    Attributes:
        places: the selected passages.
        footage: key of the chosen footage, or None.
        music: of chosen music, the number of one place where it lies, or None.

    Signals:
        changed: other passages are selected.
        footage_chosen: other footage is chosen, or none.
    """

    changed = Signal()
    footage_chosen = Signal()

    def __init__(self, project: Callable[[], Project]) -> None:
        """``project`` gives the present one."""
        super().__init__()
        self._project = project
        self.places: frozenset[Place] = frozenset()
        self._in_order: tuple[frozenset[Place], list[Place]] = self.places, []
        self.footage: str | None = None
        self.music: int | None = None

    def begin(self) -> None:
        """Select what is selected in a project that was only just begun with; it is told by `tell`."""
        self.places = frozenset([Place(0, 0)]) if self._project().shots else frozenset()
        self.footage = None

    def tell(self) -> None:
        """Say that all of it may be another."""
        self.changed.emit()
        self.footage_chosen.emit()

    def select(self, places: Iterable[Place]) -> None:
        """Select passages; footage is no longer chosen then."""
        chosen = frozenset(places)
        changed, self.places = chosen != self.places, chosen
        self.choose_footage(None)
        if changed:
            self.changed.emit()

    def select_join(self, number: int) -> None:
        """Select the passages on both sides of a join."""
        before = self._project().shots[number]
        self.select([Place(number, len(before.passages) - 1), Place(number + 1, 0)])

    def select_what_is_there(self) -> None:
        """Let go of passages that the project has no more."""
        project = self._project()
        there = [place for place in self.places if project.has(place)]
        if len(there) < len(self.places):
            self.select(there or ([Place(0, 0)] if project.shots else []))

    def choose_footage(self, key: str | None, music: int | None = None) -> None:
        """Choose footage, to look at what it is; of music perhaps one place where it lies, by its number."""
        if music is None:
            pieces = enumerate(self._project().music)
            music = next((number for number, piece in pieces if piece.footage == key), None)
        if (key, music) != (self.footage, self.music):
            self.footage, self.music = key, music
            self.footage_chosen.emit()

    def choose_what_is_there(self) -> None:
        """Let go of footage, or of a place of music, that the project has no more."""
        project = self._project()
        if all(footage.key != self.footage for footage in project.footage):
            self.choose_footage(None)
        elif self.music is None or not (
            self.music < len(project.music) and project.music[self.music].footage == self.footage
        ):
            self.choose_footage(self.footage)

    @property
    def in_order(self) -> list[Place]:
        """The selected passages in playing order."""
        if self._in_order[0] is not self.places:
            self._in_order = self.places, sorted(self.places)
        return self._in_order[1]

    @property
    def shots(self) -> list[int]:
        """Numbers of the shots that have a selected passage."""
        return list(dict.fromkeys(place.shot for place in self.in_order))

    @property
    def joins(self) -> list[int]:
        """Numbers of the joins between selected shots; of one shot that behind it, of the last one before."""
        shots, last = self.shots, len(self._project().shots) - 1
        chosen = set(shots)
        between = [number for number in shots if number + 1 in chosen]
        if between or len(shots) != 1 or last < 1:
            return between
        return [shots[0] if shots[0] < last else last - 1]
