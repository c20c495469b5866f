"""Frames through a pipe: YUV4MPEG2, which many programs read, or bare codes behind a line of JSON."""

import json
from collections.abc import Callable
from fractions import Fraction
from typing import BinaryIO

from av.video.frame import VideoFrame

from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.model.export_format import ExportFormat, Size
from chronoxis.core.picture.rgb import rgb_samples, samples_of
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.target import Target, export_target

_TAGS = {
    "yuv420p": "420mpeg2",
    "yuv422p": "422",
    "yuv444p": "444",
    "gray": "mono",
    **{f"yuv{part}p{bits}le": f"{part}p{bits}" for part in ("420", "422", "444") for bits in (10, 12)},
}
"""How the header of YUV4MPEG2 names pixel formats; above 8 bits, as several programs have them."""

Y4M = ExportFormat(
    key="y4m",
    name="YUV4MPEG2",
    ending=".y4m",
    purpose="Frames for another program, as recorded where nothing is done to them",
    short_purpose="frames through a pipe",
    codec="",
    pixel_format="yuv420p",
    kept_formats=frozenset(_TAGS),
    even_sides=True,
)
RAW = ExportFormat(
    key="raw",
    name="bare codes",
    ending="",
    purpose="Codes of 16 bits for another program, behind a line of JSON",
    short_purpose="codes through a pipe",
    codec="",
    pixel_format="rgb48le",
    full_rgb=True,
)
PIPES = (Y4M, RAW)
"""What can go through a pipe."""


def write_frames(
    plan: Plan, stream: BinaryIO, progress: Callable[[int], None] = lambda _done: None, check: Check = never
) -> None:
    """Write all result frames, with a header before them.

    Args:
        plan: what is written; its export format is one of `PIPES`.
        stream: where to.
        progress: called with how many frames are written.
        check: called after each recorded frame; either may raise `Cancelled` to stop.

    Raises:
        FootageError: a recorded frame cannot be decoded.
        OSError: whoever reads has gone.
    """
    target, rate = export_target(plan), plan.schedule.rate
    is_y4m = plan.settings.format is Y4M
    stream.write(y4m_header(target, rate) if is_y4m else _json_header(target, rate, len(plan.schedule)))
    for number, frame in enumerate(result_frames(plan, target, check=check)):
        if is_y4m:
            stream.write(b"FRAME\n")
        for plane in _planes(frame):
            stream.write(plane)
        progress(number + 1)
    stream.flush()


def y4m_header(target: Target, rate: Fraction) -> bytes:
    """The first line of YUV4MPEG2."""
    width, height = target.size
    aspect, extent = target.pixel_aspect, "FULL" if target.colour.full_range else "LIMITED"
    return (
        f"YUV4MPEG2 W{width} H{height} F{rate.numerator}:{rate.denominator} Ip "
        f"A{aspect.numerator}:{aspect.denominator} C{_TAGS[target.pixel_format]} XCOLORRANGE={extent}\n"
    ).encode()


def _json_header(target: Target, rate: Fraction, frames: int) -> bytes:
    """A line that says what follows: frames of rows of pixels of red, green and blue, 16 bits each."""
    size: Size = target.size
    told = {
        "width": size[0],
        "height": size[1],
        "rate": str(rate),
        "frames": frames,
        "pixels": "rgb48le",
        "h273_transfer": int(target.colour.transfer),
        "h273_primaries": int(target.colour.primaries),
    }
    return json.dumps(told).encode() + b"\n"


def _planes(frame: VideoFrame) -> list[bytes]:
    """The samples of a frame without what pads its rows."""
    if frame.format.name == "rgb48le":
        return [rgb_samples(frame).tobytes()]
    depth = max(part.bits for part in frame.format.components)
    return [samples_of(plane, depth).tobytes() for plane in frame.planes]
