"""Commands of the program as processes of their own, forked from one that has loaded what they need."""

import multiprocessing
import os
import subprocess
import sys
import tempfile
from pathlib import Path

_SERVER = multiprocessing.get_context("forkserver")
_SERVER.set_forkserver_preload(
    [f"chronoxis.cli.{name}_command" for name in ("condense", "convert", "facts", "plan")]
)
_PATIENCE = 120  # seconds


def chronoxis(*arguments: object, **options: object) -> subprocess.CompletedProcess[str]:
    """Run a command to its end. With ``options`` of `subprocess.run` it is started afresh."""
    words = list(map(str, arguments))
    command = [sys.executable, "-m", "chronoxis.cli", *words]
    if options:
        return subprocess.run(  # type: ignore[call-overload, no-any-return]
            command, capture_output=True, text=True, timeout=_PATIENCE, check=False, **options
        )
    with tempfile.TemporaryDirectory() as name:
        streams = [Path(name) / "out", Path(name) / "err"]
        process = _SERVER.Process(target=_run, args=(words, dict(os.environ), Path.cwd(), streams))
        process.start()
        process.join(_PATIENCE)
        if process.is_alive():
            process.kill()
            raise subprocess.TimeoutExpired(command, _PATIENCE)
        out, err = (stream.read_text() for stream in streams)
    return subprocess.CompletedProcess(command, process.exitcode or 0, out, err)


def _run(words: list[str], environment: dict[str, str], folder: Path, streams: list[Path]) -> None:
    for number, path in enumerate(streams, 1):
        os.dup2(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), number)
    sys.stdout, sys.stderr = (open(number, "w", closefd=False) for number in (1, 2))  # noqa: SIM115
    os.environ.clear()
    os.environ.update(environment)
    os.chdir(folder)
    sys.argv = ["chronoxis", *words]
    from chronoxis.cli import main  # noqa: PLC0415 - loaded already, where this runs

    main()
