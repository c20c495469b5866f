"""Sound, as shares of what the pictures of the same result cost, and in seconds of waiting."""

import tempfile
from contextlib import closing
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from bench.frame_making import condense, make_footage
from bench.memory import peak
from bench.report import report, run, timed
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.footage.source import Source
from chronoxis.core.model import arranging, pacing, sounding
from chronoxis.core.model.music import MusicFile
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.sound import Effect, EffectKind, EffectRule, Manner, Mix
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.sound.mixing import mixed
from chronoxis.core.sound.samples import RATE
from chronoxis.core.traces.sound_trace import SoundTrace, listen
from chronoxis.core.traces.store import TraceStore

_RESULT = 600  # seconds
_PICTURES = 40  # seconds of it whose pictures are exported; the rest costs as much
_SPEEDS = (Fraction(3, 2), Fraction(1, 2), Fraction(2), Fraction(12))
_HOUR = 3600


def measure(runs: int) -> None:
    """Make a recording with sound, music and an hour of sound, then measure everything a few times."""
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as scratch:
        folder = Path(scratch)
        pictures = make_footage(folder / "pictures.mp4", _PICTURES)
        spoken = write_sound(folder / "spoken.m4a", 1800)
        tune, hour = write_sound(folder / "tune.m4a", 240, beat=True), write_sound(folder / "hour.m4a", _HOUR)
        for number in range(1, runs + 1):
            with run(f"sound, run {number}"):
                _measure(pictures, spoken, tune, hour, folder)
        report("peak memory of all this, an hour of sound included", peak(), "MB")


def _measure(pictures: Path, spoken: Path, tune: Path, hour: Path, folder: Path) -> None:
    exporting = timed(lambda: condense(pictures, "--speed", "1", ending="mp4")) * _RESULT / _PICTURES
    report(f"export of the pictures of {_RESULT} s at 1080p, by {_PICTURES} s of it", exporting, "s")
    for manner in (Manner.HELD, Manner.FOLLOWS):
        plan = ten_minutes(spoken, tune, manner)
        making = timed(lambda plan=plan: make_all(plan))  # type: ignore[misc]
        report(f"all sound of it, {manner}, music, effects, limiter", making, "s")
        report("sound / pictures (at most 3)", 100 * making / exporting, "%")
    found: list[float] = []
    took = timed(lambda: found.append(listen_anew(tune, folder) or 0.0))
    report("beats of a tune of 4 minutes (at most 15)", took, "s")
    report("waveform of an hour, first seen after (at most 3)", first_seen(hour, folder), "s")


def ten_minutes(spoken: Path, tune: Path, manner: Manner) -> Plan:
    """A result of ten minutes: slow and fast passages in turn, ramps, effects, music without end."""
    source, music = open_source(MusicFile(spoken)), open_source(MusicFile(tune))
    # Only the sound of this footage is wanted; that it has no pictures, no part of the mix sees.
    project = _as_recording(source)
    count = 40
    each = Fraction(_RESULT, count)
    covered = Fraction(0)
    lengths = [each * _SPEEDS[number % len(_SPEEDS)] for number in range(count)]
    share = project.shots[0].recorded_length / sum(lengths)
    for length in lengths[:-1]:
        covered += length * share
        project = pacing.divide(project, 0, covered)
    for number in range(count):
        speed = _SPEEDS[number % len(_SPEEDS)] * share
        project = pacing.set_speed(project, [Place(0, number)], speed)
    project = pacing.set_ramps(project, project.places(), length=Fraction(1))
    project = sounding.set_manner(project, project.places(), manner)
    rules = (EffectRule(Effect(EffectKind.RUSH)), EffectRule(Effect(EffectKind.WHIRR)))
    project = sounding.set_mix(project, Mix(rules=rules))
    project = arranging.begin_with(project, footage_of(music.facts))
    project = sounding.set_music(project, 0, replace(project.music[0], loops=True))
    return make_plan(project, {project.footage[0].key: source, project.footage[1].key: music})


def _as_recording(source: Source) -> Project:
    from chronoxis.core.model.recording import Recording  # noqa: PLC0415 - of this alone

    recording = Recording(
        key="spoken",
        path=source.files[0],
        stored_rate=source.rate,
        stored_length=source.length,
        counted=True,
    )
    return replace(arranging.begin_with(Project(), recording), rate=Fraction(25))


def make_all(plan: Plan) -> int:
    """Make the whole sound of a plan, and return how many samples it has."""
    with closing(mixed(plan.sound, plan.sounds())) as blocks:
        return sum(block.shape[1] for block in blocks)


def listen_anew(path: Path, folder: Path) -> float | None:
    """Find the beats of a file that nobody has listened to yet; beats a minute."""
    with tempfile.TemporaryDirectory(dir=folder) as kept:
        return listen(open_source(MusicFile(path)), TraceStore(Path(kept))).beats.tempo


class _Seen(Exception):  # noqa: N818 - not an error: what was waited for
    pass


def first_seen(path: Path, folder: Path) -> float:
    """Seconds until there is a waveform of all of a file."""
    source = open_source(MusicFile(path))

    def shown(trace: SoundTrace, _share: float) -> None:
        if len(trace.levels):
            raise _Seen

    def wait() -> None:
        with tempfile.TemporaryDirectory(dir=folder) as kept:
            try:
                listen(source, TraceStore(Path(kept)), shown)
            except _Seen:
                return

    return timed(wait)


def write_sound(path: Path, seconds: int, *, beat: bool = False) -> Path:
    """Something like speech in stereo AAC, or something like a drum."""
    random, t = np.random.default_rng(5), np.arange(10 * RATE) / RATE
    voice = sum(np.sin(2 * np.pi * 130 * n * t + np.sin(t * 3)) / n for n in range(1, 12))
    sound = 0.1 * voice * (np.sin(t * 9) > -0.3) + 0.01 * random.standard_normal(len(t))
    if beat:
        sound = np.exp(-((t * 2) % 1) * 12) * np.sin(2 * np.pi * 70 * t) * 0.7 + 0.003 * sound
    block = np.tile(sound.astype(np.float32), (2, 1))
    with av.open(str(path), "w") as container:
        stream = container.add_stream("aac", rate=RATE, layout="stereo")
        stream.bit_rate = 160_000
        at = 0
        for _ in range(seconds // 10):
            for first in range(0, block.shape[1], 1024):
                part = np.ascontiguousarray(block[:, first : first + 1024])
                frame = av.AudioFrame.from_ndarray(part, "fltp", "stereo")
                frame.sample_rate, frame.pts, frame.time_base = RATE, at, Fraction(1, RATE)
                at += part.shape[1]
                container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path
