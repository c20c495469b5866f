"""Proxies: small copies of recorded pictures, each by itself, for playing what is heavy to decode.

They are for what somebody looks at while it moves: exports, pictures at rest and traces never read them.
Each recorded frame has one, made as a preview scales it: 8-bit Y′CbCr with halved chroma, of the very code
values that the recording has, in whatever colour and range. (JPEG pictures by themselves mean others.)
"""

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, cast

import av
import numpy as np
from av.codec import CodecContext
from av.packet import Packet
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame

from chronoxis.core.cores import usable_cores
from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.footage.source import Reader, Source
from chronoxis.core.footage.usual import UsualReader
from chronoxis.core.model.export_format import Size
from chronoxis.core.picture.framed import reduced
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.timing.shot_columns import Frames
from chronoxis.core.traces.proxy_store import (
    PART_FRAMES,
    Part,
    Proxy,
    ProxyStore,
    note_used,
    opened_part,
)
from chronoxis.core.traces.store import fingerprint

PROXY_HEIGHT = 360
"""Pixels of an upright picture."""

_MOST_ENLARGEMENT = 1.5  # times that a proxy may be enlarged, where a part of it is shown
_JPEG_QUANTISER = "4"  # of JPEG, as the library counts it: 2 is finest
_TELL_SECONDS = 0.05  # seconds between two words on how far making one is
_KEPT_PARTS = 3  # whose compressed pictures a reader holds
_TIME_STEP = Fraction(1, 1000)

Shown = Callable[[Proxy, float], None]
"""Called now and then with the proxy, and the share done; it may raise `Cancelled` to stop."""


def proxy_of(source: Source, store: ProxyStore) -> Proxy:
    """Where the proxy of footage is, or will be. Raises FootageError: its files cannot be read."""
    recorded = source.originals.source
    picture = recorded.facts.picture
    return store.proxy(fingerprint(source.files), proxy_size(picture), len(recorded.edges) - 1)


def proxy_size(picture: PictureFormat) -> Size:
    """Width and height of proxies of pictures, before they are turned; even."""
    height = min(PROXY_HEIGHT, picture.height)
    width = height * picture.width / picture.height
    return picture.lying((max(2, round(width / 2) * 2), max(2, round(height / 2) * 2)))


def kept_proxy(source: Source, store: ProxyStore) -> Proxy | None:
    """What there is of footage's proxy; None if there is nothing."""
    proxy = proxy_of(source, store)
    lacking = proxy.lacking()
    return replace(proxy, is_whole=not lacking) if len(lacking) < proxy.part_count else None


def make_proxy(source: Source, store: ProxyStore, shown: Shown) -> Proxy:
    """Make what lacks of a proxy, part by part.

    Raises:
        FootageError: pictures cannot be read, or proxies cannot be kept.
        Cancelled: ``shown`` raised it; what is whole by then is kept.
    """
    proxy, recorded = proxy_of(source, store), source.originals.source
    picture, upright = recorded.facts.picture, recorded.facts.picture.lying(proxy.size)
    lacking = proxy.lacking()
    told, made = 0.0, proxy.frame_count - sum(len(proxy.frames_of(part)) for part in lacking)

    def tell() -> None:
        nonlocal told
        if time.monotonic() - told > _TELL_SECONDS:
            told = time.monotonic()
            shown(proxy, made / proxy.frame_count)

    with recorded.reader(0, upright, fit=True) as reader:
        for part in lacking:
            encoder, pictures = _encoder(proxy.size), list[bytes]()
            for _, frame in reader.frames(proxy.frames_of(part), tell):
                pictures += _encoded(encoder, reduced(frame, picture, upright))
                made += 1
                tell()
            store.keep(proxy, part, pictures)
    return replace(proxy, is_whole=True)


def _encoder(size: Size) -> VideoCodecContext:
    encoder = CodecContext.create("mjpeg", "w")
    encoder.width, encoder.height = size
    encoder.pix_fmt, encoder.time_base = "yuvj420p", Fraction(1, 25)
    encoder.thread_count = 1
    encoder.options = {"qmin": _JPEG_QUANTISER, "qmax": _JPEG_QUANTISER}
    return encoder


def _encoded(encoder: VideoCodecContext, frame: VideoFrame) -> list[bytes]:
    # The same samples under another name: for JPEG alone, they would be of full range.
    named = VideoFrame.from_ndarray(frame.to_ndarray(), "yuvj420p")
    named.time_base = Fraction(1, 25)
    return [bytes(packet) for packet in encoder.encode(named)]


def proxied(source: Source, proxy: Proxy) -> Source:
    """A source whose readers give proxies, where these are fine enough for what is needed."""
    return cast("Source", _Proxied(source, proxy))


