"""The presets that ship with the program, and those that a person keeps."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache
from importlib.resources import files
from itertools import count
from pathlib import Path

from platformdirs import user_config_path

from chronoxis.core.errors import ExportError, PlanError, ProjectFileError
from chronoxis.core.files.atomic import made_folder, why_not_written
from chronoxis.core.files.endings import PRESET
from chronoxis.core.files.preset_file import load_preset, load_shipped, save_preset
from chronoxis.core.model.preset import Preset

_MOST_OF_NAME = 40  # letters of a preset's name in that of its file


@dataclass(frozen=True)
class KeptPreset:
    """A preset, and where it is kept.

    Attributes:
        preset: itself.
        path: its file.
        is_own: whether a person kept it; else it ships with the program.
    """

    preset: Preset
    path: Path
    is_own: bool


@cache
def shipped_presets() -> tuple[KeptPreset, ...]:
    """Those that ship with the program, in their order."""
    folder = Path(str(files("chronoxis.core.files") / "presets"))
    return tuple(KeptPreset(load_shipped(path), path, False) for path in sorted(folder.glob(f"*{PRESET}")))


def own_presets() -> tuple[list[KeptPreset], list[str]]:
    """Those that a person kept, by name; and of files that cannot be read, a line each that says why."""
    found, wrong = list[KeptPreset](), list[str]()
    for path in sorted(_folder().glob(f"*{PRESET}")):
        try:
            found.append(KeptPreset(load_preset(path), path, True))
        except ProjectFileError as error:
            wrong.append(str(error))
    return sorted(found, key=lambda kept: kept.preset.name.casefold()), wrong


def preset_named(text: str) -> Preset:
    """The preset of a name, one's own before those that ship, or of a file.

    Raises:
        PlanError: there is none.
        ProjectFileError: there is such a file, and it is no preset.
    """
    path = Path(text)
    if path.suffix == PRESET or path.is_file():
        return load_preset(path)
    known = [*own_presets()[0], *shipped_presets()]
    for kept in known:
        if _alike(kept.preset.name, text):
            return kept.preset
    names = ", ".join(f"“{kept.preset.name}”" for kept in known)
    raise PlanError(f"There is no preset “{text}”; there are {names}, and files that end in {PRESET}.")


def keep_preset(preset: Preset) -> None:
    """Keep a preset, in place of the one of that name.

    Raises:
        ExportError: it could not be written.
    """
    path = next((kept.path for kept in own_presets()[0] if _alike(kept.preset.name, preset.name)), None)
    save_preset(preset, path or _free_path(preset.name))


def is_kept(name: str) -> bool:
    """Whether a person keeps a preset of that name."""
    return any(_alike(kept.preset.name, name) for kept in own_presets()[0])


def rename_preset(kept: KeptPreset, name: str) -> None:
    """Give one's own preset another name.

    Raises:
        PlanError: it is none, or another preset has it.
        ExportError: it could not be written.
    """
    renamed = replace(kept.preset, name=name.strip())
    if not _alike(name, kept.preset.name) and is_kept(name):
        raise PlanError(f"Another preset is called “{name.strip()}”; choose another name.")
    save_preset(renamed, kept.path)


def remove_preset(kept: KeptPreset) -> None:
    """Remove one's own preset. Raises ExportError if its file cannot be."""
    try:
        kept.path.unlink(missing_ok=True)
    except OSError as error:
        raise ExportError(why_not_written(kept.path, error)) from error


def _folder() -> Path:
    return user_config_path("chronoxis") / "presets"


def _free_path(name: str) -> Path:
    """A file that is not there yet, called as the preset as far as that makes a name of a file."""
    letters = "".join(letter if letter.isalnum() else "-" for letter in name.casefold())
    stem = "-".join(filter(None, letters.split("-")))[:_MOST_OF_NAME] or "preset"
    return next(path for path in _numbered(made_folder(_folder()), stem) if not path.exists())


def _numbered(folder: Path, stem: str) -> Iterator[Path]:
    yield folder / f"{stem}{PRESET}"
    for number in count(2):
        yield folder / f"{stem}-{number}{PRESET}"


def _alike(one: str, other: str) -> bool:
    return one.strip().casefold() == other.strip().casefold()
