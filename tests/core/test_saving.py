"""What is on the disk whatever happens to a save: always a whole project."""

import fcntl
import os
import random
import resource
import signal
import subprocess
import sys
import threading
import time
from dataclasses import replace
from fractions import Fraction
from itertools import count
from pathlib import Path

import pytest

from chronoxis.core.errors import ExportError
from chronoxis.core.files.autosave import Autosave, left_behind
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.model import arranging
from chronoxis.core.model.project import Project
from tests.footage_makers import make_recording, recording_of

KILLS = 80


def variants(folder: Path) -> list[Project]:
    """Projects of quite different sizes, so that a mixture of two would not pass for either."""
    whole = arranging.begin_with(Project(), recording_of(folder / "take.mkv", Fraction(25), Fraction(900)))
    return [replace(whole, shots=whole.shots * many) for many in (1, 30, 150, 400)]


def save_for_ever(folder: Path) -> None:
    """Save one variant after another, and keep and clear an autosave as a window does."""
    projects, autosave = variants(folder), Autosave(folder / "autosave")
    for number in count():
        project = projects[number % len(projects)]
        autosave.keep(project, folder / "film.chronoxis")
        save_project(project, folder / "film.chronoxis")
        if number % 5 == 4:
            autosave.clear()


def kill_and_look(folder: Path) -> int:
    """Kill a saving process at random moments; return how often an autosave was left behind.

    Raises:
        AssertionError: what a kill left is not one of the projects.
    """
    projects, chance = variants(folder), random.Random(11)
    save_project(projects[0], folder / "film.chronoxis")
    kept = 0
    for _ in range(KILLS):
        child = os.fork()
        if not child:
            save_for_ever(folder)
        time.sleep(chance.uniform(0.001, 0.03))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        assert load_project(folder / "film.chronoxis") in projects
        for found in left_behind(folder / "autosave"):
            assert found.project in projects
            assert found.saved_as == folder / "film.chronoxis"
            found.discard()
            kept += 1
    assert not list((folder / "autosave").glob("*.unreadable"))
    return kept


def test_no_kill_loses_or_damages_a_project(tmp_path: Path) -> None:
    # In a process with one thread, since a fork copies only the thread that calls it.
    code = f"import sys; from {__name__} import *; print(kill_and_look(Path(sys.argv[1])))"
    command = [sys.executable, "-c", code, str(tmp_path)]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert int(done.stdout) > KILLS / 4  # the kills did come amid the work


def test_a_full_disk_leaves_the_project_that_was_saved(tmp_path: Path) -> None:
    small, *_, large = variants(tmp_path)
    path = tmp_path / "film.chronoxis"
    save_project(small, path)
    before, limits = signal.signal(signal.SIGXFSZ, signal.SIG_IGN), resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (path.stat().st_size + 1000, limits[1]))
    try:
        with pytest.raises(ExportError, match=r"film\.chronoxis was not written"):
            save_project(large, path)
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, limits)
        signal.signal(signal.SIGXFSZ, before)
    assert load_project(path) == small
    assert list(tmp_path.iterdir()) == [path]


def test_two_windows_keep_their_work_apart(tmp_path: Path) -> None:
    one, other, *_ = variants(tmp_path)
    windows = [Autosave(tmp_path / "state"), Autosave(tmp_path / "state")]
    for window, project in zip(windows, (one, other), strict=True):
        window.keep(project, tmp_path / "film.chronoxis")
    assert left_behind(tmp_path / "state") == []  # both run
    windows[0]._lock.close()  # as the system does when a process ends
    (found,) = left_behind(tmp_path / "state")
    assert found.project == one
    found.discard()
    windows[1].keep(one, None)
    windows[1]._lock.close()
    (found,) = left_behind(tmp_path / "state")
    assert (found.project, found.saved_as) == (one, None)


def test_footage_is_found_beside_a_project_that_moved_else_where_it_was(tmp_path: Path) -> None:
    for name in ("films", "footage"):
        (tmp_path / "old" / name).mkdir(parents=True)
    take, film = tmp_path / "old/footage/take.mkv", tmp_path / "old/films/film.chronoxis"
    make_recording(take, frames=20)
    save_project(arranging.begin_with(Project(), recording_of(take, Fraction(25), Fraction(20, 25))), film)
    alone = tmp_path / "elsewhere/far/film.chronoxis"
    alone.parent.mkdir(parents=True)
    alone.write_bytes(film.read_bytes())
    assert load_project(alone).footage[0].files == (take,)
    (tmp_path / "old").rename(tmp_path / "new")
    both = tmp_path / "new/films/film.chronoxis"
    assert load_project(both).footage[0].files == (tmp_path / "new/footage/take.mkv",)
    assert load_project(alone).footage[0].files == (tmp_path / "elsewhere/footage/take.mkv",)  # not there


def test_a_file_that_another_program_writes_is_waited_for(tmp_path: Path) -> None:
    film = tmp_path / "film.chronoxis"
    known = save_project(Project(), film)
    with film.open("rb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        release = threading.Timer(0.3, fcntl.flock, (held, fcntl.LOCK_UN))
        release.start()
        began = time.monotonic()
        save_project(Project(rate=Fraction(30)), film, known)
        release.join()
    assert time.monotonic() - began >= 0.25
    assert load_project(film).rate == 30
