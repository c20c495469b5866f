"""What there is to know of each page of the window, told by F1."""

from functools import cache
from importlib.resources import files
from typing import NamedTuple


class HelpText(NamedTuple):
    """A title, and paragraphs."""

    title: str
    paragraphs: tuple[str, ...]


@cache
def help_texts() -> dict[str, HelpText]:
    """All of them, by the names of pages, as they stand in a file beside this module."""
    text = (files("chronoxis.app") / "help_texts.md").read_text()
    return dict(_entry(section) for section in text.split("# ")[1:])


def _entry(section: str) -> tuple[str, HelpText]:
    heading, *paragraphs = section.strip().split("\n\n")
    page, _, title = heading.partition(": ")
    return page, HelpText(title, tuple(" ".join(paragraph.split()) for paragraph in paragraphs))
