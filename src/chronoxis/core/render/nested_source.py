"""Nested runs as sources: their frames and their sound are made by the chain, when they are asked for."""

from collections.abc import Callable, Generator, Iterable, Iterator, Mapping
from contextlib import closing, contextmanager
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property
from typing import Any

import numpy as np
from av.video.frame import VideoFrame

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.absent import AbsentSource
from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.footage.source import SoundFacts, Source
from chronoxis.core.footage.usual import SteadySource, UsualReader
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import Target, unwritten_target
from chronoxis.core.sound.mixing import mixed
from chronoxis.core.sound.samples import RATE, Samples
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.shot_columns import Frames
from chronoxis.core.timing.timecode import format_time


def inside(project: Project, run: Nested) -> Project:
    """The project whose result a nested run is; without music, in the size of the whole."""
    return replace(
        project,
        shots=run.shots,
        rate=run.stored_rate,
        markers=(),
        accents=run.accents,
        music=(),
        settings=ResultSettings(),
        outside=None,
    )


def with_insides(project: Project) -> list[Project]:
    """A project, and those that its nested runs are the results of."""
    runs = (project.footage_named(key) for key in project.needed)
    return [project, *(inside(project, run) for run in runs if isinstance(run, Nested))]


@dataclass(frozen=True, eq=False)
class NestedSource(SteadySource):
    """A nested run, opened: the plan of its inside."""

    run: Nested
    plan: Plan

    @property
    def facts(self) -> "NestedSource":
        """A nested run is its own facts: they follow from its plan."""
        return self

    @property
    def origin(self) -> object:
        """Its own place in the project."""
        return self.run.origin

    @property
    def files(self) -> tuple[()]:
        """A nested run reads no files of its own."""
        return ()

    @property
    def cuts(self) -> Frames:
        """Its frames that begin another of the shots inside."""
        return np.flatnonzero(np.diff(self.plan.schedule.shots)) + 1

    @property
    def rate(self) -> Fraction:
        """Result frames per second inside."""
        return self.run.stored_rate

    @property
    def length(self) -> Fraction:
        """Result seconds inside."""
        return self.run.stored_length

    @property
    def frame_count(self) -> int:
        """Result frames inside."""
        return len(self.plan.schedule)

    @cached_property
    def target(self) -> Target:
        """What its frames are like: as they were recorded, if nothing is done to them, else R′G′B′."""
        return unwritten_target(self.plan)

    @cached_property
    def picture(self) -> PictureFormat:
        """Upright pictures of the result's size."""
        target, depth = self.target, max(picture.bit_depth for picture in self.plan.pictures)
        bits = 16 if target.pixel_format == "rgb48le" else depth
        return PictureFormat(*target.size, *target.size, 0, target.pixel_format, bits, target.colour)

    @property
    def recorded_on(self) -> None:
        """It was put together, and not recorded."""

    @property
    def sound(self) -> SoundFacts | None:
        """The mix of its inside, if anything sounds."""
        return SoundFacts("mix", RATE, 2, "stereo") if self.plan.sound.is_heard else None

    @property
    def caution(self) -> str:
        """What is missing inside, or nothing."""
        absent = [source for source in self.plan.sources if isinstance(source, AbsentSource)]
        gone = [source.footage.label for source in absent if source.is_missing]
        return f"{gone[0]} is not there." if gone else ""

    def summary(self) -> list[str]:
        """How many shots."""
        count = len(self.run.shots)
        return [f"{count} shot{'s' if count > 1 else ''} as one"]

    def rows(self) -> list[tuple[str, str]]:
        """What can be said of it."""
        return [
            ("Shots", str(len(self.run.shots))),
            ("Length", format_time(self.length, 2)),
            ("Rate", f"{format_rate(self.rate)} fps"),
            ("Pictures", "{}×{}".format(*self.picture.size)),
        ]

    def as_json(self) -> dict[str, Any]:
        """The same for a program."""
        return {"shots": len(self.run.shots), "length": float(self.length), "rate": str(self.rate)}

    @cached_property
    def edges(self) -> Seconds:
        """Whole frames of its rate."""
        return np.arange(self.frame_count + 1) * self.rate.denominator / self.rate.numerator

    @property
    def is_quick(self) -> bool:
        """Whether everything inside is."""
        return all(source.is_quick for source in self.plan.sources)

    @property
    def has_pictures(self) -> bool:
        """Whether everything inside is there."""
        return self.plan.is_whole

    def form_of_frames(self, needed: Size | None, *, fit: bool) -> Target:
        """No larger than needed."""
        target, (width, height) = self.target, self.target.size
        if needed is not None and needed[0] < width and needed[1] < height:
            return replace(target, size=_even(needed), gather_small=True)
        return target

    def reader(self, _threads: int = 0, needed: Size | None = None, *, fit: bool = False) -> "NestedReader":
        """Gives its result frames, no larger than needed."""
        target = self.form_of_frames(needed, fit=fit)
        return NestedReader(self.plan, target, self.target.size[0] / target.size[0])

    @contextmanager
    def sound_between(
        self,
        begin: Fraction,
        end: Fraction,
        rate: int,
        layout: str,
        broken: Callable[[Fraction], None] | None = None,
    ) -> Iterator[Iterator[Samples]]:
        """The mix of its inside. Raises FootageError: it is asked for in another form than all sound has."""
        if (rate, layout) != (RATE, "stereo"):
            raise FootageError(f"{self.run.label} sounds in stereo at {RATE} Hz only.")
        first, last = (round(t * RATE) for t in (begin, end))
        told = None if broken is None else lambda _key, at: broken(at)
        with closing(mixed(self.plan.sound, self.plan.sounds(told))) as blocks:
            yield _cut(blocks, first, last)


