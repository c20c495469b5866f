"""Watching a folder: what arrives is condensed once, when it is whole."""

import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from chronoxis.core.footage.recording.frame_index import build_index
from chronoxis.core.queue.arrivals import Arrivals, CondensedBefore
from tests.footage_makers import make_recording


@pytest.fixture(scope="module")
def takes(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    folder = tmp_path_factory.mktemp("watched")
    return [make_recording(folder / f"take {n}.mkv", frames=40 + 10 * n, size=(96, 64)) for n in range(3)]


def test_what_grows_is_waited_for_and_told_once(tmp_path: Path) -> None:
    (tmp_path / "before.mp4").write_text("there already")
    arrivals = Arrivals(tmp_path, existing=False)
    film, clock = tmp_path / "film.mp4", 100.0
    for size in range(1, 6):  # it grows, slowly
        film.write_bytes(b"x" * size)
        assert arrivals.settled(clock) == []
        clock += 2
    (tmp_path / "on its way.mp4.part").write_text("half")
    (tmp_path / ".hidden.mp4").write_text("hidden")
    (tmp_path / "empty.mp4").write_text("")
    assert arrivals.settled(clock) == []
    assert arrivals.settled(clock + 2) == [film]
    assert arrivals.settled(clock + 10) == []
    gone = tmp_path / "gone.mp4"
    gone.write_text("for a moment")
    assert arrivals.settled(clock + 10) == []
    gone.unlink()
    assert arrivals.settled(clock + 20) == []
    (tmp_path / "on its way.mp4.part").rename(tmp_path / "on its way.mp4")
    (tmp_path / "before.mp4").write_text("there already, and changed")
    arrivals.settled(clock + 21)
    photos = tmp_path / "dawn"
    photos.mkdir()
    (photos / "1.png").write_text("one")
    assert arrivals.settled(clock + 30) == [tmp_path / "before.mp4", tmp_path / "on its way.mp4"]
    (photos / "2.png").write_text("two")
    assert arrivals.settled(clock + 40) == []
    assert arrivals.settled(clock + 50) == []
    assert arrivals.settled(clock + 56) == [photos]
    assert set(Arrivals(tmp_path, existing=True)._entries()) > {film, photos}


def test_the_same_content_is_condensed_once_into_each_pattern(tmp_path: Path) -> None:
    film = tmp_path / "film.mp4"
    film.write_text("content")
    for _ in range(2):  # also after a restart
        before = CondensedBefore(tmp_path / "state" / "watched.sqlite")
        first = before.take(film, "a")
        renamed = film.rename(tmp_path / "other.mp4")
        assert not before.take(renamed, "a")
        renamed.rename(film)
        before.close()
    assert not first
    before = CondensedBefore(tmp_path / "state" / "watched.sqlite")
    assert before.take(film, "b")
    before.close()


@pytest.fixture
def watching(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Callable[..., "Watched"]]:
    begun: list[Watched] = []

    def begin(*options: str) -> Watched:
        begun.append(Watched(tmp_path, *options))
        return begun[-1]

    yield begin
    for each in begun:
        each.end()


class Watched:
    """The command at work, and what it says."""

    def __init__(self, folder: Path, *options: str) -> None:
        self._said = folder / f"said {time.monotonic_ns()}"
        command = [sys.executable, "-u", "-m", "chronoxis.cli", "watch", str(folder / "in"), "--speed", "2x"]
        command += ["-o", str(folder / "out" / "{name}-{speed}.mkv"), *options]
        with self._said.open("w") as out:
            self._process = subprocess.Popen(command, stdout=out, stderr=subprocess.STDOUT)

    def wait_for(self, words: str) -> None:
        end = time.monotonic() + 60
        while words not in self._said.read_text():
            assert self._process.poll() is None, self._said.read_text()
            assert time.monotonic() < end, self._said.read_text()
            time.sleep(0.05)

    def end(self) -> str:
        """End it as a person does; all that it said."""
        self._process.send_signal(signal.SIGINT)
        assert self._process.wait(20) == 0, self._said.read_text()
        return self._said.read_text()


@pytest.fixture
def folders(tmp_path: Path, takes: list[Path]) -> tuple[Path, Path]:
    """What is watched, with a recording that is there already, and where results go."""
    folder, out = tmp_path / "in", tmp_path / "out"
    folder.mkdir()
    out.mkdir()
    shutil.copy(takes[0], folder / "old.mkv")
    return folder, out


def test_what_is_there_is_condensed_and_what_is_none_is_said(
    folders: tuple[Path, Path], watching: Callable[..., Watched]
) -> None:
    folder, out = folders
    (folder / "notes.txt").write_text("no recording at all")
    watched = watching("--existing")
    watched.wait_for("old.mkv: done")
    watched.wait_for("notes.txt: ")
    watched.end()
    assert [path.name for path in out.iterdir()] == ["old-2x.mkv"]


@pytest.mark.thorough
def test_what_comes_in_is_condensed_whatever_else_does(
    folders: tuple[Path, Path], takes: list[Path], watching: Callable[..., Watched]
) -> None:
    folder, out = folders
    watched = watching()
    watched.wait_for("Watching")
    content = takes[1].read_bytes()
    with (folder / "slow.mkv").open("wb") as file:  # a camera that writes for longer than a glance
        for part in range(4):
            file.write(content[part * len(content) // 4 : (part + 1) * len(content) // 4])
            file.flush()
            time.sleep(0.7)
    shutil.copy(takes[2], folder / "copy.mkv.part")
    (folder / "copy.mkv.part").rename(folder / "copy.mkv")
    (folder / "notes.txt").write_text("no recording at all")
    watched.wait_for("slow.mkv: done")
    watched.wait_for("copy.mkv: done")
    watched.wait_for("notes.txt: ")
    (folder / "slow.mkv").rename(folder / "renamed.mkv")
    watched.wait_for("renamed.mkv: was condensed before")
    said = watched.end()
    assert "old.mkv" not in said
    assert all(line.count(": ") for line in said.splitlines()[1:])
    assert sorted(path.name for path in out.iterdir()) == ["copy-2x.mkv", "slow-2x.mkv"]
    assert len(build_index(out / "slow-2x.mkv")) == 25
    again = watching("--existing")
    again.wait_for("old.mkv: done")
    said = again.end()
    assert "copy.mkv: was condensed before" in said
    assert len(list(out.iterdir())) == 3
