"""The project file: documented JSON, exact, checked on reading, whole on disk at every moment."""

import json
from collections.abc import Callable
from dataclasses import astuple, replace
from fractions import Fraction
from itertools import chain, count
from pathlib import Path
from typing import Any

from chronoxis.core.errors import PlanError, ProjectFileError
from chronoxis.core.files.atomic import write_whole, written_whole
from chronoxis.core.files.described_json import check, read_whole, values_of, version_of
from chronoxis.core.files.entries import Entry, MisplacedError, at_place, each_of, part, parts, written
from chronoxis.core.files.footage_entries import RECORDING, footage_from, footage_json
from chronoxis.core.files.rewriting import fingerprint_of, written_by_nobody_else
from chronoxis.core.model.accent import Accent
from chronoxis.core.model.canvas import Canvas
from chronoxis.core.model.framing import LEAST_SIDE, Fit, Framing
from chronoxis.core.model.look import KeptLook
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.music import MusicPiece
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.nesting import DEEPEST, contains_itself, depth, outermost
from chronoxis.core.model.project import Passage, Project, Shot, Trial
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.model.sound import Mix
from chronoxis.core.readable import HALVES
from chronoxis.core.timing.judged import Judged
from chronoxis.core.timing.lulls import LullWish
from chronoxis.core.timing.rates import MAX_RATE
from chronoxis.core.timing.speed import MAX_SPEED, checked_speed

VERSION = 8
_MOST_SECONDS = 10**9  # of any time in a file: more than thirty years
_MOST_STORED = 1_000_000  # frames per second that a file may be stored at
_MOST_PIXELS = 10**6  # of any side of a picture
_FORMAT = "chronoxis project"
_NEWER = "It was left as it is; open it with the newer program."


def save_project(project: Project, path: Path, known: str | None = None) -> str:
    """Write a project file, and return its fingerprint; the old one stays until the new one is whole.

    Args:
        project: what is written.
        path: where.
        known: the fingerprint of what was read or written there last; None writes over whatever is there.

    Raises:
        AlteredError: the file is not what is known of it.
        ExportError: it could not be written. Nothing has changed in either case.
    """
    content = _content(project, path)
    with written_by_nobody_else(path, known):
        write_whole(path, content)
        return fingerprint_of(content)


def save_beside(project: Project, path: Path) -> tuple[Path, str]:
    """Write a project file under the first free name beside another: ``film 2``, ``film 3``.

    Returns that name, and the file's fingerprint.

    Raises:
        ExportError: it could not be written.
    """
    for number in count(2):
        beside = path.with_name(f"{path.stem} {number}{path.suffix}")
        if not beside.exists():
            content = _content(project, beside)
            with written_whole(beside, overwrite=False) as file:
                file.write(content)
            return beside, fingerprint_of(content)
    raise AssertionError("numbers do not end")


def _content(project: Project, path: Path) -> bytes:
    text = json.dumps(as_json(project, path.parent), indent=1, ensure_ascii=False) + "\n"
    # Names of files may have bytes that are no text.
    return HALVES.sub(lambda half: f"\\u{ord(half[0]):04x}", text).encode()


def load_project(path: Path) -> Project:
    """Read a project file. Footage that is not where the file says is kept, under the path it had.

    Raises:
        ProjectFileError: the file is missing, damaged, or from a newer version; it says where.
    """
    return read_project(path)[0]


def read_project(path: Path) -> tuple[Project, str]:
    """As `load_project`, with the file's fingerprint."""
    content = read_whole(path)
    return from_json(values_of(content, path, _FORMAT), path), fingerprint_of(content)


def as_json(project: Project, folder: Path) -> Entry:
    """A project as JSON values, whatever run of it is open; paths relative to a folder."""
    project = outermost(project)
    trials = [{"name": trial.name, "state": _state_json(trial.state, folder)} for trial in project.trials]
    return {"format": _FORMAT, "version": VERSION, **_state_json(project, folder), "trials": trials}


