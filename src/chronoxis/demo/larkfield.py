"""The demo data: the Larkfield balloon meet, drawn and encoded by the program itself."""

import json
from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Protocol

import av
import cv2
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.video.frame import VideoFrame
from platformdirs import user_cache_path

from chronoxis.core.errors import ChronoxisError, ExportError
from chronoxis.core.files.atomic import publish, temporary_beside, why_not_written, write_whole
from chronoxis.core.files.project_file import save_project
from chronoxis.core.footage.prefetch import ahead
from chronoxis.core.model.music import MusicFile
from chronoxis.core.sound.mixing import as_int16
from chronoxis.core.sound.samples import RATE
from chronoxis.demo import (
    crew_picture,
    crew_truth,
    first_light_picture,
    first_light_truth,
    knot_picture,
    plan_picture,
    plan_truth,
    tower_picture,
    tower_truth,
    tune_truth,
    walk_picture,
    walk_truth,
)
from chronoxis.demo.beat_piece import beat_piece, music_in_demo
from chronoxis.demo.crew_sound import crew_sound
from chronoxis.demo.finished_piece import finished_piece
from chronoxis.demo.photo_piece import KNOT_RATE, first_light_files, knot_files, photo_piece
from chronoxis.demo.photo_writing import PhotoToDraw, write_photos
from chronoxis.demo.tower_sound import SAMPLE_RATE, field_sound
from chronoxis.demo.tune_sound import tune

FIELD_NAME = "Field-from-the-tower.mp4"
WALK_NAME = "Walk-down-the-line.mp4"
LIGHT_NAME = "First-light"
KNOT_NAME = "The-knot"
CREW_NAME = "Burner-crew.mp4"
PLAN_NAME = "Flight-plan.mp4"
TUNE_NAME = "Morning-tune.flac"
PROJECT_NAME = "larkfield.chronoxis"
BEAT_PROJECT_NAME = "larkfield-beats.chronoxis"
PHOTO_PROJECT_NAME = "larkfield-photos.chronoxis"

_FOLDER = "larkfield-9"  # counts up when a drawing or a project changes
_SOUND_CHUNK = 1024
_BT709, _BT601 = 1, 6

Pictures = Iterator[npt.NDArray[np.uint8]]


class Bar(Protocol):
    """A progress bar."""

    def update(self, n: int = 1) -> object:
        """Move on by n frames."""

    def close(self) -> object:
        """Take the bar away."""


def demo_folder() -> Path:
    """Where the demo data is kept between runs."""
    return user_cache_path("chronoxis") / _FOLDER


@dataclass(frozen=True)
class Part:
    """One recording, or run of photos, of the demo.

    Attributes:
        name: of its file or folder.
        frames: how many frames or photos it has.
        truth: gives what is true of it, as JSON.
        draw: draws it into a file or folder, and calls ``on_frame`` after each frame.
        origin: what it is opened from, in a folder; its file, if nothing is said.
    """

    name: str
    frames: int
    truth: Callable[[], str]
    draw: Callable[..., None]
    origin: Callable[[Path], Hashable] | None = None

    def origin_in(self, folder: Path) -> Hashable:
        """What it is opened from."""
        return folder / self.name if self.origin is None else self.origin(folder)

    def draw_into(self, folder: Path, on_frame: Callable[[], object]) -> None:
        """Draw it, and write its truth beside it. Raises ChronoxisError if it cannot be written."""
        recording = folder / self.name
        write_whole(recording.with_suffix(".truth.json"), self.truth().encode())
        self.draw(recording, on_frame=on_frame)


def demo_parts(folder: Path) -> list[Part]:
    """The recordings of the demo that are not there yet."""
    return [part for part in PARTS if not (folder / part.name).exists()]


def demo_project(folder: Path | None = None) -> Path:
    """Make the demo's projects if they are not there yet, and return where the first one is.

    Their footage may be drawn later.

    Raises:
        ChronoxisError: the folder cannot be written to.
    """
    folder = (folder or demo_folder()).absolute()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise ChronoxisError(f"The demo data cannot be kept in {folder}: {error.strerror}.") from error
    project, photos = folder / PROJECT_NAME, folder / PHOTO_PROJECT_NAME
    if not project.exists():
        tune = music_in_demo(folder / TUNE_NAME)
        save_project(finished_piece(folder / FIELD_NAME, folder / WALK_NAME, tune), project)
    if not (folder / BEAT_PROJECT_NAME).exists():
        beats = beat_piece(folder / WALK_NAME, folder / TUNE_NAME)
        save_project(beats, folder / BEAT_PROJECT_NAME)
    if not photos.exists():
        save_project(photo_piece(folder), photos)
    return project


