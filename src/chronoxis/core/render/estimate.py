"""How large the file will be, from encoding a few short bursts of the real thing."""

import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np

from chronoxis.core.footage.recording.frame_index import build_index
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.encoder import Encoder
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import export_target

_BURSTS = 3
_BURST_FRAMES = 8
_SOUND_BYTES_PER_SECOND = 24_000


def estimate_size(plan: Plan, still_wanted: Callable[[], bool] = lambda: True) -> int | None:
    """Expected file size in bytes, or None if it is no longer wanted.

    Bursts at three places of the result are encoded with the plan's settings. Each burst's first
    frame stands for the key frames, its others for the rest; the last places tell more than any rule
    of thumb about bits per pixel.
    """
    schedule = plan.schedule
    burst = min(_BURST_FRAMES, len(schedule))
    starts = np.unique(np.linspace(0, len(schedule) - burst, _BURSTS).astype(int))
    keys, others = [], []
    for start in starts.tolist():
        if not still_wanted():
            return None
        key, rest = _burst_sizes(plan, start, start + burst)
        keys.append(key)
        others.extend(rest)
    mean_key = float(np.mean(keys))
    mean_other = float(np.mean(others)) if others else mean_key
    key_count = -(-len(schedule) // plan.settings.format.key_interval(schedule.rate))
    sound = float(schedule.length) * _SOUND_BYTES_PER_SECOND if plan.settings.sound else 0.0
    return round(mean_key * key_count + mean_other * (len(schedule) - key_count) + sound)


def _burst_sizes(plan: Plan, start: int, stop: int) -> tuple[float, list[float]]:
    """Packet sizes of the key frame and of the others when a part of the result is encoded alone."""
    target, settings = export_target(plan), plan.settings
    with tempfile.TemporaryDirectory(prefix="chronoxis-") as folder:
        path = Path(folder) / "burst"
        with Encoder(
            path,
            format_=settings.format,
            quality=settings.quality,
            size=plan.size,
            pixel_format=target.pixel_format,
            rate=plan.schedule.rate,
            colour=target.colour,
        ) as encoder:
            for frame in result_frames(plan, target, start, stop):
                encoder.write(frame)
        sizes = build_index(path).sizes
    return float(sizes[0]), sizes[1:].tolist()
