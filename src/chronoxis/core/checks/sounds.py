"""Checks of what is heard."""

from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise

import numpy as np

from chronoxis.core.checks.check import Check, Edit, Known, mark
from chronoxis.core.model import arranging, sounding
from chronoxis.core.model.beats import beats_in_result, chosen_beats
from chronoxis.core.model.music import BeatChoices, Music
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.sound import Manner
from chronoxis.core.render.credits import uncredited
from chronoxis.core.render.plan import Plan
from chronoxis.core.sound.sound_plan import Stretch
from chronoxis.core.timing.timecode import format_time

_SHARED_LUFS = -14.0  # that most places bring shared films to
_FAR_LUFS = 5.0
_STARTLING_JUMP = 12.0  # dB from one shot to the next that startle
_AROUND_CUT = 1.0  # result seconds on either side of a cut that count
_QUIET_LEVEL = 0.003  # level below which there is nothing to be startled by
_CLIPPED_LEVEL = 0.999  # level of samples that were cut off
_CLIPPED_SHARE = 0.01  # share of a stretch's hundredths of a second
_MISSED_SECONDS = 1.0  # result seconds without music at the end that are missed
_ON_BEAT = 0.75  # result frames by which what lies on a beat may be off it
_FEWEST_ON_BEATS = 4
_SHARE_ON_BEATS = 0.4  # of all changes: a pulse has one on its beat, and one after it
_LEAST_LEVEL, _MOST_LEVEL = -60.0, 24.0  # dB that a passage can have


def silent(plan: Plan, _known: Known) -> Iterator[Check]:
    """Sound that is wished, recorded, and never heard."""
    wished = plan.settings.sound and bool(plan.settings.format.sound_codec)
    recorded = any(source.facts.sound is not None for source in plan.sources)
    if wished and recorded and not plan.sound.is_heard:
        silent_above = float(plan.project.mix.silent_above)
        yield Check(
            "silent",
            f"Nothing is heard: recorded sound is silent here, or faster than {silent_above:g}×. Lay music "
            "under it, or let it be heard at higher speeds.",
            0.0,
            "",
            "Leave sound out",
            _without_sound,
        )


def _without_sound(project: Project) -> Project:
    return arranging.set_settings(project, replace(project.settings, sound=False))


def level_at_cuts(plan: Plan, known: Known) -> Iterator[Check]:
    """Recorded sound that is much louder on one side of a cut."""
    for one, other in pairwise(plan.sound.stretches):
        if one.shot == other.shot or Manner.SILENT in (one.manner, other.manner):
            continue
        before, after = _level(one, known, at_end=True), _level(other, known, at_end=False)
        if before is None or after is None:
            continue
        change = after - before
        if abs(change) < _STARTLING_JUMP:
            continue
        louder, by = (other, -change) if change > 0 else (one, change)
        place, level = Place(louder.shot, louder.passage), louder.level + by
        yield Check(
            "level at a cut",
            f"At {format_time(other.begin, 1)} the sound becomes {abs(change):.0f} dB "
            f"{'louder' if change > 0 else 'quieter'} at once.",
            other.begin,
            mark(plan.project, one.shot),
            f"Lower it by {abs(by):.0f} dB",
            _at_level(place, min(max(round(level, 1), _LEAST_LEVEL), _MOST_LEVEL)),
        )


def _level(stretch: Stretch, known: Known, *, at_end: bool) -> float | None:
    """The usual level of recorded sound at an end of a stretch, dB; None if it is not known, or nothing."""
    trace = known.sounds.get(stretch.source)
    if trace is None or not len(trace.levels):
        return None
    lasting = max(stretch.end - stretch.begin, 1e-6)
    share = min(_AROUND_CUT / lasting, 1.0)
    edge, inner = (
        (stretch.source_end, stretch.source_begin) if at_end else (stretch.source_begin, stretch.source_end)
    )
    times = np.linspace(edge, edge + (inner - edge) * share, 51)
    usual = float(np.mean(trace.peaks(times[:-1], times[1:])))
    return 20 * float(np.log10(usual)) + stretch.level if usual > _QUIET_LEVEL else None


def _at_level(place: Place, level: float) -> Edit:
    return lambda project: sounding.set_level(project, [place], level)


