"""What is known of a project's footage by now: headers, frames, measurements, and what is missing."""

from collections.abc import Hashable, Iterable
from fractions import Fraction
from typing import Any, NamedTuple

from chronoxis.core.footage.absent import AbsentSource, Drawn, DrawnSource
from chronoxis.core.footage.kinds import as_chosen
from chronoxis.core.footage.source import Facts, Source
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Project
from chronoxis.core.render.nested_source import nested_inside
from chronoxis.core.render.plan import Plan, changed_on_disk
from chronoxis.core.traces.trace_kinds import TraceKind, trace_kinds


class Pending(NamedTuple):
    """What footage waits for, and how far that is, 0 to 1."""

    doing: str
    share: float


class KnownFootage:
    """What is known, by the origin of footage.

    Attributes:
        facts: what headers say.
        sources: footage whose frames were counted.
        missing: why footage cannot be opened.
        measured: traces of each kind.
        pending: what footage waits for.
        drawn: what gives small pictures of footage that is being made.
        stopped: footage whose frames are not counted since a person did not want to wait for that.
        version: counts whatever becomes known that plans depend on.
    """

    def __init__(self) -> None:
        self.version = 0
        self._absent: dict[str, tuple[Hashable, AbsentSource]] = {}  # by key: what it was made of, and it
        self.drawn: dict[Hashable, Drawn] = {}
        self.clear()

    def clear(self) -> None:
        """Forget all."""
        self.facts: dict[Hashable, Facts] = {}
        self.sources: dict[Hashable, Source] = {}
        self.missing: dict[Hashable, str] = {}
        self.measured: dict[TraceKind[Any], dict[Hashable, Any]] = {kind: {} for kind in trace_kinds()}
        self.pending: dict[Hashable, Pending] = {}
        self.stopped: set[Hashable] = set()
        self.version += 1

    def meet(self, facts: Facts) -> None:
        """Take in a header."""
        self.facts[facts.origin] = facts
        self.missing.pop(facts.origin, None)

    def count(self, source: Source) -> None:
        """Take in footage whose frames were counted; what was measured is of the file as it was before."""
        origin = source.facts.origin
        self.facts[origin], self.sources[origin] = source.facts, source
        self._forget_measured(origin)
        self.stopped.discard(origin)
        self.version += 1

    def miss(self, origin: Hashable, why: str) -> None:
        """Take in that footage cannot be opened."""
        self.missing[origin] = why
        self.sources.pop(origin, None)
        self.stopped.discard(origin)
        self.version += 1

    def forget(self, origin: Hashable) -> None:
        """Believe no more what was read of footage."""
        for known in (self.sources, self.missing):
            known.pop(origin, None)
        self._forget_measured(origin)
        self.version += 1

    def wait_for(self, origin: Hashable, doing: str, share: float | None) -> None:
        """Take in what footage waits for and how far that is; None once that is over."""
        if share is None:
            self.pending.pop(origin, None)
        else:
            self.pending[origin] = Pending(doing, share)

    def meet_nested(self, plan: Plan | None) -> bool:
        """Know the nested runs of a plan as other footage is known; whether what is said of one is new."""
        other = False
        for source in nested_inside(plan) if plan is not None else []:
            before = self.facts.get(source.origin)
            other |= before is None or before.caution != source.caution
            self.facts[source.origin] = source
            if source.has_pictures:
                self.sources[source.origin] = source
        return other

    def opened(self, footage: Footage) -> Source | None:
        """Footage whose frames were counted, as the project has it; None if it is not there yet."""
        source = self.sources.get(footage.origin)
        return as_chosen(source, footage) if source is not None else None

    def picture_sizes(self, project: Project, shots: Iterable[int]) -> dict[int, Size]:
        """The sizes of the pictures of shots, by their numbers; of what is not known, none."""
        facts = {number: self.facts.get(project.footage_of(project.shots[number]).origin) for number in shots}
        return {number: known.picture.size for number, known in facts.items() if known is not None}

    def all_opened(self, project: Project) -> dict[str, Source]:
        """All footage of a project that is there, by key, as the project has it."""
        opened = ((footage.key, self.opened(footage)) for footage in project.footage)
        return {key: source for key, source in opened if source is not None}

    def to_plan_with(self, project: Project) -> dict[str, Source] | None:
        """What a project is planned with, by key; None while some of it is being counted."""
        used = {key for key in project.needed if not project.footage_named(key).made_of}
        laid = {piece.footage for piece in project.music} - used
        known = {f.key: self._source_of(f, project) for f in project.footage if f.key in used}
        # Pictures do not wait for music; until it is there, it is silent.
        music = (f for f in project.footage if f.key in laid)
        known |= {f.key: self._source_of(f, project) or self._stand_in(f, project) for f in music}
        sources = {key: source for key, source in known.items() if source is not None}
        return sources if project.shots and len(sources) == len(known) else None

    def frame_time(self, footage: Footage, moment: float) -> Fraction:
        """When the frame on display at a recorded second begins: by the file, once its frames are counted."""
        source = self.opened(footage)
        if source is None:
            return Fraction(int(moment * float(footage.rate) + 1e-6)) / footage.rate
        return source.begins(source.frame_at(moment / float(footage.scale))) * footage.scale

    def nearest_frame_time(self, footage: Footage, moment: Fraction) -> Fraction:
        """When the frame whose beginning is nearest to a recorded second begins, or the last one ends."""
        begin = self.frame_time(footage, float(moment))
        source = self.opened(footage)
        if source is None:
            return round(moment * footage.rate) / footage.rate
        after = source.begins(source.frame_at(float(begin / footage.scale)) + 1) * footage.scale
        return begin if moment - begin <= after - moment else after

    def altered(self, footage: Footage) -> str:
        """What to say of footage that is not what it was when the project was made, or nothing."""
        source = self.opened(footage)
        if source is None or not footage.counted or footage.made_of:
            return ""
        now = source.rate, source.length
        return "" if footage.agrees_with(*now) else changed_on_disk(footage, *now)

    def _forget_measured(self, origin: Hashable) -> None:
        for known in self.measured.values():
            known.pop(origin, None)

    def _source_of(self, footage: Footage, project: Project) -> Source | None:
        """Opened footage; a stand-in, if it is missing or not made yet; None while it is being counted."""
        source, origin = self.sources.get(footage.origin), footage.origin
        if source is not None or not footage.counted or (origin in self.facts and origin not in self.missing):
            return source
        return self._stand_in(footage, project)

    def _stand_in(self, footage: Footage, project: Project) -> AbsentSource:
        draw = self.drawn.get(footage.origin)
        wanted = footage, project.canvas, footage.origin in self.missing
        kept = self._absent.get(footage.key)
        if kept is None or kept[0] != (*wanted, draw):
            absent = AbsentSource(*wanted) if draw is None else DrawnSource(*wanted, draw)
            kept = self._absent[footage.key] = (*wanted, draw), absent
        return kept[1]
