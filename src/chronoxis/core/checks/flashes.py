"""Checks of flashes."""

from collections.abc import Iterator, Mapping
from dataclasses import replace

import numpy as np

from chronoxis.core.checks.check import Check, Edit, Known
from chronoxis.core.model import joining
from chronoxis.core.model.accent import Accent, Flash
from chronoxis.core.model.amounts import Placed, amounts_at, placed_accents
from chronoxis.core.model.project import Project
from chronoxis.core.render.plan import Plan
from chronoxis.core.timing.timecode import format_time
from chronoxis.core.traces.picture_trace import PictureTrace

_WHITE_LIGHT = 2.4  # of a picture's mean light, from which on next to nothing of it is left
_WHITE_STOPS = 5.0  # the same of pictures that were not measured
_MENDED_LIGHT = 0.5  # of white, that the mended flash brings the mean light to


def flashes(plan: Plan, known: Known) -> Iterator[Check]:
    """A flash that leaves next to nothing of the picture."""
    project, rate = plan.project, float(plan.project.rate)
    times = np.arange(len(plan.schedule)) / rate
    for placed in placed_accents(project):
        look = placed.accent.look
        if not isinstance(look, Flash) or look.stops <= 0:
            continue
        stops = amounts_at(project, placed, times) * look.stops
        white, light = _whitened(plan, known.pictures, stops)
        if white is None:
            continue
        most = float(stops[white])
        lower = _MENDED_LIGHT / light if light else 2 ** (most / 2)
        wish = max(0.5, look.stops * float(np.log2(max(lower, 1.2))) / most)
        yield Check(
            "flash",
            f"The flash makes all of the picture white at {format_time(white / rate, 1)}.",
            white / rate,
            f"{placed.accent.seed}",
            f"Take {wish:.1f} stops",
            _with_stops(placed, round(wish, 1)),
        )


def _whitened(
    plan: Plan, traces: Mapping[str, PictureTrace], stops: np.typing.NDArray[np.float64]
) -> tuple[int | None, float]:
    """The frame that a flash leaves least of, if that is next to nothing, and its mean light before."""
    number = int(stops.argmax())
    if not stops[number]:
        return None, 0.0
    schedule, shot = plan.schedule, int(plan.schedule.shots[number])
    trace = traces.get(plan.project.shots[shot].footage)
    frames, _ = schedule.sources(number)
    at = int(plan.sources[shot].originals.recorded(frames)[0])
    if trace is None or not trace.known[at]:
        return (number if stops[number] >= _WHITE_STOPS else None), 0.0
    light = max(float(trace.light[at]), 1e-4)
    return (number if light * 2 ** stops[number] >= _WHITE_LIGHT else None), light


def _with_stops(placed: Placed, stops: float) -> Edit:
    def gentler(accents: tuple[Accent, ...]) -> tuple[Accent, ...]:
        return tuple(
            replace(each, look=replace(each.look, stops=stops))
            if each == placed.accent and isinstance(each.look, Flash)
            else each
            for each in accents
        )

    def edit(project: Project) -> Project:
        shots = range(len(project.shots))
        return joining.set_accents(
            project, gentler, places=project.places(), shots=shots, joins=shots[:-1], whole=True
        )

    return edit