def _state_json(project: Project, folder: Path) -> Entry:
    """All but trials."""
    return {
        "rate": written(project.rate),
        "footage": [footage_json(footage, folder) for footage in project.footage],
        "shots": written(project.shots),
        "markers": written(project.markers),
        "canvas": written(project.canvas),
        "music": written(project.music),
        "mix": written(project.mix),
        "accents": written(project.accents),
        "looks": written(project.looks),
        "lulls": written(project.lulls),
        "aside": list(project.aside),
        "settings": written(project.settings),
    }


def from_json(data: Any, path: Path) -> Project:
    """The project of JSON values that were read from ``path``. Raises as `load_project`."""
    version = version_of(data, path, _FORMAT, VERSION, "file", _NEWER)
    known = version if version in range(1, VERSION + 1) else VERSION
    check(data, f"project-{known}.schema.json", path)
    if version == 1:
        data = _from_version_1(data)
    if version in (1, 2):
        data = _from_version_2(data)
    if version in (1, 2, 3, 4):
        data = _from_version_4(data)
    project = _read(data, path)
    _check(project, path)
    for number, trial in enumerate(project.trials):
        _check(trial.state, path, f"trials[{number}].state.")
    if len({trial.name for trial in project.trials}) < len(project.trials):
        raise ProjectFileError(f"{path.name} is damaged: trials have one name twice. It was left as it is.")
    return project


def _read(data: Entry, path: Path) -> Project:
    """The project of JSON values of the newest version that the schema allows. Raises ProjectFileError."""
    try:
        project = _project(data, path)
        return replace(project, trials=each_of(data, "trials", lambda item: _trial(item, path)))
    except MisplacedError as error:
        raise ProjectFileError(f"{path.name} is damaged: {error.with_place} It was left as it is.") from error


def _project(data: Entry, path: Path) -> Project:
    return Project(
        footage=each_of(data, "footage", lambda item: footage_from(item, path.parent)),
        shots=parts(data, "shots", Shot),
        rate=Fraction(data["rate"]),
        markers=parts(data, "markers", Marker),
        settings=part(data, "settings", ResultSettings),
        canvas=part(data, "canvas", Canvas) if data.get("canvas") else None,
        music=parts(data, "music", MusicPiece),
        mix=part(data, "mix", Mix),
        accents=parts(data, "accents", Accent),
        looks=parts(data, "looks", KeptLook),
        lulls=part(data, "lulls", LullWish),
        aside=tuple(data.get("aside", [])),
    )


def _trial(item: Entry, path: Path) -> Trial:
    return Trial(item["name"], at_place("state", lambda: _project(item["state"], path)))


def _from_version_1(data: Entry) -> Entry:
    """The same in the terms of version 2: all footage was a recording."""
    return {**data, "footage": [{"kind": RECORDING, **item} for item in data["footage"]]}


def _from_version_2(data: Entry) -> Entry:
    """The same in the terms of version 3: what had not the result's shape stood between bars."""
    framing = written(Framing(fit=Fit.BARS))
    return {**data, "shots": [{**shot, "framing": framing} for shot in data["shots"]]}


def _from_version_4(data: Entry) -> Entry:
    """The same in the terms of version 5: how frames are made is a group of choices."""

    def grouped(passage: Entry) -> Entry:
        making = {name: passage[name] for name in ("each", "shutter") if name in passage}
        rest = {name: value for name, value in passage.items() if name not in making}
        return {**rest, "making": making}

    shots = [{**shot, "passages": [grouped(p) for p in shot["passages"]]} for shot in data["shots"]]
    return {**data, "shots": shots}


