"""What went wrong, kept as lines of JSON: what somebody who mends the program has to know.

What a line says is kept apart from the names of files and people in it, so that it can be handed on
without them.
"""

import json
import logging
import sys
import threading
import traceback
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from types import TracebackType
from typing import Any

from platformdirs import user_state_path

_MOST_BYTES = 256 * 1024  # from which the log is begun anew; the one before is kept beside it
_PROGRAM = Path(__file__).parents[2]
_LONGEST_STACK = 30  # frames of a traceback, the last ones

log = logging.getLogger("chronoxis")


def log_file() -> Path:
    """Where the log is kept."""
    return user_state_path("chronoxis") / "log.jsonl"


def keep_log() -> None:
    """From now on write warnings, and errors that nobody expected, into the log too."""
    file = log_file()
    log.setLevel(logging.INFO)
    seen = logging.StreamHandler()
    seen.setLevel(logging.WARNING)
    log.addHandler(seen)
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        if file.exists() and file.stat().st_size > _MOST_BYTES:
            file.replace(file.with_suffix(".1.jsonl"))
        kept = logging.FileHandler(file, encoding="utf-8")
    except OSError as error:
        log.warning("no log is kept: %s", error)
        return
    kept.setFormatter(_Line())
    log.addHandler(kept)
    sys.excepthook = _note_unexpected
    threading.excepthook = lambda told: _note_unexpected(told.exc_type, told.exc_value, told.exc_traceback)


def _note_unexpected(
    kind: type[BaseException], error: BaseException | None, stack: TracebackType | None
) -> None:
    if error is None or issubclass(kind, KeyboardInterrupt | SystemExit):
        return
    log.error("unexpected", exc_info=(kind, error, stack))


class _Line(logging.Formatter):
    """A record as a line of JSON."""

    def format(self, record: logging.LogRecord) -> str:
        line: dict[str, Any] = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="seconds"),
            "level": record.levelname.lower(),
            "what": str(record.msg),
            "in_full": record.getMessage(),
        }
        if record.exc_info and record.exc_info[0] is not None:
            kind, error, stack = record.exc_info
            frames = traceback.extract_tb(stack)[-_LONGEST_STACK:]
            line["error"] = kind.__name__
            line["error_in_full"] = str(error)
            line["stack"] = [f"{_place(each.filename)}:{each.lineno} {each.name}" for each in frames]
        return json.dumps(line, ensure_ascii=True)


def _place(file: str) -> str:
    """Where code is, below the program's folder or that of a package: nothing of the person's own."""
    path = Path(file)
    with suppress(ValueError):
        return str(path.relative_to(_PROGRAM))
    return "/".join(path.parts[-2:])


def logged(*, with_names: bool) -> list[dict[str, Any]]:
    """The lines of the log, oldest first.

    Args:
        with_names: whether with what may name files and people.
    """
    file, lines = log_file(), []
    for each in (file.with_suffix(".1.jsonl"), file):
        if each.is_file():
            lines += each.read_text(errors="replace").splitlines()
    found = []
    for text in lines:
        try:
            line = json.loads(text)
        except ValueError:  # cut short by a crash
            continue
        if isinstance(line, dict):
            found.append(line if with_names else {k: v for k, v in line.items() if "in_full" not in k})
    return found
