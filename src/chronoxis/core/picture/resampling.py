"""A part of a picture brought to another size, exact to small parts of a pixel."""

import numpy as np
from av.video.frame import VideoFrame
from av.video.plane import VideoPlane

from chronoxis.core.model.export_format import Size
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture
from chronoxis.core.picture.rgb import planar_format, rgb16, rgb_samples, samples_of
from chronoxis.core.picture.scaling import Samples, scaled_part
from chronoxis.core.picture.views import Box

_WHOLE_PIXEL_TOLERANCE = 1e-6  # of a pixel


def resampled(made: Picture, colour: Colour, box: Box, size: Size) -> Picture:
    """A part of a picture at a size, in the picture's own pixel format where that can be kept.

    Reduced and enlarged by Lanczos' kernel of three lobes, which is widened as far as the picture is
    reduced. A part on whole pixels that keeps its size is cut out, every sample as it was.

    Args:
        made: the picture.
        colour: how its code values stand for light.
        box: the part, in pixels of the picture.
        size: width and height that come out.
    """
    if not isinstance(made, VideoFrame):
        return _scaled(made, box, size)
    if made.format.is_rgb and max(part.bits for part in made.format.components) <= 8:
        made = made.reformat(format="rgb24")
    form = made.format.name
    if form in ("rgb24", "rgb48le"):
        return _rgb_frame(_scaled(rgb_samples(made), box, size), form)
    planar = planar_format(made)
    if planar is None or not _keeps_chroma(planar, size):
        return _scaled(rgb16(made, colour), box, size)
    frame = made if form == planar else made.reformat(format=planar)
    return _planes_resampled(frame, planar, box, size)


def _keeps_chroma(planar: str, size: Size) -> bool:
    """Whether chroma of a format has whole samples at a size."""
    return ("420" not in planar and "422" not in planar) or (size[0] % 2 == 0 and size[1] % 2 == 0)


def _planes_resampled(frame: VideoFrame, planar: str, box: Box, size: Size) -> VideoFrame:
    result, depth = VideoFrame(*size, planar), max(part.bits for part in frame.format.components)
    for source, target in zip(frame.planes, result.planes, strict=True):
        # Chroma samples stand between the luma samples that share them.
        across, down = round(frame.width / source.width), round(frame.height / source.height)
        left, top, width, height = box
        part = left / across, top / down, width / across, height / down
        _put(
            target, _scaled(samples_of(source, depth), part, (target.width, target.height), (1 << depth) - 1)
        )
    return result


def _put(plane: VideoPlane, samples: Samples) -> None:
    whole = np.zeros((plane.height, plane.line_size // samples.itemsize), samples.dtype)
    whole[:, : plane.width] = samples
    plane.update(whole.tobytes())


def _rgb_frame(samples: Samples, form: str) -> VideoFrame:
    return VideoFrame.from_numpy_buffer(np.ascontiguousarray(samples), form)


def _scaled(samples: Samples, box: Box, size: Size, top_code: int = 65535) -> Samples:
    left, top, width, height = box
    whole = all(abs(side - round(side)) < _WHOLE_PIXEL_TOLERANCE for side in box)
    if whole and (round(width), round(height)) == size:
        return samples[round(top) : round(top) + size[1], round(left) : round(left) + size[0]]
    return scaled_part(samples, box, size, top_code if samples.dtype == np.uint16 else 255)
