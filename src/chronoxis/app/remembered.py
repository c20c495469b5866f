"""What the window remembers from one start to the next: not the project's, so not in its file."""

from pathlib import Path

from platformdirs import user_state_path
from PySide6.QtCore import QSettings


def remembered() -> QSettings:
    """Where it is kept."""
    return QSettings(str(user_state_path("chronoxis") / "window.ini"), QSettings.Format.IniFormat)


def last_folder() -> Path | None:
    """Where files were chosen last, if that is still there."""
    kept = remembered().value("folder")
    folder = Path(str(kept)) if kept else None
    return folder if folder is not None and folder.is_dir() else None


def remember_folder(file: Path) -> None:
    """A file was chosen."""
    remembered().setValue("folder", str(file.parent))
