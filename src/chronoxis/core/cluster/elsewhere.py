"""Pieces made by other machines: handed out, fetched, and made here where nobody is left who could."""

import logging
import statistics
import time
from asyncio import CancelledError
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import Any

from distributed import ActorFuture, Client, Future, KilledWorker
from distributed.client import ClosedClientError

from chronoxis.core.cluster.connection import connected
from chronoxis.core.cluster.machines import Machines
from chronoxis.core.cluster.orders import MachineFacts, PieceOrder
from chronoxis.core.cluster.piece_maker import MadePiece, PieceMaker
from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.render.piece_making import Made, MakePieces, PieceWork, make_pieces, runs_of
from chronoxis.core.render.pieces import Piece

log = logging.getLogger("chronoxis")

Told = Callable[[str], None]
"""Called with what a person should know, in a sentence."""

_AT_A_TIME = 2  # pieces that a worker has: one that it makes, and one that it goes on with
_MOST_TRIES = 3  # to reach a worker that is there
_LOOK_SECONDS = 0.05  # between looks at what has been made
_MEETING_SECONDS = 0.5  # between looks at who is there
_LISTENED_SECONDS = 2.0  # at most, between two looks: if we slept ourselves, nobody was silent meanwhile
_SILENT_SECONDS = 20.0  # after which a worker is given up that says nothing any more
_AWAY_SECONDS = 5.0  # after which one is given up that the scheduler names no more: some lists are empty
_STALLED_SECONDS = 1800.0  # without any piece or answer, before the work goes on here
_PATIENCE_SECONDS = 15.0  # without any worker, before the work goes on here
_PART_BYTES = 16 * 1024 * 1024  # bytes that are fetched at a time
_LATE_RATIO = 2.0  # times as long as pieces take elsewhere, before another worker is given one as well
_LEAST_SLOW_SECONDS = 5.0
_FAREWELL_SECONDS = 2.0  # for workers to hear that they may stop
_ANSWER_SECONDS = 0.002  # between looks for an answer that comes at once
# What a lost connection raises.
_CONNECTION_ERRORS = (OSError, RuntimeError, ValueError, CancelledError, ClosedClientError)
# Of these, what a lost worker raises.
_LOST_WORKER_ERRORS = (KilledWorker, CancelledError, ClosedClientError, RuntimeError)


class _LostError(Exception):
    """The work cannot go on elsewhere; the message says why."""


class _WorkerError(Exception):
    """A worker cannot go on."""

    def __init__(self, why: BaseException) -> None:
        super().__init__(str(why))
        self.why = why


@contextmanager
def elsewhere(machines: Machines, told: Told) -> Iterator[MakePieces]:
    """Be able to have pieces made by other machines, with the arguments and errors of `make_pieces`.

    Where no machine is left that could make them, they are made here, and that is told.

    Raises:
        ClusterError: nothing answers there, or it must not be spoken with.
    """
    with connected(machines) as client:
        order = _Elsewhere(client, machines, told)
        try:
            yield order.make
        finally:
            order.close()


class _Elsewhere:
    """Makes pieces by the workers that a client is connected to."""

    def __init__(self, client: Client, machines: Machines, told: Told) -> None:
        self._client, self._machines, self._told = client, machines, told
        self._sharing: _Sharing | None = None

    def make(self, work: PieceWork, made: Made = lambda _count: None, check: Check = never) -> None:
        """Make those pieces that are not in their folder yet."""
        self.close()
        self._sharing = _Sharing(self._client, work, PieceOrder.of(work, self._machines.moved), self._told)
        try:
            self._sharing.run(made, check)
        except _LostError as error:
            self._told(f"{error} The export goes on here.")
        finally:
            self.close()
        make_pieces(work, made, check)

    def close(self) -> None:
        """Let workers take away what they have."""
        if self._sharing is not None:
            self._sharing.close()
        self._sharing = None


@dataclass(eq=False)
class _Worker:
    """A worker that is asked.

    Attributes:
        name: by which a person knows it.
        maker: what makes pieces there, on its way.
        actor: that, once it is there.
        asked: the answer whether it can, on its way.
        can: whether it can make the pieces.
        under_way: pieces that it has, since when and their answers, oldest first.
        last: number of the piece that it was given last.
    """

    name: str
    maker: "Future[Any]"
    actor: Any = None
    asked: "ActorFuture[str] | None" = None
    can: bool = False
    under_way: "dict[Piece, tuple[float, ActorFuture[MadePiece]]]" = field(default_factory=dict)
    last: int = -2

    def call(self, method: str, *arguments: Any) -> "ActorFuture[Any]":
        """Call a method of what makes pieces there. Raises _WorkerError: it is lost."""
        try:
            answer: ActorFuture[Any] = getattr(self.actor, method)(*arguments)
        except (*_CONNECTION_ERRORS, AttributeError) as error:
            raise _WorkerError(error) from error
        return answer

    def give(self, piece: Piece, name: str) -> None:
        """Have it make a piece, once it has made those that it has. Raises _WorkerError."""
        self.under_way[piece] = time.monotonic(), self.call("make", piece, name)
        self.last = piece.number


