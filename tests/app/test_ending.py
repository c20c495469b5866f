"""How the program ends when the system asks for it, and how it starts from a menu."""

import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from configparser import ConfigParser
from pathlib import Path

import pytest

from chronoxis.core.files.atomic import scratch_folder, sweep_unfinished
from chronoxis.core.files.autosave import left_behind
from tests.footage_makers import make_recording

_PATIENCE = 20  # seconds
_ENTRY = Path(__file__).parents[2] / "src" / "chronoxis" / "desktop" / "chronoxis.desktop"


@pytest.fixture
def state(own_state: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("QT_QPA_PLATFORM", "offscreen")
    return own_state


def started(*words: str) -> subprocess.Popen[str]:
    command = [sys.executable, "-m", "chronoxis.cli", *words]
    return subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)


def until(holds: Callable[[], object]) -> None:
    end = time.monotonic() + _PATIENCE
    while not holds():
        assert time.monotonic() < end
        time.sleep(0.05)


def wait_for(what: Path, pattern: str) -> None:
    until(lambda: list(what.glob(pattern)))


@pytest.mark.sampled(1)
@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT])
def test_a_signal_ends_an_idle_window_in_order_and_keeps_what_is_not_saved(
    state: Path, tmp_path: Path, number: signal.Signals
) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=60)
    with started("open", str(take)) as window:
        wait_for(state / "autosave", "*.autosave")
        time.sleep(0.5)  # nothing happens in it any more
        window.send_signal(number)
        _, said = window.communicate(timeout=_PATIENCE)
    assert window.returncode == 128 + number
    assert "Traceback" not in said
    (kept,) = left_behind(state / "autosave")
    assert kept.project.footage[0].name == "take"


@pytest.mark.thorough
def test_the_menu_entry_starts_without_a_file_and_with_several(state: Path, tmp_path: Path) -> None:
    entry = ConfigParser(interpolation=None)
    entry.read(_ENTRY)
    program, *words = entry["Desktop Entry"]["Exec"].split()
    assert program == "chronoxis"
    files = [str(make_recording(tmp_path / name, frames=30)) for name in ("one.mkv", "two.mkv")]
    for given in ([], files):
        filled = [part for word in words for part in (given if word == "%F" else [word])]
        with started(*filled) as window:
            until(lambda: "libqoffscreen" in Path(f"/proc/{window.pid}/maps").read_text())
            if given:
                wait_for(state / "autosave", "*.autosave")
            time.sleep(1)
            assert window.poll() is None  # it is open
            window.terminate()
            _, said = window.communicate(timeout=_PATIENCE)
        assert said.replace("This plugin does not support propagateSizeHints()\n", "") == ""
    (kept,) = left_behind(state / "autosave")
    assert [footage.name for footage in kept.project.footage] == ["one", "two"]


def test_what_a_killed_export_or_estimate_used_meanwhile_is_swept(state: Path) -> None:
    child = os.fork()
    if child == 0:
        with scratch_folder() as folder:
            (folder / "export.chronoxis").write_text("{}")
            os.kill(os.getpid(), signal.SIGKILL)
    os.waitpid(child, 0)
    (note,) = (state / "unfinished").iterdir()
    left = note.readlink()
    assert left.parent == Path(tempfile.gettempdir())
    assert (left / "export.chronoxis").exists()
    sweep_unfinished()
    assert left.exists()  # somebody may only just have begun
    os.utime(left, (0, 0))
    sweep_unfinished()
    assert not left.exists()
    assert not list((state / "unfinished").iterdir())
