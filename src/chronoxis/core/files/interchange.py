"""Open timeline interchange: OpenTimelineIO files, written and read.

The exact project travels in a timeline's metadata and is taken on reading if the clips are still those that
it makes. What was changed elsewhere is read clip by clip, as what another program wrote is.
"""

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import opentimelineio as otio

from chronoxis.core.errors import PlanError, ProjectFileError
from chronoxis.core.files.atomic import write_whole
from chronoxis.core.files.clip_reading import from_clips
from chronoxis.core.files.described_json import json_values
from chronoxis.core.files.imported import Imported
from chronoxis.core.files.project_file import as_json, from_json
from chronoxis.core.files.timeline_writing import not_told, timeline_of
from chronoxis.core.model.project import Project

_METADATA_KEY = "chronoxis"


def export_timeline(project: Project, path: Path) -> None:
    """Write a project's result as a timeline. Raises ExportError."""
    timeline = timeline_of(project, path.stem)
    # As text: its writer would round the numbers.
    timeline.metadata[_METADATA_KEY] = json.dumps(as_json(project, path.parent))
    write_whole(path, timeline.to_json_string().encode())


def import_timeline(path: Path) -> Imported:
    """Read a timeline.

    Raises:
        ProjectFileError: it cannot be read, or holds nothing that can be used.
    """
    try:
        timeline = otio.adapters.read_from_file(str(path), adapter_name="otio_json")
    except OSError as error:
        raise ProjectFileError(f"{path.name} cannot be opened: {error.strerror}.") from error
    except (otio.exceptions.OTIOError, ValueError, LookupError, TypeError) as error:
        raise ProjectFileError(f"{path.name} is not an OpenTimelineIO timeline, or is damaged.") from error
    if not isinstance(timeline, otio.schema.Timeline):
        raise ProjectFileError(f"{path.name} holds no timeline.")
    if timeline.tracks is None:
        raise ProjectFileError(f"{path.name} is damaged: it has no tracks.")
    ours = timeline.metadata.get(_METADATA_KEY)
    if not isinstance(ours, str):
        return from_clips(timeline, path)
    try:
        project = from_json(json_values(ours), path)
    except (ValueError, PlanError, ProjectFileError):
        taken = from_clips(timeline, path)
        return replace(
            taken, notes=["The exact pace in it cannot be read; its clips were taken.", *taken.notes]
        )
    if _same_clips(timeline, timeline_of(project, path.stem)):
        return Imported(project)
    taken = from_clips(timeline, path)
    if left := not_told(project):
        said = f"It was changed elsewhere and read clip by clip, without {', '.join(left)}."
        return replace(taken, notes=[said, *taken.notes])
    return taken


def _same_clips(one: Any, other: Any) -> bool:
    """Whether two timelines show the same; their numbers may differ by what writing rounds off."""
    if len(one.tracks) != len(other.tracks):
        return False
    for ours, theirs in zip(one.tracks, other.tracks, strict=True):
        try:
            (names, numbers), (other_names, other_numbers) = _told(ours), _told(theirs)
        except (otio.exceptions.OTIOError, NotImplementedError):  # of something that has no times
            return False
        if names != other_names or not np.allclose(numbers, other_numbers, rtol=1e-9, atol=1e-6):
            return False
    return True


def _told(track: Any) -> tuple[list[str], list[float]]:
    names, numbers = [track.kind, str(track.enabled), str(track.source_range)], []
    for item in track:
        if isinstance(item, otio.schema.Transition):
            names.append(item.transition_type)
            continue
        names += [type(item).__name__, *(type(effect).__name__ for effect in item.effects)]
        names.append(str(getattr(item, "enabled", True)))
        span = item.trimmed_range()
        numbers += [span.start_time.to_seconds(), span.duration.to_seconds()]
        numbers += [getattr(effect, "time_scalar", 1.0) for effect in item.effects]
        if isinstance(item, otio.schema.Clip):
            names.append(getattr(item.media_reference, "target_url", ""))
        for inside in item if isinstance(item, otio.schema.Stack) else ():
            more, further = _told(inside)
            names, numbers = names + more, numbers + further
        names += [marker.name for marker in item.markers]
    for marker in track.markers:
        names.append(marker.name)
        numbers.append(marker.marked_range.start_time.to_seconds())
    return names, numbers
