"""Gives presets to shots; one that goes by Lulls waits until what tells them is measured."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, Signal

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.found_lulls import FoundLulls
from chronoxis.core.model import lull_marks
from chronoxis.core.model import preset as presets
from chronoxis.core.model.lull_acts import LullsOf
from chronoxis.core.model.preset import AtSpeed, Preset, ThroughLulls
from chronoxis.core.model.project import Project
from chronoxis.core.timing.lulls import LullWish

Edit = Callable[[Project], Project]


@dataclass(frozen=True)
class _Waiting:
    """What is to be done once Lulls can be told.

    Attributes:
        preset: what was wished.
        shots: numbers of shots, and the footage that each of them had.
        also: what else is to be done then, in the same step.
    """

    preset: Preset
    shots: tuple[tuple[int, str], ...]
    also: Edit


class PresetActs(QObject):
    """Applies presets in one step of undo.

    Signals:
        said: a message for the person; empty when it no longer holds.
        applied: a preset was applied.
    """

    said = Signal(str)
    applied = Signal()

    def __init__(self, document: Document, found: FoundLulls) -> None:
        super().__init__()
        self._document, self._found = document, found
        self._waiting: _Waiting | None = None
        found.changed.connect(self._go_on)

    @property
    def is_waiting(self) -> bool:
        """Whether a preset waits for what is measured."""
        return self._waiting is not None

    def apply(
        self,
        preset: Preset,
        shots: Sequence[int] | None = None,
        also: Edit = lambda project: project,
    ) -> bool:
        """Give shots a treatment, the selected ones if none are named; all, if none is selected.

        ``also`` is done in the same step. Returns whether that is done; if not, it was refused, or waits.
        """
        project = self._document.project
        chosen = list(shots) if shots is not None else self._document.selection.shots
        chosen = chosen or list(range(len(project.shots)))
        self._forget()
        if isinstance(preset.pace, ThroughLulls) and self._lacks(chosen, preset.pace.wish):
            told = tuple((number, project.shots[number].footage) for number in chosen)
            self._waiting = _Waiting(preset, told, also)
            self.said.emit(f"{preset.name}: Lulls are being found; it goes on by itself once they are.")
            return False
        return self._apply(preset, chosen, also)

    def _apply(self, preset: Preset, shots: Sequence[int], also: Edit) -> bool:
        def edit(project: Project) -> Project:
            return presets.apply(also(project), shots, chosen, lulls)

        chosen, lulls = preset, self._lulls(self._document.project, shots, preset)
        if isinstance(preset.pace, ThroughLulls) and not any(lulls.values()):
            rest = preset.pace.rest
            chosen = replace(preset, pace=None if rest is None else AtSpeed(rest))
            self.said.emit(f"{preset.name}: there is no Lull in it; the rest of it is done.")
        done = self._document.apply(f"Apply {preset.name}", edit)
        if done:
            self.applied.emit()
        return done

    def _go_on(self) -> None:
        """Do what waits, once what it waits for is there; forget it where its shots are gone."""
        if self._waiting is None:
            return
        preset, also, project = self._waiting.preset, self._waiting.also, self._document.project
        shots = [number for number, _ in self._waiting.shots]
        there = [shot.footage for shot in project.shots]
        if any(there[number : number + 1] != [key] for number, key in self._waiting.shots):
            self._forget()
        elif isinstance(preset.pace, ThroughLulls) and not self._lacks(shots, preset.pace.wish):
            self._forget()
            self._apply(preset, shots, also)

    def _forget(self) -> None:
        if self._waiting is not None:
            self._waiting = None
            self.said.emit("")

    def _lacks(self, shots: Sequence[int], wish: LullWish) -> bool:
        project = self._document.project
        footage = {project.shots[number].footage for number in shots}
        return any(self._found.known(project.footage_named(key)).waits(wish.by) for key in footage)

    def _lulls(self, project: Project, shots: Sequence[int], preset: Preset) -> LullsOf:
        """The lulls of shots, as the preset's own wish and what was corrected by hand have them."""
        if not isinstance(preset.pace, ThroughLulls):
            return {}
        project = replace(project, lulls=preset.pace.wish)
        found = {}
        for number in shots:
            known = self._found.known(project.footage_of(project.shots[number]))
            found[number] = lull_marks.lulls_of_shot(project, number, known.speech, known.change)
        return found