def ensure_demo(folder: Path | None, make_bar: Callable[[str, int], Bar]) -> Path:
    """Make what is not there yet of the demo's recordings and project, and return where the project is.

    Raises:
        ChronoxisError: the folder cannot be written to.
    """
    project = demo_project(folder)
    for part in demo_parts(project.parent):
        bar = make_bar(f"Drawing {Path(part.name).stem.replace('-', ' ')}", part.frames)
        try:
            part.draw_into(project.parent, bar.update)
        finally:
            bar.close()
    return project


def draw_field(
    path: Path,
    *,
    size: tuple[int, int] = tower_truth.SIZE,
    start: float = 0.0,
    seconds: float = tower_truth.SECONDS,
    on_frame: Callable[[], object] = lambda: None,
) -> None:
    """Draw and encode *Field from the tower*, or an excerpt of it at another size.

    The same arguments give the same frames on every run.
    """
    rate = tower_truth.RATE
    first, count = round(start * rate), round(seconds * rate)
    sound = field_sound((first + count) / rate)[round(start * SAMPLE_RATE) :]
    _write(path, tower_picture.frames(size, count, first), size, rate, sound, on_frame)


def draw_walk(
    path: Path,
    *,
    size: tuple[int, int] = walk_truth.SIZE,
    start: float = 0.0,
    seconds: float = walk_truth.SECONDS,
    on_frame: Callable[[], object] = lambda: None,
) -> None:
    """Draw and encode *Walk down the line*, or an excerpt of it at another size; it has no sound."""
    rate = walk_truth.RATE
    pictures = walk_picture.frames(size, round(seconds * rate), round(start * rate))
    _write(path, pictures, size, rate, None, on_frame)


def draw_crew(
    path: Path,
    *,
    size: tuple[int, int] = crew_truth.SIZE,
    seconds: float = crew_truth.SECONDS,
    on_frame: Callable[[], object] = lambda: None,
) -> None:
    """Draw and encode *Burner crew*, or its beginning at another size."""
    rate = crew_truth.RATE
    pictures = crew_picture.frames(size, round(seconds * rate))
    _write(path, pictures, size, rate, crew_sound(seconds), on_frame)


def draw_plan(
    path: Path,
    *,
    size: tuple[int, int] = plan_truth.SIZE,
    seconds: float = plan_truth.SECONDS,
    on_frame: Callable[[], object] = lambda: None,
) -> None:
    """Draw and encode *Flight plan*, or its beginning at another size; it has no sound."""
    rate = plan_truth.RATE
    _write(path, plan_picture.frames(size, round(seconds * rate)), size, rate, None, on_frame)


def draw_first_light(path: Path, *, on_frame: Callable[[], object] = lambda: None) -> None:
    """Draw *First light* into a folder of photos."""
    truth = first_light_truth
    photos = [
        PhotoToDraw(
            truth.photo_name(number),
            partial(first_light_picture.photo, number),
            truth.taken(number),
            turned=number == truth.TURNED,
        )
        for number in truth.there()
    ]
    write_photos(path, photos, on_frame)


def draw_knot(path: Path, *, on_frame: Callable[[], object] = lambda: None) -> None:
    """Draw *The knot* into a folder of photos, which have no dates."""
    names = knot_files(path.parent).names
    photos = [PhotoToDraw(name, partial(knot_picture.photo, n)) for n, name in enumerate(names)]
    write_photos(path, photos, on_frame)


def draw_tune(path: Path, *, on_frame: Callable[[], object] = lambda: None) -> None:
    """Play *Morning tune* into a file, whose tags say whose it is."""
    credit = music_in_demo(path).credit
    with temporary_beside(path) as temporary:
        try:
            with av.open(str(temporary), "w", format="flac") as container:
                container.metadata.update(
                    title=credit.title, artist=credit.author, license=credit.licence, url=credit.link
                )
                stream = container.add_stream("flac", rate=RATE, layout="stereo")
                for first in range(0, (samples := as_int16(tune()).T).shape[1], RATE):
                    block = np.ascontiguousarray(samples[:, first : first + RATE].T.reshape(1, -1))
                    frame = AudioFrame.from_ndarray(block, "s16", "stereo")
                    frame.sample_rate, frame.pts, frame.time_base = RATE, first, Fraction(1, RATE)
                    container.mux(stream.encode(frame))
                    on_frame()
                container.mux(stream.encode(None))
        except (av.FFmpegError, OSError) as error:
            raise ExportError(why_not_written(path, error)) from error
        publish(temporary, path, overwrite=True)


