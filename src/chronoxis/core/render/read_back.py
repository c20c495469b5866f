"""Reading back what was written, before it gets its name."""

from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
from PIL import Image

from chronoxis.core.errors import ExportError, FootageError
from chronoxis.core.footage.photos.photo_header import read_header
from chronoxis.core.footage.recording.frame_index import build_index
from chronoxis.core.render.plan import Plan

_SOUND_SLACK = 0.15  # seconds: codecs write whole blocks
_LOOP_TICK = 0.0025  # seconds by which whole milliseconds, summed, may be off


def compare_with_plan(plan: Plan, written: Path, name: str) -> None:
    """Read a finished result: as many frames as planned, each at its time, stills of their size.

    Raises:
        ExportError: it is not what was planned.
    """
    wish, format_ = plan.schedule, plan.settings.format
    try:
        if format_.is_folder:
            _compare_stills(plan, written, name)
            return
        if format_.key == "webp":
            _compare_loop(plan, written, name)
            return
        times, tick = _stream_times(written)
    except (FootageError, OSError) as error:
        raise ExportError(f"{name} came out so that it cannot be read; it was discarded.") from error
    if len(times) != len(wish):
        raise ExportError(
            f"{name} came out with {len(times)} frames instead of {len(wish)}; it was discarded."
        )
    planned = np.arange(len(wish)) * wish.rate.denominator / wish.rate.numerator
    off = np.abs(times - times[0] - planned).max()
    if off > tick + 1e-9:
        raise ExportError(f"{name} came out with frames {off:.3f} s off; it was discarded.")
    if plan.has_sound and abs((length := _sound_length(written)) - float(wish.length)) > _SOUND_SLACK:
        raise ExportError(f"{name} came out with {length:.2f} s of sound; it was discarded.")


def _sound_length(path: Path) -> float:
    """Seconds from the beginning of a file's first sound to the end of its last."""
    with av.open(f"file:{path}") as container:
        if not container.streams.audio:
            return 0.0
        ends = [
            (packet.pts + (packet.duration or 0)) * float(packet.time_base)
            for packet in container.demux(container.streams.audio[0])
            if packet.pts is not None and packet.time_base is not None
        ]
    return max(ends, default=0.0)


def bytes_of(path: Path) -> int:
    """Of a file, or of all files of a folder."""
    files = path.iterdir() if path.is_dir() else [path]
    return sum(file.stat().st_size for file in files)


def _stream_times(path: Path) -> tuple[npt.NDArray[np.float64], float]:
    """When frames begin, seconds, and how finely a file tells that."""
    index = build_index(path)
    return np.asarray(index.stamps * float(index.time_base), np.float64), float(index.time_base)


def _compare_loop(plan: Plan, path: Path, name: str) -> None:
    """A picture that loops: its encoder makes one frame of equal ones that follow one another."""
    wish = plan.schedule
    with Image.open(path) as image:
        if not getattr(image, "is_animated", False) and (wish.frames == wish.frames[0]).all():
            image.load()  # a still, which does not say how long it lasts
            return
        lasting = []
        for number in range(getattr(image, "n_frames", 1)):
            image.seek(number)
            image.load()
            lasting.append(image.info["duration"] / 1000)
    ends = np.cumsum(lasting)
    frames = ends * float(wish.rate)
    tick = _LOOP_TICK * float(wish.rate)
    whole = np.abs(frames - np.rint(frames)).max() <= tick and len(frames) <= len(wish)
    if not whole or abs(frames[-1] - len(wish)) > tick:
        raise ExportError(
            f"{name} came out {ends[-1]:.3f} s long with {len(lasting)} frames, and not as planned; "
            "it was discarded."
        )


def _compare_stills(plan: Plan, folder: Path, name: str) -> None:
    files = sorted(folder.iterdir())
    if len(files) != len(plan.schedule):
        raise ExportError(
            f"{name} came out with {len(files)} stills instead of {len(plan.schedule)}; it was discarded."
        )
    for file in files:
        header = read_header(file)
        if header.wrong or header.size != plan.size:
            how = header.wrong or f"is {header.size[0]}×{header.size[1]}"
            raise ExportError(f"{name} came out with a still, {file.name}, that {how}; it was discarded.")