def clipped(plan: Plan, known: Known) -> Iterator[Check]:
    """Recorded sound that was too loud when it was recorded."""
    told = set[int]()
    for stretch in plan.sound.heard():
        trace = known.sounds.get(stretch.source)
        if trace is None or not len(trace.levels) or stretch.shot in told:
            continue
        low, high = sorted((stretch.source_begin, stretch.source_end))
        times = np.arange(low, high, 0.01)
        if len(times) < 10:
            continue
        full = trace.peaks(times, times) >= _CLIPPED_LEVEL
        if float(full.mean()) >= _CLIPPED_SHARE:
            told.add(stretch.shot)
            yield Check(
                "sound clipped",
                f"The sound of shot {stretch.shot + 1} was recorded too loud: it crackles in "
                f"{full.mean():.0%} of what is heard from {format_time(stretch.begin, 1)} on. Silence it "
                "there, or lay music over it.",
                stretch.begin,
                mark(plan.project, stretch.shot),
            )


def music(plan: Plan, _known: Known) -> Iterator[Check]:
    """Music that nobody is named for, or that ends too soon."""
    project, length = plan.project, float(plan.schedule.length)
    if not plan.settings.sound or not plan.settings.format.sound_codec:
        return
    for lacking in uncredited(project):
        yield Check(
            "music without credit",
            f"{lacking.label}: its title, author or licence is not noted; whoever shares it is asked for "
            "that. Its page has room for them.",
            0.0,
            lacking.key,
        )
    if not plan.sound.music:
        return
    last = max(plan.sound.music, key=lambda stretch: stretch.end)
    if last.end < length - _MISSED_SECONDS:
        piece = project.music[last.shot]
        yield Check(
            "music ends early",
            f"The music ends at {format_time(last.end, 1)}, {length - last.end:.1f} s before the result.",
            last.end,
            "",
            "" if piece.loops else "Let it begin again",
            None if piece.loops else _looping(last.shot),
        )


def _looping(number: int) -> Edit:
    return lambda project: sounding.set_music(project, number, replace(project.music[number], loops=True))


def beats(plan: Plan, known: Known) -> Iterator[Check]:
    """Speeds and cuts that lie on beats which nobody listened to yet."""
    project = plan.project
    joints = project.rows.ends[:-1]
    for number, piece in enumerate(project.music):
        music, trace = project.footage_named(piece.footage), known.sounds.get(piece.footage)
        if not isinstance(music, Music) or trace is None or music.beats != BeatChoices() or not len(joints):
            continue
        found = chosen_beats(trace.beats, music.beats)
        times = beats_in_result(project, number, found, project.result_length).times
        if not len(times):
            continue
        after = np.searchsorted(times, joints)
        near = times[np.maximum(after - 1, 0)], times[np.minimum(after, len(times) - 1)]
        apart = np.minimum(np.abs(joints - near[0]), np.abs(joints - near[1]))
        lying = joints[apart <= _ON_BEAT / float(project.rate)]
        if len(lying) >= max(_FEWEST_ON_BEATS, _SHARE_ON_BEATS * len(joints)):
            yield Check(
                "beats",
                f"{len(lying)} changes lie on beats of {music.label} that the program found by itself. "
                "Listen once: if they are right, put this aside; else tap them (T), or shift them on the "
                "page Beats.",
                float(lying[0]),
                music.key,
            )


def loudness(plan: Plan, known: Known) -> Iterator[Check]:
    """A whole that is far louder or quieter than what is shared."""
    lufs = known.loudness
    if lufs is None or not np.isfinite(lufs) or plan.project.mix.loudness is not None or not plan.has_sound:
        return
    if abs(lufs - _SHARED_LUFS) > _FAR_LUFS:
        yield Check(
            "loudness",
            f"The whole is at {_lufs(lufs)} LUFS; what is shared is mostly near {_lufs(_SHARED_LUFS)}.",
            0.0,
            "",
            f"Bring it to {_lufs(_SHARED_LUFS)}",
            _at_loudness,
        )


def _lufs(loudness: float) -> str:
    return f"{loudness:.0f}".replace("-", "−")


def _at_loudness(project: Project) -> Project:
    return sounding.set_mix(project, replace(project.mix, loudness=_SHARED_LUFS))