class _Sharing:
    """The pieces of one result, shared out among workers."""

    def __init__(self, client: Client, work: PieceWork, order: PieceOrder, told: Told) -> None:
        self._client, self._work, self._told = client, work, told
        self._order, self._facts = order, MachineFacts.here()
        self._lacking = {piece for piece, name in work.names.items() if work.folder.found(name) is None}
        self._workers: dict[str, _Worker] = {}
        self._refused: set[str] = set()
        self._tries = Counter[str]()  # how often each could not be reached though it was there
        self._took: list[float] = []
        self._heard: dict[str, float] = {}  # when each said something last, on its own clock
        self._silent: dict[str, float] = {}  # seconds for which we have listened to each since
        self._away: dict[str, float] = {}  # seconds in which the scheduler did not name each, likewise
        self._present: Collection[str] = ()  # addresses that it named last
        self._met = self._peopled = self._moved = 0.0

    def run(self, made: Made, check: Check) -> None:
        """Until nothing lacks. Raises _LostError, Cancelled, and OSError: what is fetched cannot be kept."""
        count = sum(map(len, self._work.names)) - sum(map(len, self._lacking))
        self._peopled = self._moved = time.monotonic()
        while self._lacking:
            check()
            self._meet()
            for address, worker in list(self._workers.items()):
                self._hear(address, worker)
                for piece in self._fetched(address, worker, check):
                    count += len(piece)
                    made(count)
            self._hand_out()
            time.sleep(_LOOK_SECONDS)

    def close(self) -> None:
        """Let the workers stop, and take away what they made."""
        last = [answer for worker in self._workers.values() for answer in _farewell(worker)]
        end = time.monotonic() + _FAREWELL_SECONDS
        while time.monotonic() < end and not all(answer.done() for answer in last):
            time.sleep(_LOOK_SECONDS)
        with suppress(*_CONNECTION_ERRORS):
            self._client.cancel([worker.maker for worker in self._workers.values()], force=True)
        self._workers.clear()

    def _meet(self, *, at_once: bool = False) -> None:
        """Look who is there: ask those who are new, and give up those who went."""
        now = time.monotonic()
        if self._workers:
            self._peopled = now
        if now - self._peopled > _PATIENCE_SECONDS:
            raise _LostError("No machine is there that can make the pieces.")
        if now - self._moved > _STALLED_SECONDS:
            raise _LostError(f"Nothing has come from other machines for {_STALLED_SECONDS / 60:.0f} minutes.")
        if now - self._met < _MEETING_SECONDS and not at_once:
            return
        listened = min(now - self._met, _LISTENED_SECONDS)
        self._met = now
        try:
            present: dict[str, Any] = dict(self._client.scheduler_info(n_workers=-1)["workers"])
        except _CONNECTION_ERRORS as error:
            raise _LostError("The scheduler is lost.") from error
        if self._client.status != "running":
            raise _LostError("The scheduler is lost.")
        for address, info in present.items():
            is_heard = self._heard.get(address) != info["last_seen"]
            self._silent[address] = 0.0 if is_heard else self._silent[address] + listened
            self._heard[address] = info["last_seen"]
        awake = {address for address in present if self._silent[address] < _SILENT_SECONDS}
        self._present = present.keys()
        for address in list(self._workers):
            self._away[address] = 0.0 if address in present else self._away.get(address, 0.0) + listened
            if self._away[address] >= _AWAY_SECONDS or (address in present and address not in awake):
                self._lose(address)
        for address in awake - self._workers.keys() - self._refused:
            name = str(present[address].get("name") or address)
            maker = self._client.submit(PieceMaker, self._order, actor=True, workers=[address], pure=False)
            self._workers[address] = _Worker(name, maker)

    def _hear(self, address: str, worker: _Worker) -> None:
        """Take a worker's answer whether it can make the pieces."""
        if worker.can or not worker.maker.done():
            return
        try:
            if worker.asked is None:
                worker.actor = worker.maker.result(timeout=_SILENT_SECONDS)
                worker.asked = worker.call("lacks", self._facts)
            if not worker.asked.done():
                return
            lacking: str = worker.asked.result()
        except Exception as error:
            self._give_up(address, error, "gets no pieces")
            return
        if lacking:
            self._refuse(address, f"gets no pieces: {lacking}")
        else:
            worker.can, self._moved = True, time.monotonic()

    def _give_up(self, address: str, error: BaseException, what: str) -> None:
        """Go on without a worker that something went wrong with, or that is gone. Raises _LostError."""
        self._meet(at_once=True)
        if address not in self._workers:
            return
        log.info("%s %s: %r", self._workers[address].name, what, error)
        if isinstance(error, _LOST_WORKER_ERRORS) or (isinstance(error, OSError) and error.errno is None):
            self._tries[address] += 1
            if (
                address in self._present and self._tries[address] < _MOST_TRIES
            ):  # its scheduler still hears it: the connection broke
                self._workers.pop(address)
                return
            self._refused.add(address)
            self._lose(address)
        else:
            self._refused.add(address)
            self._refuse(address, f"{what}: {(str(error) or type(error).__name__).rstrip('.')}")

    def _lose(self, address: str) -> None:
        log.info("%s is lost, silent for %.1f s", self._workers[address].name, self._silent.get(address, 0.0))
        self._told(f"{self._workers.pop(address).name} is lost; others make its pieces.")

    def _refuse(self, address: str, why: str) -> None:
        worker = self._workers.pop(address)
        _farewell(worker)
        self._refused.add(address)
        self._told(f"{worker.name} {why}.")

    def _fetched(self, address: str, worker: _Worker, check: Check) -> Iterator[Piece]:
        """Fetch what a worker has made; those of it that nobody else had made before."""
        for piece, (since, answer) in list(worker.under_way.items()):
            if not answer.done():
                return
            try:
                found: MadePiece = self._answered(address, answer, check)
                if is_first := piece in self._lacking:
                    self._fetch(address, worker, piece, found, check)
            except _WorkerError as error:
                self._give_up(address, error.why, "makes no more pieces")
                return
            del worker.under_way[piece]
            with suppress(_WorkerError):
                worker.call("drop", self._work.names[piece])
            self._moved = time.monotonic()
            if is_first:
                self._took.append(self._moved - since)
                self._lacking.discard(piece)
                yield piece

    def _fetch(self, address: str, worker: _Worker, piece: Piece, found: MadePiece, check: Check) -> None:
        """Fetch a piece into the folder, part by part. Raises OSError: it cannot be kept."""
        folder, name = self._work.folder, self._work.names[piece]
        path = folder.unfinished(name)
        for file, size in found.files:
            with (path / file if file else path).open("wb") as written:
                for at in range(0, size, _PART_BYTES):
                    part = worker.call("part", name, file, at, min(_PART_BYTES, size - at))
                    written.write(self._answered(address, part, check))
        folder.keep(name, found.stand_ins)

    def _answered(self, address: str, answer: "ActorFuture[Any]", check: Check) -> Any:
        """What a worker answers, once it does. Raises _WorkerError, _LostError, Cancelled."""
        while not answer.done():
            check()
            self._meet()
            if address not in self._workers:
                raise _WorkerError(CancelledError())
            time.sleep(_ANSWER_SECONDS)
        try:
            return answer.result()
        except Exception as error:
            raise _WorkerError(error) from error

    def _hand_out(self) -> None:
        """Give pieces to workers that have too few."""
        able = [worker for worker in self._workers.values() if worker.can]
        given = {piece for worker in able for piece in worker.under_way}
        free = sorted(self._lacking - given, key=lambda piece: piece.number)
        for _ in range(_AT_A_TIME):
            for worker in able:
                if free and len(worker.under_way) < _AT_A_TIME:
                    piece = _next_for(worker, free, given)
                    free.remove(piece)
                    given.add(piece)
                    self._give(worker, piece)
        for worker in able:
            if not worker.under_way and (late := self._late(able)) is not None:
                self._give(worker, late)

    def _give(self, worker: _Worker, piece: Piece) -> None:
        with suppress(_WorkerError):  # the next look at who is there tells it
            worker.give(piece, self._work.names[piece])

    def _late(self, able: Sequence[_Worker]) -> Piece | None:
        """A piece that one worker alone has, and has not begun, or takes unusually long for."""
        usual = statistics.median(self._took) if self._took else float("inf")
        slow = max(_LEAST_SLOW_SECONDS, _LATE_RATIO * usual)
        has = Counter(piece for worker in able for piece in worker.under_way)
        for worker in able:
            for place, (piece, (since, _)) in enumerate(worker.under_way.items()):
                waits = place > 0 or time.monotonic() - since > slow
                if waits and has[piece] == 1 and piece in self._lacking:
                    return piece
        return None


def _next_for(worker: _Worker, free: Sequence[Piece], given: Collection[Piece]) -> Piece:
    """What follows its last one; else the beginning, or where another comes to it the middle, of a gap."""
    for piece in free:
        if piece.number == worker.last + 1:
            return piece
    gap = max(runs_of(free), key=len)
    is_come_to = any(piece.number == gap[0].number - 1 for piece in given)
    return gap[len(gap) // 2 if is_come_to else 0]


def _farewell(worker: _Worker) -> "list[ActorFuture[Any]]":
    """Let a worker stop; the answer, if it can still be spoken with."""
    with suppress(_WorkerError):
        return [worker.call("stop")]
    return []
