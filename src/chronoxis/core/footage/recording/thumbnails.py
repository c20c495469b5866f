"""Quick pictures of a recording: the nearest key frame before a moment, without a frame index."""

from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path

import av
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from chronoxis.core.footage.recording.containers import open_container, packets_of, picture_stream
from chronoxis.core.footage.source import Thumbnails


@contextmanager
def key_frames(path: Path) -> Iterator[Thumbnails]:
    """Open a recording for its key frames. Raises FootageError if that cannot be done."""
    with open_container(path) as container:
        stream = picture_stream(container, path)
        stream.thread_type = "SLICE"  # one frame at a time comes out sooner without frame threads
        stream.codec_context.skip_frame = "NONKEY"
        yield lambda seconds: _key_frame(container, stream, seconds)


def _key_frame(container: InputContainer, stream: VideoStream, seconds: float) -> VideoFrame | None:
    ticks, context = int(seconds / Fraction(stream.time_base or 1)), stream.codec_context
    try:
        container.seek((stream.start_time or 0) + ticks, stream=stream, backward=True)
        packet = next(packet for packet in packets_of(container, stream) if packet.is_keyframe)
        # Told that nothing follows, the decoder gives the frame at once, and not after the next ones.
        frames = context.decode(packet) or context.decode(None)
        context.flush_buffers()
    except (StopIteration, av.FFmpegError):
        return None  # a hole in a damaged file; its neighbours stand in
    return frames[0] if frames else None