class NestedReader(UsualReader):
    """Makes numbered frames of a nested run."""

    def __init__(self, plan: Plan, target: Target, reduction: float) -> None:
        self._plan, self._target = plan, target
        self.reduction = max(1, int(reduction))
        self.lost: set[int] = set()

    def effort_to(self, number: int) -> int:
        """As many as are gathered."""
        return len(self._plan.schedule.sources(number)[0])

    def frames(
        self, numbers: Iterable[int], check: Check = never
    ) -> Generator[tuple[int, VideoFrame], None, None]:
        """Frames with their numbers, ascending. Raises FootageError as `frame`, and what ``check`` does."""
        wished = np.unique(np.fromiter((int(number) for number in numbers), np.int64))
        made = result_frames(self._plan, self._target, check=check, numbers=wished)
        with closing(made):
            yield from zip(wished.tolist(), made, strict=True)

    def close(self) -> None:
        """Nothing stays open."""


def nested_inside(plan: Plan) -> list[NestedSource]:
    """All nested runs of a plan, those inside them too."""
    found: dict[str, NestedSource] = {}
    left = [*plan.sources]
    while left:
        source = left.pop()
        if isinstance(source, NestedSource) and source.run.key not in found:
            found[source.run.key] = source
            left += source.plan.sources
    return list(found.values())


def _even(size: Size) -> Size:
    return max(2, -(-size[0] // 2) * 2), max(2, -(-size[1] // 2) * 2)


def _cut(blocks: Iterable[Samples], first: int, last: int) -> Iterator[Samples]:
    at = 0
    for block in blocks:
        low, high = max(first - at, 0), min(last - at, block.shape[1])
        if low < high:
            yield block[:, low:high]
        at += block.shape[1]
        if at >= last:
            return


def with_nested(
    project: Project,
    sources: Mapping[str, Source],
    planned: Callable[[Project, Mapping[str, Source]], Plan],
) -> dict[str, Source]:
    """Opened footage with the nested runs that a project needs and whose inside is there.

    Args:
        project: whose runs.
        sources: opened footage by key.
        planned: makes a plan.
    """
    found = dict(sources)

    def open_(key: str) -> bool:
        if key in found:
            return True
        run = project.footage_named(key)
        if not isinstance(run, Nested) or not all(map(open_, run.made_of)):
            return False
        found[key] = NestedSource(run, planned(inside(project, run), found))
        return True

    for key in project.needed:
        open_(key)
    return found
