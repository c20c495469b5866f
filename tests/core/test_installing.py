"""The program among a person's applications, what its commands say of themselves, and reports of faults."""

import json
import logging
import os
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from shutil import which

import click
import pytest

from chronoxis import __version__
from chronoxis.cli.main import COMMANDS, cli
from chronoxis.cli.shell_files import MAN_PAGE, shell_files
from chronoxis.core.fault_report import fault_report
from chronoxis.core.files import log_file
from chronoxis.desktop.places import desktop_files, put, take_away
from tests.command_line import chronoxis


@pytest.fixture
def kept_log(own_state: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    before = list(log_file.log.handlers)
    log_file.keep_log()
    yield log_file.log_file()
    for handler in [each for each in log_file.log.handlers if each not in before]:
        log_file.log.removeHandler(handler)
        handler.close()


def test_help_and_version_load_nothing_that_is_slow() -> None:
    code = (
        "import sys\nfrom chronoxis.cli.main import cli\n"
        "try: cli(sys.argv[1:])\nexcept SystemExit: pass\n"
        "loaded = {name.partition('.')[0] for name in sys.modules}\n"
        "print(sorted(loaded & {'numpy', 'av', 'PySide6', 'scipy'}))"
    )
    for asked in ("--help", "--version"):
        said = subprocess.run([sys.executable, "-c", code, asked], capture_output=True, text=True, check=True)
        assert said.stdout.splitlines()[-1] == "[]"
    asking = {"_CHRONOXIS_COMPLETE": "bash_complete", "COMP_WORDS": "chronoxis con", "COMP_CWORD": "1"}
    code = "import sys; sys.argv[0] = 'chronoxis'\nfrom chronoxis.cli import main\nmain()"
    command = [sys.executable, "-X", "importtime", "-c", code]
    said = subprocess.run(
        command, capture_output=True, text=True, check=False, env={**os.environ, **asking}, timeout=30
    )
    assert said.stdout.split() == ["plain,condense", "plain,convert"]
    assert "numpy" not in said.stderr
    assert __version__ in chronoxis("--version").stdout.splitlines()[0]


def test_no_command_loads_what_it_may_not_need() -> None:
    """Signal processing takes longer to load than all else together."""
    names = [module.partition(":")[0] for module, _ in COMMANDS.values()]
    loading = "".join(f"import chronoxis.cli.{name}\n" for name in names)
    code = f"import sys\n{loading}print('scipy' in sys.modules)"
    said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert said.stdout == "False\n"


def test_every_command_is_found_under_its_name() -> None:
    for name, (_, about) in COMMANDS.items():
        command = cli.get_command(click.Context(cli), name)
        assert command is not None
        assert command.name == name
        assert about.endswith(".")
        assert len(about) <= 66  # so that it stands on one line of the help
    assert [*COMMANDS] == sorted(COMMANDS)


def test_what_is_installed_for_a_person_is_removed_without_a_trace(tmp_path: Path) -> None:
    data, program = tmp_path / "share", tmp_path / "with blank 100%" / "chronoxis"
    program.parent.mkdir()
    program.write_text("#!/bin/sh\n")
    program.chmod(0o755)
    others = data / "applications" / "other.desktop"
    others.parent.mkdir(parents=True)
    others.write_text("[Desktop Entry]\n")
    placed = desktop_files(str(program), {16: b"png", 256: b"png"}, shell_files())
    put(placed, data)
    put(placed, data)  # again, over what is there
    entry = (data / "applications" / "chronoxis.desktop").read_text()
    assert f'Exec="{program.parent.parent}/with blank 100%%/chronoxis" open %F' in entry
    assert f"TryExec={program}" in entry
    if which("desktop-file-validate"):
        checked = ["desktop-file-validate", str(data / "applications" / "chronoxis.desktop")]
        assert subprocess.run(checked, capture_output=True, text=True, check=False).stdout == ""
    assert (data / "mime" / "packages" / "chronoxis.xml").exists()
    assert take_away(placed, data) == len(placed)
    assert [path.name for path in data.rglob("*") if path.is_file() and "chronoxis" in path.name] == []
    assert others.exists()
    assert take_away(placed, data) == 0


def test_the_man_page_names_every_command_and_option() -> None:
    page = shell_files()[MAN_PAGE].replace(r"\-", "-")
    for name in COMMANDS:
        assert f".SS chronoxis {name}" in page
    for option in ("--each", "--checks", "--with-names", "--scheduler"):
        assert option in page
    assert not re.search(r"^\.(?![A-Z]{2}\b|br\b|ad\b|B\b)", page, re.M)  # no text is taken for a request


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_completion_comes_for_every_shell(shell: str) -> None:
    (text,) = [each for place, each in shell_files().items() if shell in place]
    assert f"_CHRONOXIS_COMPLETE={shell}_complete" in text


def test_a_report_names_no_file_and_no_person(kept_log: Path) -> None:
    try:
        raise ValueError("/home/robin/secret wedding.mp4 is odd")
    except ValueError:
        log_file.log.exception("%s could not be measured", "secret wedding.mp4")
    assert json.loads(kept_log.read_text())["error"] == "ValueError"
    kept_log.write_text(kept_log.read_text() + '{"cut sho')
    plain, full = fault_report(with_names=False), fault_report(with_names=True)
    assert "ValueError" in plain
    assert "%s could not be measured" in plain
    assert "core/test_installing.py" in plain
    assert not re.search("secret|robin|wedding", plain)
    assert "secret wedding.mp4 could not be measured" in full
    assert f"Chronoxis\n  {__version__}\n" in plain
    assert "ffv1" in plain or "mkv: there" in plain


def test_what_nobody_expected_stands_in_the_log(capsys: pytest.CaptureFixture[str], kept_log: Path) -> None:
    try:
        raise KeyError("lost")
    except KeyError as error:
        sys.excepthook(KeyError, error, error.__traceback__)
    line = json.loads(kept_log.read_text().splitlines()[-1])
    assert (line["error"], line["level"], line["what"]) == ("KeyError", "error", "unexpected")
    assert "lost" in capsys.readouterr().err  # the person sees it as before


def test_a_log_that_cannot_be_written_stops_nothing(own_state: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    blocked = log_file.log_file().parent
    blocked.parent.mkdir(parents=True, exist_ok=True)
    blocked.write_text("a file where the folder should be")
    before = list(log_file.log.handlers)
    log_file.keep_log()
    log_file.log.warning("goes on")
    (added,) = [each for each in log_file.log.handlers if each not in before]
    assert isinstance(added, logging.StreamHandler)
    log_file.log.removeHandler(added)


def test_a_report_is_written_and_never_over_another_unasked(tmp_path: Path) -> None:
    out = tmp_path / "report.txt"
    assert chronoxis("report", "-o", out).returncode == 0
    assert out.read_text().startswith("Chronoxis\n")
    again = chronoxis("report", "-o", out)
    assert again.returncode == 1
    assert "report.txt" in again.stderr
