"""The guide's chapters, in the person's own browser."""

from importlib.resources import as_file, files
from importlib.util import find_spec
from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices

CHAPTERS = {
    "Begin": "ten-minutes",
    "Intent": "recipes",
    "Pace": "decide",
    "Lulls": "choose",
    "Happening": "shape",
    "Beats": "shape",
    "Frames": "frames",
    "Picture": "frames",
    "Sound": "sound",
    "Accents": "join",
    "Join": "join",
    "Footage": "bring-in",
    "Export": "export",
    "Presets": "recipes",
    "Trials": "judge",
    "Checks": "judge",
}
"""Of each page that F1 tells about, the chapter that goes on."""

_NO_BROWSER = "No program to show pages was found here; the guide is {}."
_NOT_BUILT = "The guide's pages are not here: make setup builds them from docs/guide."


def open_chapter(chapter: str) -> str:
    """Show a chapter; why it cannot be shown, or nothing."""
    page = chapter_file(chapter)
    if page is None:
        return _NOT_BUILT
    return "" if QDesktopServices.openUrl(QUrl.fromLocalFile(str(page))) else _NO_BROWSER.format(page)


def chapter_file(chapter: str) -> Path | None:
    """The page of a chapter; None where the guide was not built."""
    if find_spec("chronoxis.guide") is None:
        return None
    with as_file(files("chronoxis.guide") / f"{chapter}.html") as page:
        return page if page.is_file() else None
