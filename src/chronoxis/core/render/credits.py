"""Whose music a result has: as a text beside it, and in what the file says of itself."""

from collections.abc import Iterator
from pathlib import Path

from chronoxis.core.model.music import Music
from chronoxis.core.model.project import Project
from chronoxis.core.timing.timecode import format_time

ENDING = ".credits.txt"


def credited(project: Project) -> Iterator[tuple[Music, list[float]]]:
    """The music of a result in its order, each with the result seconds at which it begins."""
    begins: dict[str, list[float]] = {}
    for piece in sorted(project.music, key=lambda piece: piece.at):
        begins.setdefault(piece.footage, []).append(max(0.0, float(piece.at)))
    for key, times in begins.items():
        footage = project.footage_named(key)
        if isinstance(footage, Music):
            yield footage, times


def uncredited(project: Project) -> list[Music]:
    """Music of which nobody said whose it is, or under what licence."""
    return [music for music, _ in credited(project) if not music.credit.is_whole]


def credits_beside(result: Path) -> Path:
    """Where the text goes that belongs to a result."""
    return result.with_name(result.stem + ENDING)


def credits_text(project: Project) -> str:
    """All credits, a paragraph for each music."""
    paragraphs = []
    for music, times in credited(project):
        credit = music.credit
        lines = [
            ("Title", credit.title or music.name),
            ("Author", credit.author or "unknown"),
            ("Licence", credit.licence or "unknown"),
            ("Link", credit.link),
            ("Heard from", ", ".join(format_time(at, 1) for at in times)),
        ]
        paragraphs.append("".join(f"{name}: {text}\n" for name, text in lines if text))
    return "Music\n\n" + "\n".join(paragraphs)


def metadata_of(project: Project) -> dict[str, str]:
    """What a file of the result says of its music."""
    lines = [music.credit.line or music.name for music, _ in credited(project)]
    return {"comment": "Music: " + "; ".join(lines)} if lines else {}
