"""Choices of exports that a person kept under names, to use again in other projects."""

import json

from platformdirs import user_config_path

from chronoxis.core.errors import PlanError
from chronoxis.core.files.atomic import made_folder, write_whole
from chronoxis.core.files.entries import read, written
from chronoxis.core.model.settings import ResultSettings

_LONGEST_NAME = 60


def kept_choices() -> dict[str, ResultSettings]:
    """What was kept, by name; what cannot be read of it is left out."""
    path = user_config_path("chronoxis") / "exports.json"
    try:
        entries = json.loads(path.read_text())
    except (OSError, ValueError):
        return {}
    found: dict[str, ResultSettings] = {}
    for name, item in entries.items() if isinstance(entries, dict) else ():
        try:
            found[name] = read(item, ResultSettings)
        except PlanError:
            continue  # of a newer program, or damaged
    return found


def keep_choices(name: str, settings: ResultSettings) -> None:
    """Keep choices under a name, in place of others of that name.

    Raises:
        PlanError: the name is empty or too long.
        ExportError: they could not be written.
    """
    cleaned = name.strip()
    if not cleaned or len(cleaned) > _LONGEST_NAME:
        raise PlanError(f"Choices need a name of up to {_LONGEST_NAME} letters.")
    choices = {**kept_choices(), cleaned: settings}
    path = made_folder(user_config_path("chronoxis")) / "exports.json"
    write_whole(path, (json.dumps(written(choices), indent=1, ensure_ascii=False) + "\n").encode())
