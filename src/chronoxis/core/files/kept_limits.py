"""What places take that a person sends results to, kept among the person's own choices."""

import json
from collections.abc import Sequence

from platformdirs import user_config_path

from chronoxis.core.errors import PlanError
from chronoxis.core.files.atomic import made_folder, write_whole
from chronoxis.core.files.entries import read, written
from chronoxis.core.model.limits import SHIPPED, Limits

_NAME = "places.json"


def kept_limits() -> tuple[Limits, ...]:
    """The table as it was kept, else that to begin with; what cannot be read of it is left out."""
    try:
        entries = json.loads((user_config_path("chronoxis") / _NAME).read_text())
    except (OSError, ValueError):
        return SHIPPED
    if not isinstance(entries, list):
        return SHIPPED
    found = []
    for item in entries:
        try:
            found.append(read(item, Limits))
        except PlanError:
            continue  # of a newer program, or damaged
    return tuple({each.name: each for each in found}.values())


def keep_limits(limits: Sequence[Limits]) -> None:
    """Keep a table. Raises ExportError if it cannot be written."""
    path = made_folder(user_config_path("chronoxis")) / _NAME
    write_whole(path, (json.dumps(written(limits), indent=1, ensure_ascii=False) + "\n").encode())


def limits_named(name: str) -> Limits | None:
    """What the place of a name takes; None if there is none of that name."""
    return next((each for each in kept_limits() if each.name == name), None)
