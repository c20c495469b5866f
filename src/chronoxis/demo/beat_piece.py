"""The demo's project with music: *Walk down the line* with pulses on *Morning tune*."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.model import arranging, beat_acts, pacing, sounding
from chronoxis.core.model.beat_acts import Pulse, Which, beats_of
from chronoxis.core.model.beats import Beats, all_beats
from chronoxis.core.model.music import Credit, Music
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.sound import Effect, EffectKind, EffectRule, Mix
from chronoxis.core.timing.ramps import RampShape
from chronoxis.demo import tune_truth
from chronoxis.demo.finished_piece import recording_in_demo
from chronoxis.demo.walk_truth import RATE, SECONDS

_BASE = Fraction(2)
_LEAD_BARS = 2  # of the music before it drops


def beat_piece(walk: Path, tune: Path) -> Project:
    """The walk once forwards and once back, with a pulse on each bar from the drop on."""
    project = arranging.begin_with(Project(), recording_in_demo(walk, RATE, SECONDS))
    project = pacing.set_speed(project, [Place(0, 0)], _BASE)
    project = arranging.reverse(arranging.duplicate(project, [0]), [1])
    project = arranging.begin_with(project, music_in_demo(tune))
    lead = Fraction(_LEAD_BARS * tune_truth.BAR * 60, tune_truth.TEMPO)
    begin = Fraction(tune_truth.drop()).limit_denominator(10_000) - lead
    project = sounding.set_music(project, 0, replace(project.music[0], in_point=begin))
    key = project.music[0].footage
    beats = all_beats(project, {key: Beats(tuple(tune_truth.beats()), tune_truth.BAR, 0)})
    times = beats_of(beats, Which.SECOND, float(lead) - 0.01, float(project.result_length))
    wish = Pulse(Fraction(6), Fraction(1, 5), Fraction(3, 25), RampShape.SMOOTH)
    project = beat_acts.pulse(project, [0, 1], times, wish, keep=True)
    rules = tuple(
        EffectRule(Effect(kind, level), Fraction(4))
        for kind, level in ((EffectKind.RUSH, -16.0), (EffectKind.TICK, -20.0))
    )
    return sounding.set_mix(project, Mix(loudness=-16.0, rules=rules))


def music_in_demo(path: Path) -> Music:
    """*Morning tune*, as a project keeps it."""
    return Music(
        key=path.stem.lower(),
        path=path,
        stored_rate=Fraction(48_000),
        stored_length=Fraction(tune_truth.SECONDS),
        counted=True,
        credit=Credit(
            "Morning tune", "Larkfield Players (synthesised)", "CC0 1.0", "larkfield.example/morning-tune"
        ),
    )
