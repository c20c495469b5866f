"""What a result frame is made from, as a digest: frames of equal identity are equal.

So a frame that was made once is known again after an edit elsewhere, an undo, or in another session.
"""

import hashlib
from collections.abc import Iterator
from dataclasses import fields
from functools import cache, lru_cache
from importlib.resources import files
from importlib.resources.abc import Traversable
from pathlib import Path
from typing import Any

import av
import cv2

from chronoxis import __version__
from chronoxis.core.extensions import WAYS, code_of
from chronoxis.core.footage.source import Source
from chronoxis.core.footage.stamps import Stamp, stamps_of
from chronoxis.core.picture.accents.drawn_accent import Amounts, DrawnAccent, accents_on
from chronoxis.core.picture.views import needed_size
from chronoxis.core.render.chain import passed_between
from chronoxis.core.render.nested_source import NestedSource
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import Target
from chronoxis.core.timing.frame_making import EachFrame
from chronoxis.core.timing.shot_columns import CODES, Frames
from chronoxis.core.traces.store import fingerprint

Identity = bytes
"""What a result frame is made from, as a digest of 16 bytes."""

_CODE_PACKAGES = ("footage", "picture", "render")
_CODE_ENDINGS = (".py", ".so")
_FOOTAGE_KNOWN = 64  # whose content is known without looking again


class FrameIdentities:
    """The identities of a plan's result frames, for one target."""

    def __init__(self, plan: Plan, target: Target) -> None:
        self._plan, self._target = plan, target
        self._shots: dict[int, _ShotIdentity] = {}

    def of(self, number: int) -> Identity:
        """That of a result frame. Raises FootageError: its footage cannot be read."""
        shot = int(self._plan.schedule.shots[number])
        if shot not in self._shots:
            self._shots[shot] = _ShotIdentity(self._plan, self._target, shot)
        return self._shots[shot].of(number)


class _ShotIdentity:
    """What the result frames of a shot have in common, and what tells each from the others."""

    def __init__(self, plan: Plan, target: Target, shot: int) -> None:
        self._plan, self._shot = plan, shot
        source, picture, views = plan.sources[shot], plan.pictures[shot], plan.views[shot]
        needed = needed_size(views, picture, target.size, stretch=target.stretch)
        form = source.form_of_frames(needed, fit=views is None)
        moves = views is not None and views.moves
        self._common = digest([code_digest(), target, picture, needed, form, moves, content_of(source)])
        self._originals = source.originals
        self._inside = None
        if isinstance(source, NestedSource):
            self._inside = FrameIdentities(source.plan, source.form_of_frames(needed, fit=views is None))

    def of(self, number: int) -> Identity:
        plan, schedule, shot = self._plan, self._plan.schedule, self._shot
        frames, weights = schedule.sources(number)
        way = schedule.way(number) if len(frames) > 1 else EachFrame.ONE
        window = float(schedule.opened[number]), float(schedule.closed[number])
        shown, views = number if plan.shown is None else int(plan.shown[number]), plan.views[shot]
        warp = plan.warps[shot]
        return digest(
            [
                self._common,
                str(way) if way in CODES else (way, code_of(WAYS, str(way))),
                self._recorded(frames),
                weights.tobytes(),
                passed_between(plan.edges[shot], plan.cuts[shot], frames, window, way),
                None if views is None else views.box(shown),
                [correction.parameters(frames) for correction in plan.corrections[shot]],
                None if warp is None else warp.parameters(frames),
                [_accent(accent, number) for accent in accents_on(plan.accents[shot], number)],
            ]
        )

    def _recorded(self, frames: Frames) -> bytes:
        if self._inside is not None:
            return b"".join(map(self._inside.of, frames.tolist()))
        return self._originals.recorded(frames).tobytes()


def _accent(accent: DrawnAccent, number: int) -> list[Any]:
    """Its type, the number of the frame, and all that it holds, as far as that is about this frame."""
    values = (getattr(accent, field.name) for field in fields(accent))  # type: ignore[arg-type]
    return [type(accent).__name__, number, *(_about_frame(value, number) for value in values)]


def _about_frame(value: Any, number: int) -> Any:
    if isinstance(value, Amounts):
        return value[number]
    return value(number) if callable(value) else value


def content_of(source: Source) -> str:
    """What its files hold; nothing, where it has none of its own. Raises FootageError."""
    return _content_at(tuple(stamps_of(source.files).items()))


@lru_cache(maxsize=_FOOTAGE_KNOWN)
def _content_at(stamps: tuple[tuple[Path, Stamp], ...]) -> str:
    """What files hold: the same for as long as their stamps are."""
    return fingerprint(path for path, _ in stamps)


def digest(parts: list[Any]) -> Identity:
    """Of values that say all that they are in words."""
    return hashlib.blake2b(repr(parts).encode(), digest_size=16).digest()


@cache
def code_digest() -> str:
    """What the code is like that makes frames: what other code made is not what this one would."""
    found = hashlib.blake2b(repr((__version__, av.__version__, cv2.__version__)).encode(), digest_size=16)
    for package in _CODE_PACKAGES:
        for file in _code_files(files("chronoxis.core") / package):
            found.update(file.read_bytes())
    return found.hexdigest()


def _code_files(folder: Traversable) -> Iterator[Traversable]:
    for entry in sorted(folder.iterdir(), key=lambda entry: entry.name):
        if entry.is_dir():
            yield from _code_files(entry)
        elif entry.name.endswith(_CODE_ENDINGS):
            yield entry
