"""Edits of sound; pure functions from one project to the next."""

from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.model.music import BeatChoices, Credit, Music, MusicPiece
from chronoxis.core.model.pacing import changed
from chronoxis.core.model.project import Passage, Place, Project
from chronoxis.core.model.sound import Effect, Manner, Mix, PassageSound


def set_manner(project: Project, places: Iterable[Place], manner: Manner) -> Project:
    """Choose how the recorded sound of passages follows the speed."""
    return _with_sound(project, places, lambda sound: replace(sound, manner=manner))


def set_level(project: Project, places: Iterable[Place], level: float) -> Project:
    """Choose the level of passages in dB. Raises PlanError if it is out of range."""
    return _with_sound(project, places, lambda sound: replace(sound, level=level))


def set_fades(
    project: Project,
    places: Iterable[Place],
    fade_in: Fraction | None = None,
    fade_out: Fraction | None = None,
) -> Project:
    """Choose how long passages fade in and out, in result seconds. Raises PlanError for less than 0."""

    def faded(sound: PassageSound) -> PassageSound:
        return replace(
            sound,
            fade_in=sound.fade_in if fade_in is None else fade_in,
            fade_out=sound.fade_out if fade_out is None else fade_out,
        )

    return _with_sound(project, places, faded)


def set_effect(project: Project, places: Iterable[Place], effect: Effect | None) -> Project:
    """Choose what is heard with the ramps at the end of passages; None for nothing but what rules say.

    Raises:
        PlanError: the effect does not follow ramps.
    """
    if effect is not None and not effect.kind.follows_ramps:
        raise PlanError(f"A {effect.kind} does not go with a ramp; choose a rush or a burner.")
    return changed(project, places, lambda passage: replace(passage, effect=effect))


def tune_effects(
    project: Project, places: Iterable[Place], level: float | None = None, colour: float | None = None
) -> Project:
    """Choose level (dB) and colour of all effects that follow the speed, and of those of some ramps.

    Raises:
        PlanError: one of them is out of range.
    """

    def tuned(effect: Effect) -> Effect:
        return replace(
            effect,
            level=effect.level if level is None else level,
            colour=effect.colour if colour is None else colour,
        )

    def with_tuned(passage: Passage) -> Passage:
        return replace(passage, effect=tuned(passage.effect)) if passage.effect else passage

    rules = tuple(replace(rule, effect=tuned(rule.effect)) for rule in project.mix.rules)
    return changed(replace(project, mix=replace(project.mix, rules=rules)), places, with_tuned)


def set_mix(project: Project, mix: Mix) -> Project:
    """Choose how all sound goes together."""
    return replace(project, mix=mix)


def set_music(project: Project, number: int, piece: MusicPiece) -> Project:
    """Change one music under the result."""
    return replace(project, music=(*project.music[:number], piece, *project.music[number + 1 :]))


def delete_music(project: Project, number: int) -> Project:
    """Take one music away from under the result; its footage stays."""
    return replace(project, music=(*project.music[:number], *project.music[number + 1 :]))


def set_credit(project: Project, key: str, credit: Credit) -> Project:
    """Say whose music it is. Raises PlanError if the footage is no music."""
    return project.with_footage(replace(_music(project, key), credit=credit))


def set_beats(project: Project, key: str, beats: BeatChoices) -> Project:
    """Say something of the beats of music. Raises PlanError if the footage is no music."""
    return project.with_footage(replace(_music(project, key), beats=beats))


def _music(project: Project, key: str) -> Music:
    footage = project.footage_named(key)
    if not isinstance(footage, Music):
        raise PlanError(f"{footage.label} is no music.")
    return footage


def _with_sound(
    project: Project, places: Iterable[Place], change: Callable[[PassageSound], PassageSound]
) -> Project:
    def with_it(passage: Passage) -> Passage:
        return replace(passage, sound=change(passage.sound))

    return changed(project, places, with_it)
