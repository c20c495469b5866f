"""Making a plan: a project's choices, opened footage and what was measured, put together."""

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from chronoxis.core.errors import PlanError
from chronoxis.core.footage.kinds import as_chosen
from chronoxis.core.footage.source import Source
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.framing import check_views
from chronoxis.core.model.project import Project
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.correction import Correction
from chronoxis.core.picture.steadying import SteadyWarp
from chronoxis.core.picture.views import Views, views_of
from chronoxis.core.render.accents import accents_of, held_frames
from chronoxis.core.render.camera_at_joins import Paths, directions_of
from chronoxis.core.render.corrections import corrections_of, cuts_of, passers_by
from chronoxis.core.render.nested_source import NestedSource, with_insides, with_nested
from chronoxis.core.render.plan import Plan, result_size
from chronoxis.core.render.steadied import KnownShake, Steadied, swaying, unfollowed
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.schedule import MAX_RESULT_FRAMES, Schedule, make_schedule, result_frame_count
from chronoxis.core.timing.shot_columns import SAME_TIME, ShotTiming
from chronoxis.core.timing.timecode import format_time
from chronoxis.core.traces.picture_trace import PictureTrace


def make_plan(
    project: Project,
    sources: Mapping[str, Source],
    traces: Mapping[str, PictureTrace] | None = None,
    cameras: Paths | None = None,
) -> Plan:
    """Turn a project's choices into a plan.

    Args:
        project: the choices.
        sources: opened footage by key; nested runs are opened here, where what they are made of is.
        traces: what was measured of its pictures, as far as that is so; what reads it waits until then.
        cameras: how the camera moves in it, likewise; a streak that nothing is known for goes sideways.

    Raises:
        PlanError: the choices contradict themselves or the footage, or footage is missing.
        ExportError: the export format cannot take the size or the rate.
    """
    if not project.shots:
        raise PlanError("There is no shot yet; open a recording first.")
    _check_frames(project)
    traces, cameras = traces or {}, cameras or {}
    nested = with_nested(project, sources, lambda inner, opened: make_plan(inner, opened, traces, cameras))
    sources = _as_chosen(project, nested)
    shots = _shots_of(project, sources, traces, cameras)
    schedule = make_schedule(shots.timings, project.rate, project.pace)
    courses = shots.courses(schedule)
    shown = held_frames(project, schedule)
    schedule = schedule if shown is None else schedule.chosen(shown)
    canvas = project.canvas or shots.sources[0].facts.picture.canvas
    size, colour = result_size(canvas, project.settings), Colour.on(canvas)
    project.settings.format.check(size, project.rate)
    project.settings.check()
    return Plan(
        project=project,
        sources=shots.sources,
        edges=shots.edges,
        schedule=schedule,
        size=size,
        colour=colour,
        views=_views(project, shots.sources, schedule, size),
        corrections=shots.corrections(project),
        warps=shots.warps(project, courses),
        unmeasured=_unmeasured(project, sources, traces, cameras),
        steadied=tuple(course.course if course else None for course in courses),
        music_sources={piece.footage: sources[piece.footage] for piece in project.music},
        cuts=tuple(timing.cuts for timing in shots.timings),
        accents=accents_of(
            project,
            schedule,
            colour,
            directions_of(project, sources, cameras),
            {key: source.facts.recorded_on for key, source in sources.items()},
        ),
        shown=shown,
    )


class _Shots(NamedTuple):
    """Of each shot of a project, what its plan is made from.

    Attributes:
        sources: its footage.
        edges: when each frame of that is on display; recorded seconds.
        traces: what was measured of its pictures; None while that is not whole.
        shakes: how the camera shakes; None where that does not matter, or is not known.
        timings: what the schedule needs to know.
    """

    sources: tuple[Source, ...]
    edges: tuple[Seconds, ...]
    traces: tuple[PictureTrace | None, ...]
    shakes: tuple[KnownShake | None, ...]
    timings: list[ShotTiming]

    def courses(self, schedule: Schedule) -> list[Steadied | None]:
        """How each is steadied, by what the schedule shows of it."""
        return [
            shake.steadied(schedule, number, self.edges[number]) if shake else None
            for number, shake in enumerate(self.shakes)
        ]

    def corrections(self, project: Project) -> tuple[tuple[Correction, ...], ...]:
        """What is corrected in the frames of each."""
        return tuple(
            corrections_of(shot, project.footage_of(shot), source, trace)
            for shot, source, trace in zip(project.shots, self.sources, self.traces, strict=True)
        )

    def warps(self, project: Project, courses: list[Steadied | None]) -> tuple[SteadyWarp | None, ...]:
        """What moves the frames of each to where the smooth way has them."""
        return tuple(
            course.warp(source) if course is not None and shot.steady.is_on else None
            for shot, source, course in zip(project.shots, self.sources, courses, strict=True)
        )


