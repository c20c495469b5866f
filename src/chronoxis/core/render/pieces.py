"""Pieces: stretches of consecutive result frames, each encoded by itself, known by all that it is made from.

A piece that was made lies in a folder under that name, with a digest of what it holds. So an export that was
interrupted goes on with what is there, and what changed meanwhile is made anew.
"""

import hashlib
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import ceil
from pathlib import Path

import numpy as np

from chronoxis.core.files.atomic import remove, synced
from chronoxis.core.model.export_format import Container, ExportFormat
from chronoxis.core.render.frame_identity import FrameIdentities, code_digest, content_of, digest
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import Target
from chronoxis.core.render.writing import Writing

PIECE_SECONDS = 8
"""Result seconds of a piece, about."""

_LEAST_SECONDS, _LEAST_FRAMES = 1, 12  # of a piece, where there are several
_CUT_REACH = Fraction(1, 2)  # of a piece's length, by which it may be longer or shorter to end at a cut
_HASHED_AT_ONCE = 1 << 20  # bytes
_DASHES = 2  # in the name of a piece: number or what it is, what it is made from, what it holds
_HELD_ENDING = ".held.json"


@dataclass(frozen=True)
class Piece:
    """Some consecutive result frames.

    Attributes:
        number: of the piece, from 0 on.
        start: number of its first frame.
        stop: that of the first one behind it.
    """

    number: int
    start: int
    stop: int

    def __len__(self) -> int:
        return self.stop - self.start


def pieces_of(plan: Plan) -> list[Piece]:
    """The pieces of a result: they end at cuts where these are near, else where a key frame would come."""
    format_, count = plan.settings.format, len(plan.schedule)
    if not is_divisible(format_):
        return [Piece(0, 0, count)]
    cuts = (np.flatnonzero(np.diff(plan.schedule.shots)) + 1).tolist()
    return divided(count, cuts, plan.schedule.rate, format_.key_interval(plan.schedule.rate))


def divided(count: int, cuts: Sequence[int], rate: Fraction, key: int) -> list[Piece]:
    """So many frames in pieces.

    Args:
        count: of the frames.
        cuts: numbers of the first frames behind cuts, ascending.
        rate: frames per second.
        key: every how many frames one is coded by itself, from the beginning of a piece on.
    """
    wished = max(PIECE_SECONDS * rate, Fraction(4 * _LEAST_FRAMES))
    usual = max(1, round(wished / key)) * key
    least = max(ceil(_LEAST_SECONDS * rate), _LEAST_FRAMES)
    found, start = list[Piece](), 0
    while start < count:
        stop = _end_of(start, usual, least, cuts)
        if count - stop < least:
            stop = count
        found.append(Piece(len(found), start, stop))
        start = stop
    return found


def is_divisible(format_: ExportFormat) -> bool:
    """Whether results of a format can be put together from pieces: pictures that loop share their colours."""
    return format_.container is not Container.LOOP


def _end_of(start: int, usual: int, least: int, cuts: Sequence[int]) -> int:
    """The cut nearest to where a piece would end, if there is one near enough; else that place."""
    end, reach = start + usual, int(usual * _CUT_REACH)
    near = [cut for cut in cuts if abs(cut - end) <= reach and cut - start >= least]
    return min(near, key=lambda cut: abs(cut - end)) if near else end


class PieceNames:
    """What the pieces of a plan are called: equal names are equal pieces."""

    def __init__(self, plan: Plan, target: Target, writing: Writing) -> None:
        self._plan, self._writing = plan, writing
        self._identities = FrameIdentities(plan, target)

    def of(self, piece: Piece) -> str:
        """That of a piece. Raises FootageError."""
        frames = [self._identities.of(number) for number in range(piece.start, piece.stop)]
        return f"{piece.number:06d}-{digest([*_words(self._writing), *frames]).hex()}"

    @property
    def of_sound(self) -> str:
        """That of the sound of all of it. Raises FootageError."""
        project = self._plan.project
        heard = [project.shots, project.footage, project.music, project.mix, project.rate]
        sources = [*self._plan.sources, *self._plan.music_sources.values()]
        contents, format_ = [content_of(source) for source in sources], self._writing.format
        return (
            f"sound-{digest([code_digest(), heard, contents, format_.key, len(self._plan.schedule)]).hex()}"
        )


def _words(writing: Writing) -> list[object]:
    """All of how a piece is written."""
    return [
        writing.format.key,
        sorted(writing.options.items()),
        writing.size,
        writing.pixel_format,
        writing.rate,
        writing.colour,
        writing.pixel_aspect,
        writing.name,
    ]


@dataclass(frozen=True)
class StandIns:
    """Where what was recorded could not be decoded in a piece.

    Attributes:
        held: places whose pictures others stand in for, in words.
        silenced: places that are silent, in words.
    """

    held: tuple[str, ...] = ()
    silenced: tuple[str, ...] = ()


class PieceFolder:
    """Where pieces lie that are made: files, or folders of stills."""

    def __init__(self, path: Path, ending: str) -> None:
        """``ending`` is that of files; nothing for folders."""
        self.path, self._ending = path, ending
        self._there = {self._name_of(each): each for each in path.iterdir() if self._is_whole(each)}

    def found(self, name: str) -> Path | None:
        """The piece of a name, if it is there."""
        return self._there.get(name)

    def stand_ins(self, name: str) -> StandIns:
        """What was noted of a piece."""
        note = self.path / f"{name}{_HELD_ENDING}"
        if not note.exists():
            return StandIns()
        told = json.loads(note.read_text())
        return StandIns(tuple(told["held"]), tuple(told["silenced"]))

    def unfinished(self, name: str) -> Path:
        """Where a piece is written until it is whole. What is left of another try goes."""
        path = self.path / f".{name}{self._ending}"
        remove(path)
        if not self._ending:
            path.mkdir()
        return path

    def keep(self, name: str, stand_ins: StandIns = StandIns()) -> Path:
        """A piece is whole: bring it safely to the disk, and give it its name. Raises OSError."""
        made = self.path / f".{name}{self._ending}"
        if stand_ins != StandIns():
            note = {"held": stand_ins.held, "silenced": stand_ins.silenced}
            (self.path / f"{name}{_HELD_ENDING}").write_text(json.dumps(note))
        path = self.path / f"{name}-{content_digest(made)}{self._ending}"
        synced(made)
        made.rename(path)
        synced(self.path, deep=False)
        self._there[name] = path
        return path

    def drop(self, name: str) -> None:
        """Take a piece away, which is not what it should be."""
        if (path := self._there.pop(name, None)) is not None:
            remove(path)

    def drop_others(self, names: Iterable[str]) -> None:
        """Take away pieces that no longer belong to the result."""
        for name in set(self._there) - set(names):
            self.drop(name)

    def is_intact(self, name: str) -> bool:
        """Whether a piece that is there still holds what it held when it was made."""
        path = self._there[name]
        return path.name == f"{name}-{content_digest(path)}{self._ending}"

    def _is_whole(self, path: Path) -> bool:
        return (
            not path.name.startswith(".") and path.name.endswith(self._ending) and path.name.count("-") == 2
        )

    def _name_of(self, path: Path) -> str:
        return path.name.rsplit("-", 1)[0]


def content_digest(path: Path) -> str:
    """Of what a file holds, or all files of a folder. Raises OSError."""
    found = hashlib.blake2b(digest_size=8)
    for file in sorted(path.iterdir()) if path.is_dir() else [path]:
        with file.open("rb") as opened:
            while part := opened.read(_HASHED_AT_ONCE):
                found.update(part)
    return found.hexdigest()
