"""Where a result goes: a file, or a folder of numbered stills."""

import re
from dataclasses import dataclass
from pathlib import Path

from chronoxis.core.errors import ExportError
from chronoxis.core.model.export_format import ExportFormat

_NUMBER = re.compile(r"%(0?)(\d?)d")


@dataclass(frozen=True)
class ResultPlace:
    """Where a result goes.

    Attributes:
        path: the file, or the folder.
        is_folder: whether it is a folder.
        name: of stills, without their ending, with a place for their number.
    """

    path: Path
    is_folder: bool
    name: str = ""


def result_place(output: Path, format_: ExportFormat) -> ResultPlace:
    """The file or folder that a name stands for.

    Raises:
        ExportError: a pattern has no place for a number, or several; or a folder is there that holds
            something else than such stills, so that it must not be replaced.
    """
    if not format_.is_folder:
        return ResultPlace(output, is_folder=False)
    if "%" not in output.name:
        place = ResultPlace(output, True, f"{output.name.replace('%', '')}_%05d")
    else:
        if len(_NUMBER.findall(output.stem)) != 1 or output.stem.count("%") != 1:
            raise ExportError(f"{output.name} needs one place for a number, such as %05d.")
        place = ResultPlace(output.parent, True, output.stem)
    _refuse_foreign(place, format_)
    return place


def _refuse_foreign(place: ResultPlace, format_: ExportFormat) -> None:
    """A folder with anything but numbered stills in it is never replaced, even if that is allowed."""
    if not place.path.is_dir():
        return
    before, after = _NUMBER.split(place.name)[0], _NUMBER.split(place.name)[-1]
    ours = re.compile(rf"{re.escape(before)}\d+{re.escape(after)}{re.escape(format_.ending)}")
    for path in place.path.iterdir():
        if not ours.fullmatch(path.name):
            raise ExportError(
                f"{place.path} holds other files, such as {path.name}; stills go into a folder of their own."
            )
