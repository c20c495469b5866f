"""Pictures of 256 colours, which are chosen for them."""

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
from av.filter import Graph
from av.video.format import VideoFormat
from av.video.frame import VideoFrame
from av.video.reformatter import Interpolation

from chronoxis.core.render.encoder import Encoder
from chronoxis.core.render.writing import Writing

_ANY = Fraction(1, 1000)  # the filters want a time; it means nothing here
_PALETTE_SIDE = 16
_SAMPLE_PIXELS = 8_000
# A fixed pattern: what stands still does not shimmer.
_DITHER = "dither=bayer:bayer_scale=4:diff_mode=rectangle"


class PalettedEncoder(Encoder):
    """An encoder of frames whose colours are brought to one palette, chosen from samples of all of them."""

    def __init__(self, path: Path, writing: Writing, samples: Iterator[VideoFrame]) -> None:
        self._use = _Use(_palette_of(samples, writing), writing)
        super().__init__(path, writing, pixel_format="pal8")

    def write(self, frame: VideoFrame, *, by_itself: bool = False) -> None:
        """Write the next frame; each is what changes."""
        frame.pts, frame.time_base = self._count, _ANY
        self._use.push(frame)
        while (ready := self._use.pull()) is not None:
            super().write(ready)

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if kind is None:
            self._use.push(None)
            while (ready := self._use.pull()) is not None:
                super().write(ready)
        super().__exit__(kind, error, trace)


def _palette_of(samples: Iterator[VideoFrame], writing: Writing) -> VideoFrame:
    """The colours of samples; small copies of them have the same, and far fewer to count."""
    scale = min(1.0, (_SAMPLE_PIXELS / (writing.size[0] * writing.size[1])) ** 0.5)
    width, height = (max(1, round(side * scale)) for side in writing.size)
    form = VideoFormat(writing.pixel_format)
    graph = Graph()
    source = graph.add_buffer(width=width, height=height, format=form, time_base=_ANY)
    choose, sink = graph.add("palettegen", "stats_mode=full"), graph.add("buffersink")
    source.link_to(choose)
    choose.link_to(sink)
    graph.configure()
    for number, frame in enumerate(samples):
        small = frame.reformat(width=width, height=height, interpolation=Interpolation.AREA)
        small.pts, small.time_base = number, _ANY
        source.push(small)
    source.push(None)
    palette = sink.pull()
    assert isinstance(palette, VideoFrame)
    return palette


class _Use:
    """The filter that brings frames to a palette."""

    def __init__(self, palette: VideoFrame, writing: Writing) -> None:
        graph = self._graph = Graph()  # its parts do not keep it alive
        size = writing.size
        self.source = graph.add_buffer(
            width=size[0], height=size[1], format=VideoFormat(writing.pixel_format), time_base=_ANY
        )
        colours = graph.add_buffer(
            width=_PALETTE_SIDE, height=_PALETTE_SIDE, format=palette.format, time_base=_ANY
        )
        use, self.sink = graph.add("paletteuse", _DITHER), graph.add("buffersink")
        self.source.link_to(use, 0, 0)
        colours.link_to(use, 0, 1)
        use.link_to(self.sink)
        graph.configure()
        palette.pts = 0
        colours.push(palette)
        colours.push(None)

    def push(self, frame: VideoFrame | None) -> None:
        """Give it the next frame, or None after the last."""
        self.source.push(frame)

    def pull(self) -> VideoFrame | None:
        """The next frame that is ready, if there is one."""
        try:
            frame = self.sink.pull()
        except (BlockingIOError, av.error.EOFError):
            return None
        assert isinstance(frame, VideoFrame)
        return frame