def _check(project: Project, path: Path, part: str = "") -> None:
    """What the schema cannot say; ``part`` is where the state stands that is looked at."""

    def refuse(where: str, why: str) -> None:
        raise ProjectFileError(f"{path.name} is damaged: {part}{where} {why}. It was left as it is.")

    keys = [footage.key for footage in project.footage]
    if len(set(keys)) < len(keys):
        refuse("footage", "has two entries of one key")
    if not 0 < project.rate <= MAX_RATE:
        refuse("rate", "is out of range")
    for number, footage in enumerate(project.footage):
        if not (
            footage.stored_length <= _MOST_SECONDS
            and 0 < footage.stored_rate <= _MOST_STORED
            and footage.stored_length > 0
            and footage.rate > 0
        ):
            refuse(f"footage[{number}]", "has a rate or length out of range")
        if _is_disordered(footage.judged):
            refuse(f"footage[{number}].judged", "is not in order")
    _check_music(project, keys, refuse)
    runs = [(f"footage[{n}].", f.shots) for n, f in enumerate(project.footage) if isinstance(f, Nested)]
    for where, shots in (("", project.shots), *runs):
        for number, shot in enumerate(shots):
            _check_shot(project, shot, f"{where}shots[{number}]", refuse)
    for number, footage in enumerate(project.footage):
        if contains_itself(project, footage.key):
            refuse(f"footage[{number}]", "is nested inside itself")
    if depth(project, keys) > DEEPEST:
        refuse("footage", f"has runs more than {DEEPEST} deep inside one another")


def _check_shot(project: Project, shot: Shot, where: str, refuse: Callable[[str, str], None]) -> None:
    owner = next((footage for footage in project.footage if footage.key == shot.footage), None)
    if owner is None:
        refuse(f"{where}.footage", f"names “{shot.footage}”, which is not there")
        return
    if not owner.has_pictures:
        refuse(f"{where}.footage", "names music")
    if not all(p.recorded_length <= _MOST_SECONDS for p in shot.passages) or shot.in_point > _MOST_SECONDS:
        refuse(where, "is longer than any recording")
    if owner.counted and shot.out_point > owner.length:
        refuse(where, "reaches beyond the end of its footage")
    if why := _wrong_framing(shot.framing):
        refuse(f"{where}.framing", why)
    for place, passage in enumerate(shot.passages):
        if wrong := _wrong_passage(passage):
            refuse(f"{where}.passages[{place}]{wrong[0]}", wrong[1])


def _check_music(project: Project, keys: list[str], refuse: Callable[[str, str], None]) -> None:
    for number, piece in enumerate(project.music):
        if piece.footage not in keys:
            refuse(f"music[{number}].footage", f"names “{piece.footage}”, which is not there")
        times = (piece.at, piece.in_point, piece.out_point or Fraction(0), piece.fade_in, piece.fade_out)
        if any(abs(time) > _MOST_SECONDS for time in times):
            refuse(f"music[{number}]", "has a time out of range")
    if not 0 < project.mix.silent_above <= MAX_SPEED:
        refuse("mix.silent_above", "is out of range")


def _is_disordered(judged: tuple[Judged, ...]) -> bool:
    """Whether stretches overlap, last no time, or have lulls that are not apart and inside of them."""
    edges = [edge for each in judged for edge in (each.begin, *chain(*each.lulls), each.end)]
    lasts = all(begin < end for each in judged for begin, end in ((each.begin, each.end), *each.lulls))
    return edges != sorted(edges) or not lasts or any(edge > _MOST_SECONDS for edge in edges)


def _wrong_framing(framing: Framing) -> str:
    """What is wrong with a framing, or nothing."""
    at = [step.at for step in framing.steps]
    if at != sorted(set(at)) or (at and at[-1] > 1):
        return "has steps that are not in order between 0 and 1"
    sides = [side for step in framing.steps for side in astuple(step.view)]
    if any(side > _MOST_PIXELS for side in sides):
        return "has a view out of range"
    if any(min(step.view.width, step.view.height) < LEAST_SIDE for step in framing.steps):
        return "has a view that is too small"
    return ""


def _wrong_passage(passage: Passage) -> tuple[str, str] | None:
    """Which field of a passage is wrong, and how."""
    if passage.recorded_length <= 0:
        return ".recorded", "is zero"
    if passage.ramp.length > _MOST_SECONDS:
        return ".ramp.length", "is out of range"
    if max(passage.sound.fade_in, passage.sound.fade_out) > _MOST_SECONDS:
        return ".sound", "has a fade out of range"
    try:
        checked_speed(passage.speed)
    except PlanError:
        return ".speed", "is out of range"
    return None
