"""Proxies of footage that is heavy to play: which are made, and the plans that read them."""

from collections.abc import Callable, Hashable
from dataclasses import replace
from enum import StrEnum

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.service import MeasuringService, Progress
from chronoxis.app.measuring.traces_of_kind import TracesOfKind
from chronoxis.app.remembered import remembered
from chronoxis.app.workers import QueueWorker
from chronoxis.core.footage.decoding_cost import DecodingCost, measure_cost
from chronoxis.core.footage.source import Source
from chronoxis.core.render.nested_source import NestedSource
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.playing_demand import is_heavy, recorded_rates
from chronoxis.core.traces.proxies import PROXY_HEIGHT, proxied, proxy_size
from chronoxis.core.traces.proxy_store import Proxy, ProxyStore
from chronoxis.core.traces.trace_kinds import PROXIES, TraceWish

_WORTH_HEIGHT = 1.5 * PROXY_HEIGHT  # pixels of pictures, below which a proxy is hardly quicker
_MOST_KEPT = 200  # sources: of photos, each choice about their course makes another one
_PATIENCE = 10.0  # seconds after which a disk that does not answer keeps other footage waiting no longer


class ProxyChoice(StrEnum):
    """When proxies are made."""

    WHEN_NEEDED = "when needed"
    ALWAYS = "always"
    NEVER = "never"


class Proxies(TracesOfKind):
    """Has proxies made, and puts them into plans that are played."""

    def __init__(self, document: Document, service: MeasuringService) -> None:
        super().__init__(document, service, PROXIES)
        self._costs: dict[Source, DecodingCost | None] = {}  # None while it is being measured
        self._stopped: set[Hashable] = set()
        self._proxied: dict[Source, tuple[object, Source]] = {}  # with what each was made of
        self._measuring = QueueWorker(self._measured_cost, "cost of decoding", patience=_PATIENCE, drops=True)
        self._measuring.done.connect(self._take_cost)
        self._removing = QueueWorker(ProxyStore().remove, "removing proxies", patience=_PATIENCE, drops=True)
        self._removing.done.connect(lambda *_: self._want())
        kept = str(remembered().value("proxies", ProxyChoice.WHEN_NEEDED))
        self.choice = ProxyChoice(kept) if kept in list(ProxyChoice) else ProxyChoice.WHEN_NEEDED
        service.measured.connect(lambda wish, _: self._tell(wish.kind, wish.origin))
        document.planned.connect(self._want)
        document.replaced.connect(self._stopped.clear)

    def choose(self, choice: ProxyChoice) -> None:
        """When they are made; remembered for all projects."""
        self.choice = choice
        remembered().setValue("proxies", choice.value)
        self._stopped.clear()
        self._want()
        self.changed.emit()

    def proxy(self, origin: Hashable) -> Proxy | None:
        """What there is of the proxy of footage."""
        return self._service.trace(PROXIES, origin)

    def progress(self, origin: Hashable) -> Progress | None:
        """How far making one is; None where none is being made."""
        to_come = self._service.is_to_come(PROXIES, origin)
        return self._service.progress(PROXIES, origin) if to_come else None

    def pause(self, on: bool) -> None:
        """Leave the cores to what plays, or go on."""
        self._service.pause(PROXIES, on)

    def stop(self, origin: Hashable) -> None:
        """Make no more of a proxy, until somebody chooses again when they are made."""
        self._stopped.add(origin)
        self._want()
        self.changed.emit()

    def remove(self, origin: Hashable) -> None:
        """Take a proxy from the disk; it is not made again until somebody chooses when they are made."""
        proxy = self.proxy(origin)
        self._stopped.add(origin)
        self._want()
        if proxy is not None:
            self._service.forget(PROXIES, origin)
            self._removing.ask(proxy)
        self.changed.emit()

    def serves(self, source: Source) -> bool:
        """Whether footage is played from a proxy that is whole."""
        proxy = self.proxy(source.facts.origin)
        return proxy is not None and proxy.is_whole and self.choice is not ProxyChoice.NEVER

    def proxied_plan(self, plan: Plan) -> Plan:
        """The plan, with proxies in the place of what is decoded, as far as there are any."""
        sources = tuple(self._proxied_source(source) for source in plan.sources)
        return plan if sources == plan.sources else replace(plan, sources=sources)

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self._measuring.close()
        self._removing.close()

    def _proxied_source(self, source: Source) -> Source:
        if isinstance(source, NestedSource):
            inside = self.proxied_plan(source.plan)
            if inside is source.plan:
                return source
            return self._kept(source, inside.sources, lambda: NestedSource(source.run, inside))
        proxy = self.proxy(source.facts.origin) if source.is_there else None
        if proxy is None or self.choice is ProxyChoice.NEVER:
            return source
        return self._kept(source, proxy, lambda: proxied(source, proxy))

    def _kept(self, source: Source, made_of: object, make: Callable[[], Source]) -> Source:
        """The one that was made of the same before, for its readers may be open."""
        before = self._proxied.get(source)
        if before is None or before[0] != made_of:
            self._proxied[source] = made_of, make()
            while len(self._proxied) > _MOST_KEPT:
                del self._proxied[next(iter(self._proxied))]
        return self._proxied[source][1]

    def _wishes(self) -> list[TraceWish]:
        if self.choice is ProxyChoice.NEVER:
            return []
        known = self._document.known.sources
        fitting = [
            source
            for source in known.values()
            if PROXIES.fits(source) and source.facts.picture.height > _WORTH_HEIGHT
        ]
        wished = fitting if self.choice is ProxyChoice.ALWAYS else self._heavy(fitting)
        return [TraceWish(PROXIES, source) for source in wished if source.facts.origin not in self._stopped]

    def _heavy(self, sources: list[Source]) -> list[Source]:
        """Those that cannot be played with what is done to them; what is not known of them is measured."""
        plan = self._document.plan
        if plan is None or not sources:
            return []
        by_origin: dict[Hashable, float] = {}
        for key, rate in recorded_rates(plan).items():
            origin = plan.project.footage_named(key).origin
            by_origin[origin] = max(rate, by_origin.get(origin, 0.0))
        heavy = []
        for source in sources:
            if source.facts.origin not in by_origin:
                continue
            if source not in self._costs:
                self._costs[source] = None
                self._measuring.ask(source)
            cost = self._costs[source]
            if cost is not None and is_heavy(cost, by_origin[source.facts.origin]):
                heavy.append(source)
        return heavy

    def _measured_cost(self, source: Source) -> DecodingCost:
        picture = source.facts.picture
        return measure_cost(source, picture.lying(proxy_size(picture)), self._measuring.beat)

    def _take_cost(self, source: Source, cost: DecodingCost) -> None:
        self._costs[source] = cost
        self._want()

    def _want(self) -> None:
        there = self._document.known.sources.values()
        self._costs = {source: cost for source, cost in self._costs.items() if source in there}
        super()._want()
