"""Which photos a person means by a folder, or by one or several photos."""

from collections.abc import Sequence
from pathlib import Path

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.photos.photo_header import read_header
from chronoxis.core.footage.photos.run_names import NumberedRun, numbered, rolled_over, runs_among
from chronoxis.core.model.photo_endings import ENDINGS
from chronoxis.core.model.photo_run import PhotoFiles

_MOST_LISTED = 4


def runs_in(folder: Path) -> list[PhotoFiles]:
    """The runs of photos in a folder, the longest first.

    Raises:
        FootageError: it cannot be looked into.
    """
    runs = _runs_in(folder)
    # Beside a run, single photos are something else.
    longer = [run for run in runs if len(run.names) > 1] or runs
    return [PhotoFiles(folder, run.names) for run in longer]


def run_around(photo: Path) -> PhotoFiles:
    """The run that a photo belongs to, or that one alone. Raises FootageError as `runs_in`."""
    if not photo.exists():
        raise FootageError(f"{photo} is not there; check the path, or find where the file was moved.")
    alike = [run for run in _runs_in(photo.parent) if photo.name in run.names]
    return PhotoFiles(photo.parent, alike[0].names if alike else (photo.name,))


def photos_of(paths: Sequence[Path]) -> list[PhotoFiles]:
    """Chosen photos, sorted into a run for each folder."""
    folders = dict.fromkeys(path.parent for path in paths)
    chosen = {folder: numbered(path.name for path in paths if path.parent == folder) for folder in folders}
    return [PhotoFiles(folder, as_taken(folder, run).names) for folder, run in chosen.items()]


def photos_at(place: Path) -> PhotoFiles:
    """The run that a folder, or one photo of it, stands for.

    Raises:
        FootageError: the folder holds none, or several.
    """
    place = place.absolute()
    if not place.is_dir():
        return run_around(place)
    runs = runs_in(place)
    if not runs:
        raise FootageError(
            f"{place.name} holds no photos; choose a folder with {', '.join(ENDINGS[:6])} files."
        )
    if len(runs) > 1:
        listed = ", ".join(f"{run.names[0]} ({len(run.names)} photos)" for run in runs[:_MOST_LISTED])
        raise FootageError(
            f"{place.name} holds {len(runs)} runs of photos: {listed}; name one photo of the one."
        )
    return runs[0]


def _runs_in(folder: Path) -> list[NumberedRun]:
    try:
        names = [entry.name for entry in folder.iterdir() if entry.suffix.lower() in ENDINGS]
    except PermissionError:
        raise FootageError(f"{folder} may not be looked into; change its permissions.") from None
    except OSError as error:
        raise FootageError(f"{folder} cannot be looked into: {error.strerror}.") from None
    return [as_taken(folder, run) for run in runs_among(name for name in names if not name.startswith("."))]


def as_taken(folder: Path, run: NumberedRun) -> NumberedRun:
    """A run whose counter began anew on the way, in the order of its dates; any other as it is."""
    rolled = rolled_over(run)
    if rolled is None:
        return run
    last, first = (read_header(folder / run.names[place]).taken for place in (-1, 0))
    return rolled if last is not None and first is not None and last <= first else run
