"""Commands of the program as processes of their own, forked from one that has loaded what they need."""

import multiprocessing
import os
import subprocess
import sys
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path

_SERVER = multiprocessing.get_context("forkserver")
_SERVER.set_forkserver_preload(
    [f"chronoxis.cli.{name}_command" for name in ("condense", "convert", "facts", "plan", "queue", "render")]
)
_PATIENCE = 120  # seconds


def chronoxis(
    *arguments: object,
    cwd: Path | None = None,
    env: Mapping[str, str] | None = None,
    afresh: bool = False,
    prepared: Callable[[], None] | None = None,
) -> subprocess.CompletedProcess[str]:
    """Run a command to its end.

    Args:
        arguments: of the command.
        cwd: the folder that it runs in.
        env: its environment.
        afresh: as a person does, with an interpreter that has loaded nothing.
        prepared: called in its process before it begins, which is started afresh for that.
    """
    words = list(map(str, arguments))
    folder, environment = cwd or Path.cwd(), dict(os.environ if env is None else env)
    command = [sys.executable, "-m", "chronoxis.cli", *words]
    if afresh or prepared:
        return subprocess.run(
            command,
            capture_output=True,
            text=True,
            timeout=_PATIENCE,
            check=False,
            cwd=folder,
            env=environment,
            preexec_fn=prepared,
        )
    with tempfile.TemporaryDirectory() as name:
        streams = [Path(name) / "out", Path(name) / "err"]
        process = _SERVER.Process(target=_run, args=(words, environment, folder, streams))
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