@dataclass(frozen=True, eq=False)
class _Proxied:
    """Answers all as the source does, but for its readers."""

    _source: Source
    _proxy: Proxy

    def __getattr__(self, name: str) -> Any:
        return getattr(self._source, name)

    @property
    def is_quick(self) -> bool:
        """Each picture of a proxy is by itself."""
        return self._proxy.is_whole or self._source.is_quick

    def form_of_frames(self, needed: Size | None, *, fit: bool) -> object:
        """As `Source.form_of_frames`."""
        return self._proxy.size if self._serves(needed) else self._source.form_of_frames(needed, fit=fit)

    def reader(self, threads: int = 0, needed: Size | None = None, *, fit: bool = False) -> Reader:
        """As `Source.reader`."""
        if self._serves(needed):
            return ProxyReader(self._source, self._proxy, needed, fit=fit)
        return self._source.reader(threads, needed, fit=fit)

    def _serves(self, needed: Size | None) -> bool:
        width, height = self._source.facts.picture.lying(self._proxy.size)
        return (
            needed is not None
            and needed[0] <= width * _MOST_ENLARGEMENT
            and needed[1] <= height * _MOST_ENLARGEMENT
        )


class ProxyReader(UsualReader):
    """Gives proxies of numbered frames; where a part is not made yet, the frames themselves.

    Attributes:
        reduction: by how much frames are smaller than recorded.
    """

    def __init__(self, source: Source, proxy: Proxy, needed: Size | None, *, fit: bool) -> None:
        self._source, self._proxy = source, proxy
        self._needed, self._fit = needed, fit
        self._originals = source.originals
        picture = source.facts.picture
        self._colour = picture.colour
        self.reduction = max(1, picture.lying(picture.size)[1] // proxy.size[1])
        self._parts: OrderedDict[int, Part] = OrderedDict()
        self._original: Reader | None = None
        self._pool = ThreadPoolExecutor(usable_cores(), thread_name_prefix="proxies")
        note_used(proxy)

    @property
    def lost(self) -> set[int]:
        """Numbers of frames that could not be had where there is no proxy of them."""
        return self._original.lost if self._original is not None else set()

    def effort_to(self, number: int) -> int:
        """One picture, where there is a proxy."""
        recorded = int(self._recorded(np.array([number]))[0])
        if self._part(recorded // PART_FRAMES) is not None:
            return 1
        return self._read_original().effort_to(number)

    def frames(self, numbers: Iterable[int], check: Check = never) -> Iterator[tuple[int, VideoFrame]]:
        """Frames with their numbers, ascending. Raises FootageError as `frame`, and what ``check`` does.

        Looked at part by part, so that a part that is made meanwhile is read.
        """
        wanted = np.unique(np.fromiter(numbers, np.int64))
        parts = self._recorded(wanted) // PART_FRAMES
        for run in np.split(wanted, np.flatnonzero(np.diff(parts)) + 1) if len(wanted) else ():
            part = self._part(int(self._recorded(run[:1])[0]) // PART_FRAMES)
            if part is not None:
                yield from self._decoded(run, part, check)
            else:
                yield from self._read_original().frames(run, check)

    def _recorded(self, numbers: Frames) -> Frames:
        return self._originals.recorded(numbers)

    def _part(self, part: int) -> Part | None:
        """A part that is made, opened."""
        if part not in self._parts:
            found = opened_part(self._proxy.part(part))
            if found is None:
                return None
            self._parts[part] = found
            while len(self._parts) > _KEPT_PARTS:
                self._parts.popitem(last=False)
        return self._parts[part]

    def _decoded(self, run: Frames, part: Part, check: Check) -> Iterator[tuple[int, VideoFrame]]:
        """Decode on all cores, a few ahead; what cannot be decoded is had from the recording."""
        wanted, recorded = run.tolist(), self._recorded(run).tolist()
        waiting: OrderedDict[int, Future[VideoFrame | None]] = OrderedDict()
        most, place = 2 * usable_cores(), 0
        try:
            for number in wanted:
                check()
                while place < len(wanted) and len(waiting) < most:
                    packed = part.picture(recorded[place])
                    waiting[wanted[place]] = self._pool.submit(_unpacked, packed)
                    place += 1
                frame = waiting.pop(number).result()
                if frame is None:
                    yield from self._read_original().frames([number], check)
                else:
                    yield number, self._colour.tag(frame)
        finally:
            for future in waiting.values():
                future.cancel()

    def _read_original(self) -> Reader:
        if self._original is None:
            self._original = self._source.reader(0, self._needed, fit=self._fit)
        return self._original

    def close(self) -> None:
        """Stop decoding."""
        self._pool.shutdown(cancel_futures=True)
        if self._original is not None:
            self._original.close()


_decoders = threading.local()


def _unpacked(packed: bytes) -> VideoFrame | None:
    decoder = getattr(_decoders, "decoder", None)
    if decoder is None:
        decoder = _decoders.decoder = CodecContext.create("mjpeg", "r")
        decoder.thread_count = 1  # a picture comes out with its own packet
    try:
        (found,) = decoder.decode(Packet(packed))
    except (av.FFmpegError, ValueError):
        _decoders.decoder = None
        return None
    frame = VideoFrame.from_ndarray(found.to_ndarray(), "yuv420p")
    frame.time_base = _TIME_STEP
    return frame