def _shots_of(
    project: Project, sources: Mapping[str, Source], traces: Mapping[str, PictureTrace], cameras: Paths
) -> _Shots:
    """What the plan is made from. Raises PlanError if a shot reaches beyond its footage."""
    of_shots = tuple(sources[shot.footage] for shot in project.shots)
    edges = _recorded_edges(project, sources)
    found = tuple(_whole(traces.get(shot.footage)) for shot in project.shots)
    shakes = tuple(
        swaying(shot, project.footage_of(shot), source, cameras.get(shot.footage))
        for shot, source in zip(project.shots, of_shots, strict=True)
    )
    timings = [
        _timing(project, number, edges[number], source, found[number], shakes[number])
        for number, source in enumerate(of_shots)
    ]
    return _Shots(of_shots, edges, found, shakes, timings)


def _check_frames(project: Project) -> None:
    """Each nested run holds as many frames in memory as a result. Raises PlanError if they are too many."""
    inside = sum(result_frame_count(each.result_length, each.rate) for each in with_insides(project)[1:])
    if inside > MAX_RESULT_FRAMES:
        raise PlanError(
            f"The nested runs would have {inside:,} frames; the limit is {MAX_RESULT_FRAMES:,}. "
            "Shorten what is inside, or speed it up."
        )


def _as_chosen(project: Project, sources: Mapping[str, Source]) -> dict[str, Source]:
    """Sources as the choices about their footage have them. Raises PlanError if one is not there."""
    for key in project.read:
        if key not in sources:
            raise PlanError(_not_there(project.footage_named(key)))
    return {
        footage.key: as_chosen(sources[footage.key], footage)
        for footage in project.footage
        if footage.key in sources
    }


def _recorded_edges(project: Project, sources: Mapping[str, Source]) -> tuple[Seconds, ...]:
    """Of each shot, when each frame of its footage is on display; recorded seconds, shape (frames + 1,)."""
    scales = {shot.footage: project.footage_of(shot).scale for shot in project.shots}
    edges = {
        key: sources[key].edges if scale == 1 else sources[key].edges * float(scale)
        for key, scale in scales.items()
    }
    return tuple(edges[shot.footage] for shot in project.shots)


def _unmeasured(
    project: Project, sources: Mapping[str, Source], traces: Mapping[str, PictureTrace], cameras: Paths
) -> tuple[str, ...]:
    """Keys of footage of which something has to be measured before all choices take effect."""
    unseen = (key for key in project.to_measure if _whole(traces.get(key)) is None)
    return tuple(dict.fromkeys([*unseen, *unfollowed(project, sources, cameras)]))


def _whole(trace: PictureTrace | None) -> PictureTrace | None:
    return trace if trace is not None and trace.is_whole else None


def _views(
    project: Project, sources: tuple[Source, ...], schedule: Schedule, size: Size
) -> tuple[Views | None, ...]:
    """The views of all shots. Raises PlanError if one reaches out of its pictures."""
    if project.settings.size.stretch:
        return (None,) * len(project.shots)
    firsts = np.searchsorted(schedule.shots, np.arange(len(project.shots) + 1)).tolist()
    views = []
    for number, (shot, source) in enumerate(zip(project.shots, sources, strict=True)):
        picture, first, stop = source.facts.picture, firsts[number], firsts[number + 1]
        if source.has_pictures:
            # A run's pictures have even sides, of which the canvas that its views lie on may have one more.
            nested = isinstance(source, NestedSource)
            framing = shot.framing.within(picture.size) if nested else shot.framing
            label = project.footage_of(shot).label
            check_views((step.view for step in framing.steps), picture.size, label)
            views.append(views_of(framing, picture, size, first, stop - first))
        else:
            views.append(None)
    return tuple(views)


def _not_there(footage: Footage) -> str:
    where = f" (it was in {footage.files[0].parent})" if footage.files else ""
    return f"{footage.label} is not there{where}; say where it is."


def _timing(
    project: Project,
    number: int,
    edges: Seconds,
    source: Source,
    trace: PictureTrace | None,
    sways: KnownShake | None,
) -> ShotTiming:
    shot = project.shots[number]
    label = project.footage_of(shot).label
    if float(shot.out_point) > edges[-1] + SAME_TIME:
        raise PlanError(
            f"{label} is {format_time(edges[-1], 2)} long, but shot {number + 1} reaches "
            f"to {format_time(shot.out_point, 2)}. Move its out point, or say where the right file is."
        )
    spared = passers_by(shot, project.footage_of(shot), source, trace)
    sway = sways.sway if sways is not None else (None, 0)
    cuts = cuts_of(shot, source, trace)
    return ShotTiming(
        shot.pace, edges, shot.in_point, shot.makings, shot.backwards, source.holes, *spared, cuts, *sway
    )
