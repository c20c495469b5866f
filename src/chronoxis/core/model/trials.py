"""Edits of trials: states of the whole project that were kept to be held against each other."""

from collections.abc import Callable
from dataclasses import replace

from chronoxis.core.errors import PlanError
from chronoxis.core.model.nesting import outermost
from chronoxis.core.model.project import Project, Trial

MOST_TRIALS = 8
"""Trials that a project keeps."""

_LONGEST_NAME = 40  # characters


def keep_trial(project: Project, name: str = "") -> Project:
    """Keep the project as it is now, with all runs left, under a name or the first free one: ``Trial 2``.

    Raises:
        PlanError: there is nothing to keep, no room, or the name is taken or too long.
    """
    state = state_of(project)
    if not state.shots:
        raise PlanError("There is no shot yet that a trial could keep.")
    if len(project.trials) >= MOST_TRIALS:
        raise PlanError(f"A project keeps {MOST_TRIALS} trials; remove one first.")
    taken = {trial.name for trial in project.trials}
    free = next(f"Trial {number}" for number in range(1, MOST_TRIALS + 2) if f"Trial {number}" not in taken)
    return replace(project, trials=(*project.trials, Trial(_checked(project, name) or free, state)))


def take_trial(project: Project, number: int) -> Project:
    """The project as a trial has it; trials stay, and so does footage that was brought in since.

    Raises:
        PlanError: the present footage and that of the trial go by the same key.
    """
    state = project.trials[number].state
    known = {footage.key: footage.origin for footage in state.footage}
    present = outermost(project).footage
    if any(known.get(footage.key, footage.origin) != footage.origin for footage in present):
        raise PlanError("The footage of this trial was removed, and other footage goes by its name now.")
    newer = tuple(footage for footage in present if footage.key not in known)
    return replace(state, footage=(*state.footage, *newer), trials=project.trials)


def rename_trial(project: Project, number: int, name: str) -> Project:
    """Give a trial another name. Raises PlanError if it is empty, taken or too long."""
    trials = list(project.trials)
    others = replace(project, trials=tuple(trials[:number] + trials[number + 1 :]))
    checked = _checked(others, name)
    if not checked:
        raise PlanError("A trial needs a name.")
    trials[number] = replace(trials[number], name=checked)
    return replace(project, trials=tuple(trials))


def remove_trial(project: Project, number: int) -> Project:
    """The project without a trial."""
    return replace(project, trials=project.trials[:number] + project.trials[number + 1 :])


def state_of(project: Project) -> Project:
    """What a trial keeps of a project: all of it, with all runs left, but its trials."""
    return replace(outermost(project), trials=())


def with_trials(edit: Callable[[Project], Project]) -> Callable[[Project], Project]:
    """The same edit of the project and of all its trials: what becomes known is so for all of them."""

    def along(project: Project) -> Project:
        edited = edit(project)
        if not edited.trials:
            return edited
        trials = tuple(replace(trial, state=edit(trial.state)) for trial in edited.trials)
        return replace(edited, trials=trials) if trials != edited.trials else edited

    return along


def _checked(project: Project, name: str) -> str:
    """A name without blanks around it. Raises PlanError if it is taken or too long."""
    name = name.strip()
    if len(name) > _LONGEST_NAME:
        raise PlanError(f"A trial's name has {_LONGEST_NAME} letters at most.")
    if any(trial.name == name for trial in project.trials):
        raise PlanError(f"There is a trial “{name}” already.")
    return name