def _knot_truth() -> str:
    return json.dumps({"count": knot_picture.COUNT, "photos_per_second": int(KNOT_RATE)})


PARTS = (
    Part(FIELD_NAME, tower_truth.SECONDS * tower_truth.RATE, tower_truth.truth_json, draw_field),
    Part(WALK_NAME, walk_truth.SECONDS * walk_truth.RATE, walk_truth.truth_json, draw_walk),
    Part(
        TUNE_NAME,
        tune_truth.SECONDS,
        tune_truth.truth_json,
        draw_tune,
        lambda folder: MusicFile(folder / TUNE_NAME),
    ),
    Part(
        LIGHT_NAME,
        len(first_light_truth.there()),
        first_light_truth.truth_json,
        draw_first_light,
        first_light_files,
    ),
    Part(CREW_NAME, crew_truth.SECONDS * crew_truth.RATE, crew_truth.truth_json, draw_crew),
    Part(PLAN_NAME, plan_truth.SECONDS * plan_truth.RATE, plan_truth.truth_json, draw_plan),
    Part(KNOT_NAME, knot_picture.COUNT, _knot_truth, draw_knot, knot_files),
)
"""The demo's recordings and runs of photos."""


def _write(
    path: Path,
    pictures: Pictures,
    size: tuple[int, int],
    rate: int,
    sound: npt.NDArray[np.float32] | None,
    on_frame: Callable[[], object],
) -> None:
    with temporary_beside(path) as temporary:
        try:
            with av.open(str(temporary), "w", format="mp4", options={"movflags": "+faststart"}) as container:
                _encode(container, pictures, size, rate, sound, on_frame)
        except (av.FFmpegError, OSError) as error:
            raise ExportError(why_not_written(path, error)) from error
        publish(temporary, path, overwrite=True)


def _encode(
    container: av.container.OutputContainer,
    pictures: Pictures,
    size: tuple[int, int],
    rate: int,
    samples: npt.NDArray[np.float32] | None,
    on_frame: Callable[[], object],
) -> None:
    video = container.add_stream("libx264", rate=rate)
    video.width, video.height = size
    video.pix_fmt = "yuv420p"
    context = video.codec_context
    context.color_primaries = context.color_trc = _BT709
    context.colorspace = _BT601  # what OpenCV's quick conversion gives
    context.color_range = 1
    # One thread: the cores are busy drawing, and the file is the same whatever their number.
    context.options = {"preset": "ultrafast", "qp": "22", "g": str(2 * rate), "threads": "1"}
    audio, sound = None, []
    if samples is not None:
        audio = container.add_stream("aac", rate=SAMPLE_RATE)
        audio.layout = "mono"
        sound = list(_sound_frames(samples))
    for number, picture in enumerate(ahead(lambda _: pictures, 8)):
        container.mux(video.encode(_frame(picture, number, rate)))
        while audio and sound and sound[0].pts is not None and sound[0].pts / SAMPLE_RATE <= number / rate:
            container.mux(audio.encode(sound.pop(0)))
        on_frame()
    if audio is not None:
        for rest in (*sound, None):
            container.mux(audio.encode(rest))
    container.mux(video.encode(None))


def _frame(picture: npt.NDArray[np.uint8], number: int, rate: int) -> VideoFrame:
    planes = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2YUV_I420), np.uint8)
    frame = VideoFrame.from_numpy_buffer(planes, "yuv420p")
    frame.pts, frame.time_base = number, Fraction(1, rate)
    return frame


def _sound_frames(samples: npt.NDArray[np.float32]) -> Iterator[AudioFrame]:
    for first in range(0, len(samples), _SOUND_CHUNK):
        frame = AudioFrame.from_ndarray(samples[None, first : first + _SOUND_CHUNK], "fltp", "mono")
        frame.sample_rate, frame.pts = SAMPLE_RATE, first
        frame.time_base = Fraction(1, SAMPLE_RATE)
        yield frame
