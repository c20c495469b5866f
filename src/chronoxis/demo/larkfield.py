"""The demo data: the Larkfield balloon meet, drawn and encoded by the program itself."""

import os
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Protocol

import av
import cv2
import numpy as np
import numpy.typing as npt
from av.audio.frame import AudioFrame
from av.video.frame import VideoFrame
from platformdirs import user_cache_path

from chronoxis.core.errors import ChronoxisError
from chronoxis.core.files.atomic import publish, temporary_beside
from chronoxis.core.render.ahead import ahead
from chronoxis.demo import tower_picture
from chronoxis.demo.tower_sound import SAMPLE_RATE, field_sound
from chronoxis.demo.tower_truth import RATE, SECONDS, SIZE, truth_json

FIELD_NAME = "Field-from-the-tower.mp4"
TRUTH_NAME = "Field-from-the-tower.truth.json"

_FOLDER = "larkfield-1"  # counts up when the drawing changes
_SOUND_CHUNK = 1024
_BT709, _BT601 = 1, 6


class Bar(Protocol):
    """A progress bar."""

    def update(self, n: int = 1) -> object:
        """Move on by n frames."""

    def close(self) -> object:
        """Take the bar away."""


def demo_folder() -> Path:
    """Where the demo data is kept between runs."""
    return user_cache_path("chronoxis") / _FOLDER


def ensure_demo(folder: Path | None, make_bar: Callable[[str, int], Bar]) -> Path:
    """Make the demo recording if it is not there yet, and return where it is.

    Raises:
        ChronoxisError: the folder cannot be written to.
    """
    folder = folder or demo_folder()
    recording, truth = folder / FIELD_NAME, folder / TRUTH_NAME
    if recording.exists() and truth.exists():
        return recording
    try:
        folder.mkdir(parents=True, exist_ok=True)
        truth.write_text(truth_json())
    except OSError as error:
        raise ChronoxisError(f"The demo data cannot be kept in {folder}: {error.strerror}.") from error
    bar = make_bar("Drawing the Larkfield balloon meet", SECONDS * RATE)
    try:
        draw_field(recording, on_frame=bar.update)
    finally:
        bar.close()
    return recording


def draw_field(
    path: Path,
    *,
    size: tuple[int, int] = SIZE,
    start: float = 0.0,
    seconds: float = SECONDS,
    on_frame: Callable[[], object] = lambda: None,
) -> None:
    """Draw and encode *Field from the tower*, or an excerpt of it at another size.

    The same arguments give the same frames on every run.
    """
    temporary = temporary_beside(path)
    try:
        with av.open(str(temporary), "w", format="mp4", options={"movflags": "+faststart"}) as container:
            _encode(container, size, round(start * RATE), round(seconds * RATE), on_frame)
        publish(temporary, path, overwrite=True)
    finally:
        temporary.unlink(missing_ok=True)


def _encode(
    container: av.container.OutputContainer,
    size: tuple[int, int],
    start: int,
    count: int,
    on_frame: Callable[[], object],
) -> None:
    video = container.add_stream("libx264", rate=RATE)
    video.width, video.height = size
    video.pix_fmt = "yuv420p"
    context = video.codec_context
    context.color_primaries = context.color_trc = _BT709
    context.colorspace = _BT601  # what OpenCV's quick conversion gives
    context.color_range = 1
    context.options = {"preset": "ultrafast", "crf": "26", "g": str(2 * RATE), "threads": str(os.cpu_count())}
    audio = container.add_stream("aac", rate=SAMPLE_RATE)
    audio.layout = "mono"
    samples = field_sound((start + count) / RATE)[round(start / RATE * SAMPLE_RATE) :]
    sound = list(_sound_frames(samples))
    for number, picture in enumerate(ahead(tower_picture.frames(size, count, start), 8)):
        container.mux(video.encode(_frame(picture, number)))
        while sound and sound[0].pts is not None and sound[0].pts / SAMPLE_RATE <= number / RATE:
            container.mux(audio.encode(sound.pop(0)))
        on_frame()
    for rest in sound:
        container.mux(audio.encode(rest))
    container.mux(audio.encode(None))
    container.mux(video.encode(None))


def _frame(picture: npt.NDArray[np.uint8], number: int) -> VideoFrame:
    planes = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2YUV_I420), np.uint8)
    frame = VideoFrame.from_ndarray(planes, "yuv420p")
    frame.pts, frame.time_base = number, Fraction(1, RATE)
    return frame


def _sound_frames(samples: npt.NDArray[np.float32]) -> Iterator[AudioFrame]:
    for first in range(0, len(samples), _SOUND_CHUNK):
        frame = AudioFrame.from_ndarray(samples[None, first : first + _SOUND_CHUNK], "fltp", "mono")
        frame.sample_rate, frame.pts = SAMPLE_RATE, first
        frame.time_base = Fraction(1, SAMPLE_RATE)
        yield frame
