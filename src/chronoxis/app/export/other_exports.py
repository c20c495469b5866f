"""Exports of more than the project as it is: other recordings condensed alike, and trials."""

import re
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import QObject, Signal

from chronoxis.app.export.result_names import free_name, name_ending
from chronoxis.app.workers import QueueWorker
from chronoxis.core.model.project import Project, Trial
from chronoxis.core.render.treated_alike import mean_speed, speed_in_name, treated_alike
from chronoxis.core.timing.speed import format_speed

_MOST_TOLD = 4  # recordings that cannot be condensed, of which the reason is said
_NOT_IN_NAMES = re.compile(r"[^\w.+×=,-]+")  # parts of a trial's name that do not go into a file's


class OtherExports(QObject):
    """Makes projects of what else is to be exported, one after another beside the window.

    Signals:
        ready: a project, and where its result is to be written.
        said: what there is to say: what is under way, and what could not be had.
    """

    ready = Signal(object, object)
    said = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._refused: list[str] = []
        self._worker = QueueWorker(lambda wish: wish.ready(), "other exports", drops=True)
        self._worker.done.connect(self._tell_ready)
        self._worker.failed.connect(self._tell_refused)

    def condense_alike(self, paths: Sequence[Path], project: Project, folder: Path) -> None:
        """Have other recordings, or folders of photos, condensed as a project is, into a folder."""
        self._refused = []
        self.said.emit(
            f"{len(paths)} to be condensed at {format_speed(mean_speed(project))}, as this project is…"
        )
        for path in paths:
            self._worker.ask(_Wish(path.name, partial(_alike, path, project, folder)))

    def export_trials(self, trials: Sequence[Trial], folder: Path, stem: str) -> None:
        """Have trials exported as each of them says; names begin with a stem and have theirs in them."""
        self._refused = []
        for trial in trials:
            self._worker.ask(_Wish(trial.name, partial(_of_trial, trial, folder, stem)))

    def close(self) -> None:
        """Stop the work in the background."""
        self._worker.close()

    def _tell_ready(self, _wish: object, made: tuple[Project, Path]) -> None:
        self.said.emit("\n".join(self._refused))
        self.ready.emit(*made)

    def _tell_refused(self, wish: "_Wish", why: str) -> None:
        """Say that one cannot be exported, beside what was said of others."""
        self._refused = [*self._refused, f"{wish.name}: {why}"][-_MOST_TOLD:]
        self.said.emit("\n".join(self._refused))


class _Wish(NamedTuple):
    """What is to be exported as well.

    Attributes:
        name: what it is called where it is said why it cannot be had.
        ready: gives the project and where its result goes. Raises FootageError, PlanError.
    """

    name: str
    ready: Callable[[], tuple[Project, Path]]


def _alike(path: Path, like: Project, folder: Path) -> tuple[Project, Path]:
    """A recording treated as a project is, and a free name in a folder."""
    project = treated_alike(path, like)
    name = f"{path.stem}-{speed_in_name(mean_speed(project))}"
    return project, free_name(folder, name, name_ending(project.settings.format), frozenset())


def _of_trial(trial: Trial, folder: Path, stem: str) -> tuple[Project, Path]:
    """A trial's state, and a free name in a folder that begins with a stem."""
    state = trial.state
    name = f"{stem}-{_NOT_IN_NAMES.sub('-', trial.name).strip('-.')}"
    return state, free_name(folder, name, name_ending(state.settings.format), frozenset())
