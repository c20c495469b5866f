"""A result written in pieces, and put together once all of them are there."""

import os
import shutil
from concurrent.futures import ThreadPoolExecutor, wait
from pathlib import Path
from threading import Event

from chronoxis.core.footage.prefetch import Check, never, unless
from chronoxis.core.render.piece_joining import join_pieces
from chronoxis.core.render.piece_making import Made, MakePieces, PieceWork, make_pieces, make_sound
from chronoxis.core.render.pieces import PieceFolder, StandIns

_LOOK_SECONDS = 0.02  # seconds between looks whether the sound is made


def write_in_pieces(
    work: PieceWork,
    path: Path,
    made: Made = lambda _count: None,
    check: Check = never,
    make: MakePieces = make_pieces,
) -> StandIns:
    """Make what is not in a folder yet, and put all of it together into a file or a folder of stills.

    The sound is made meanwhile. Errors are those of ``make`` and `join_pieces`.
    """
    folder = work.folder
    folder.drop_others(work.wanted)
    _make(work, made, check, make)
    for name in work.wanted:
        check()
        if not folder.is_intact(name):
            folder.drop(name)
    _make(work, made, check, make)  # what a disk has spoilt since
    parts = [(piece, _there(folder, name)) for piece, name in work.names.items()]
    if work.writing.format.is_folder:
        for _, part in parts:
            for still in part.iterdir():
                _link(still, path / still.name)
    else:
        join_pieces(parts, _there(folder, work.sound) if work.sound else None, work.writing, path, check)
    stand_ins = [folder.stand_ins(name) for name in work.wanted]
    held = {place for each in stand_ins for place in each.held}
    return StandIns(tuple(sorted(held)), tuple(place for each in stand_ins for place in each.silenced))


def _make(work: PieceWork, made: Made, check: Check, make: MakePieces) -> None:
    """Make pieces, and the sound beside them; an error of either ends both."""
    if not work.sound:
        make(work, made, check)
        return
    given_up = Event()
    with ThreadPoolExecutor(1, thread_name_prefix="sound of an export") as beside:
        sound = beside.submit(make_sound, work, unless(given_up))

        def check_both() -> None:
            check()
            if sound.done():
                sound.result()

        try:
            make(work, made, check_both)
            while not sound.done():
                check()
                wait([sound], timeout=_LOOK_SECONDS)
            sound.result()
        finally:
            given_up.set()


def _there(folder: PieceFolder, name: str) -> Path:
    path = folder.found(name)
    assert path is not None, "it was made just now"
    return path


def _link(still: Path, place: Path) -> None:
    """Give a still a second name, so that its piece stays whole until the result is."""
    try:
        os.link(still, place)
    except OSError:  # a file system without hard links
        shutil.copyfile(still, place)
