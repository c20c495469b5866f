"""Who makes pieces on another machine. The engine keeps it there, and calls it over the connection."""

import threading
import weakref
from collections.abc import Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace

from distributed import get_worker

from chronoxis.core.cluster.orders import MachineFacts, PieceOrder
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.files.atomic import scratch_folder
from chronoxis.core.footage.prefetch import unless
from chronoxis.core.render.export import writing_of
from chronoxis.core.render.opened_project import planned
from chronoxis.core.render.piece_making import PiecePass
from chronoxis.core.render.pieces import Piece, PieceFolder, PieceNames, StandIns
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import Target, export_target
from chronoxis.core.render.writing import Writing
from chronoxis.core.traces.store import TraceStore, fingerprint


@dataclass(frozen=True)
class MadePiece:
    """A piece that lies at a worker.

    Attributes:
        files: names and bytes of its files; one without a name, if it is a file itself.
        stand_ins: where what was recorded could not be decoded in it.
    """

    files: tuple[tuple[str, int], ...]
    stand_ins: StandIns


class PieceMaker:
    """Makes pieces of one result, one at a time, and gives them away bit by bit.

    It keeps its place in the footage: the piece that follows goes on from there. What takes long is called in
    a thread of its own, what is ``async`` meanwhile.
    """

    def __init__(self, order: PieceOrder) -> None:
        own: Sequence[tuple[str, str]] = getattr(get_worker(), "moved", ())
        self._order = replace(order, moved=(*order.moved, *own))
        self._room = ExitStack()
        self._given_up = threading.Event()
        self._check = unless(self._given_up)
        self._busy = threading.Lock()
        weakref.finalize(self, self._room.close)  # whoever asked for pieces may vanish without a word
        self._opened: _Opened | None = None
        self._pass: PiecePass | None = None

    def lacks(self, wanted: MachineFacts) -> str:
        """Why the result cannot be made here, or nothing. Raises ChronoxisError."""
        project = self._order.opened()
        if lacking := wanted.lacks(MachineFacts.here(), project.settings.format):
            return lacking
        for footage in project.footage:
            if (content := self._order.contents.get(footage.key)) is None:
                continue
            missing = [path for path in footage.files if not path.exists()]
            if missing:
                return f"{missing[0]} is not there; --map HERE=THERE says where such files lie"
            if fingerprint(footage.files) != content:
                return f"what is called {footage.label} there is something else"
        return ""

    def make(self, piece: Piece, name: str) -> MadePiece:
        """Make a piece.

        Raises:
            ChronoxisError: footage cannot be read, or it would not be the piece of that name.
            av.FFmpegError, OSError: it cannot be written.
            Cancelled: `stop` was called.
        """
        with self._busy:
            try:
                return self._made(piece, name)
            finally:
                if self._given_up.is_set():
                    self._tidy()

    def _made(self, piece: Piece, name: str) -> MadePiece:
        opened = self._opened = self._opened or self._open()
        if (found := opened.names.of(piece)) != name:
            raise ChronoxisError(f"piece {piece.number} would be another one, {found}")
        if self._pass is None or self._pass.next != piece.start:
            if self._pass is not None:
                self._pass.close()
            stretch = piece.start, len(opened.plan.schedule)
            self._pass = PiecePass(
                opened.plan, opened.target, opened.writing, opened.folder, stretch, self._check
            )
        try:
            self._pass.make(piece, name)
        except BaseException:
            self._pass = None
            raise
        path = opened.folder.found(name)
        assert path is not None, "it was made just now"
        inside = {each.name: each for each in path.iterdir()} if path.is_dir() else {"": path}
        files = tuple((file, each.stat().st_size) for file, each in sorted(inside.items()))
        return MadePiece(files, opened.folder.stand_ins(name))

    async def part(self, name: str, file: str, at: int, count: int) -> bytes:
        """So many bytes of a file of a piece. Raises ChronoxisError, OSError."""
        path = self._opened.folder.found(name) if self._opened is not None else None
        if path is None:
            raise ChronoxisError(f"piece {name} is not there any more")
        with (path / file if file else path).open("rb") as opened:
            opened.seek(at)
            return opened.read(count)

    async def drop(self, name: str) -> None:
        """Take away a piece that has been fetched. Raises OSError."""
        if self._opened is not None:
            self._opened.folder.drop(name)

    async def stop(self) -> None:
        """Give up what is under way, and take away what was made."""
        self._given_up.set()
        if self._busy.acquire(blocking=False):  # else whoever is busy does it
            try:
                self._tidy()
            finally:
                self._busy.release()

    def _tidy(self) -> None:
        if self._pass is not None:
            self._pass.close()
        self._pass = self._opened = None
        self._room.close()

    def _open(self) -> "_Opened":
        """Plan the result; what was measured is put where it is looked for."""
        store = TraceStore()
        for (mark, trace), columns in self._order.traces.items():
            if store.kept(mark, trace) is None:
                store.keep(mark, trace, columns)
        check = self._check
        plan = planned(self._order.opened(), lambda *_: check())
        target = export_target(plan)
        writing = replace(writing_of(plan, target), name=self._order.name, most=self._order.most)
        place = self._room.enter_context(scratch_folder())
        folder = PieceFolder(place, "" if writing.format.is_folder else writing.format.ending)
        return _Opened(plan, target, writing, folder, PieceNames(plan, target, writing))


@dataclass(frozen=True, eq=False)
class _Opened:
    plan: Plan
    target: Target
    writing: Writing
    folder: PieceFolder
    names: PieceNames
