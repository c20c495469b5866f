"""What the options say about sound, put into a project."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import click

from chronoxis.core.errors import PlanError
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.footage.source import Source
from chronoxis.core.model import arranging, sounding
from chronoxis.core.model.music import MusicFile
from chronoxis.core.model.project import Project
from chronoxis.core.model.sound import Manner
from chronoxis.core.timing.timecode import parse_time


def with_sound(project: Project, choices: dict[str, Any]) -> tuple[Project, dict[str, Source]]:
    """A project with what the options say, and the opened music by key.

    Raises:
        UsageError: an option cannot be read, or has no effect.
        FootageError: music cannot be opened.
    """
    if choices["sound"] == "none" and choices["loudness"] is not None:
        raise click.UsageError("--loudness has no effect on --sound none.")
    if wants_recorded(choices):
        project = sounding.set_manner(project, project.places(), Manner(choices["sound"]))
    if choices["silent_above"] is not None:
        project = sounding.set_mix(project, replace(project.mix, silent_above=choices["silent_above"]))
    if choices["loudness"] is not None:
        project = sounding.set_mix(project, replace(project.mix, loudness=choices["loudness"]))
    if choices["music_level"] is not None and not choices["music"]:
        raise click.UsageError("--music-level is for the music of --music.")
    opened = {}
    for text in choices["music"]:
        path, at = _music(text, project.rate)
        source = open_source(MusicFile(path))
        project = arranging.bring_in(project, replace(footage_of(source.facts), counted=True))
        key = project.footage[-1].key
        project = arranging.lay_music(project, key, at)
        if choices["music_level"] is not None:
            piece = replace(project.music[-1], level=choices["music_level"])
            project = sounding.set_music(project, len(project.music) - 1, piece)
        opened[key] = source
    return project, opened


def as_meant(choices: dict[str, Any]) -> dict[str, Any]:
    """The options with the recorded sound, where they say how loud it is to be, and nothing else of it."""
    says = choices["loudness"] is not None or choices["silent_above"] is not None
    return (
        {**choices, "sound": "held"}
        if says and choices["sound"] is None and not choices["music"]
        else choices
    )


def is_asked_for(choices: dict[str, Any]) -> bool:
    """Whether the options want sound."""
    return wants_recorded(choices) or bool(choices["music"] and choices["sound"] != "none")


def wants_recorded(choices: dict[str, Any]) -> bool:
    """Whether the options want recorded sound."""
    return choices["sound"] not in (None, "none")


def _music(text: str, rate: Fraction) -> tuple[Path, Fraction | None]:
    """A file, and where it begins; a name with an @ in it is a name if there is such a file."""
    name, mark, at = text.rpartition("@")
    if not mark or Path(text).exists():
        return Path(text), None
    try:
        return Path(name), parse_time(at, rate)
    except PlanError as error:
        raise click.UsageError(f"--music: {error}") from None
