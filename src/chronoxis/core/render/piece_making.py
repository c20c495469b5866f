"""Making pieces: those that follow one another in one pass through their footage."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import islice

import av

from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.held_places import held_places, silenced_places
from chronoxis.core.render.pieces import Piece, PieceFolder, PieceNames, StandIns
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.sound_track import SoundTrack
from chronoxis.core.render.target import Target
from chronoxis.core.render.writer import open_writer
from chronoxis.core.render.writing import Writing
from chronoxis.core.sound.mixing import loudness_gain, mixed

Made = Callable[[int], None]
"""Called with how many frames of the result are there."""

MakePieces = Callable[["PieceWork", Made, Check], None]
"""Makes the pieces that lack, as `make_pieces` does."""


@dataclass(frozen=True, eq=False)
class PieceWork:
    """What is to be made in pieces.

    Attributes:
        plan: of the result.
        target: what its frames are made for.
        writing: how they are written.
        names: of all pieces, in their order.
        sound: the name of the sound; nothing if there is none.
        folder: where they go.
    """

    plan: Plan
    target: Target
    writing: Writing
    names: Mapping[Piece, str]
    sound: str
    folder: PieceFolder

    @classmethod
    def of(
        cls, plan: Plan, target: Target, writing: Writing, pieces: Sequence[Piece], folder: PieceFolder
    ) -> "PieceWork":
        """The work on some pieces, by their names. Raises FootageError: footage cannot be read."""
        names = PieceNames(plan, target, writing)
        sound = names.of_sound if writing.sound else ""
        return cls(plan, target, writing, {piece: names.of(piece) for piece in pieces}, sound, folder)

    @property
    def wanted(self) -> list[str]:
        """The names of all that the result is put together from."""
        return [*self.names.values(), *filter(None, [self.sound])]


def make_pieces(work: PieceWork, made: Made = lambda _count: None, check: Check = never) -> None:
    """Make those pieces that are not in their folder yet.

    Args:
        work: what is to be made.
        made: called after each frame, with how many are there, those of pieces that were there before
            among them; it may raise `Cancelled`.
        check: called while frames are made; likewise.

    Raises:
        FootageError: the recording can no longer be read.
        av.FFmpegError, OSError: a piece cannot be written.
        Cancelled: as above. What is whole by then stays.
    """
    lacking = [piece for piece, name in work.names.items() if work.folder.found(name) is None]
    count = sum(map(len, work.names)) - sum(map(len, lacking))

    def one_more() -> None:
        nonlocal count
        count += 1
        made(count)

    for run in runs_of(lacking):
        writing, stretch = work.writing, (run[0].start, run[-1].stop)
        with closing(PiecePass(work.plan, work.target, writing, work.folder, stretch, check)) as under_way:
            for piece in run:
                under_way.make(piece, work.names[piece], one_more)


class PiecePass:
    """One pass through the footage of some consecutive pieces.

    Attributes:
        next: number of the result frame that it comes to next.
    """

    def __init__(
        self,
        plan: Plan,
        target: Target,
        writing: Writing,
        folder: PieceFolder,
        stretch: tuple[int, int],
        check: Check = never,
    ) -> None:
        """Through a stretch of result frames, into a folder; ``check`` is as in `make_pieces`."""
        self.next = stretch[0]
        self._plan, self._folder = plan, folder
        self._writing = replace(writing, sound=False, metadata={})
        self._held: dict[int, set[int]] = {}
        self._told = StandIns()
        self._frames = result_frames(plan, target, *stretch, check, self._held)

    def close(self) -> None:
        """Give up what is left of it."""
        self._frames.close()

    def make(self, piece: Piece, name: str, one_more: Callable[[], None] = lambda: None) -> None:
        """Make the next piece; ``one_more`` is called after each frame. Raises what `make_pieces` does."""
        path, writing = self._folder.unfinished(name), replace(self._writing, first=piece.start)
        with open_writer(path, writing, iter(())) as writer:
            for frame in islice(self._frames, len(piece)):
                writer.write(frame)
                self.next += 1
                one_more()
        so_far = held_places(self._plan, self._held)
        fresh = tuple(place for place in so_far if place not in self._told.held)
        self._folder.keep(name, StandIns(held=fresh))
        self._told = StandIns(held=so_far)


def runs_of(pieces: Sequence[Piece]) -> Iterator[list[Piece]]:
    """Stretches of pieces that follow one another."""
    run: list[Piece] = []
    for piece in pieces:
        if run and run[-1].stop != piece.start:
            yield run
            run = []
        run.append(piece)
    if run:
        yield run


def make_sound(work: PieceWork, check: Check = never) -> None:
    """Make the sound of all of a result, unless it is in the folder.

    Raises:
        FootageError: sound can no longer be read.
        av.FFmpegError, OSError: it cannot be written.
        Cancelled: ``check`` raised it.
    """
    if work.folder.found(work.sound) is not None:
        return
    plan, format_ = work.plan, work.writing.format
    silenced = set[tuple[str, Fraction]]()
    gain = loudness_gain(plan.sound, plan.sounds(), check)
    sounds = plan.sounds(lambda key, at: silenced.add((key, at)))
    path, options = work.folder.unfinished(work.sound), dict(format_.muxer_options)
    with av.open(f"file:{path}", "w", format=format_.muxer, options=options) as container:
        track = SoundTrack(container, format_)
        with closing(mixed(plan.sound, sounds, gain)) as blocks:
            for block in blocks:
                check()
                track.write(block)
        track.finish()
    work.folder.keep(work.sound, StandIns(silenced=silenced_places(plan, silenced)))
