"""When each recorded frame is on display, read from the file's own time stamps without decoding."""

from __future__ import annotations  # PyAV's packets are generic for type checkers only

from array import array
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import islice
from pathlib import Path
from typing import Any, NamedTuple

import av
import numpy as np
import numpy.typing as npt
from av.container import InputContainer
from av.video.stream import VideoStream

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.own_process import Told
from chronoxis.core.footage.recording.containers import open_container, packets_of, picture_stream
from chronoxis.core.footage.recording.refresh import begins_cleanly, length_size_of
from chronoxis.core.footage.source import Progress

_TRIED_FRAMES = 48  # frames that are decoded to see in which order they come out
_REPORT_EVERY = 2000
_USUAL_RATE = Fraction(25)
_FINEST_RATE = 10_000_000  # denominator: hours later, a step still counts whole frames
_CLOCK_RESET = Fraction(1, 2)  # seconds by which the clock must run back for a new file to begin there
_LEAST_JUMP = 10  # seconds by which it must jump ahead
# Files that are made to be joined end to end, each part with a clock of its own.
_JOINED_FORMATS = ("mpegts", "mpeg")


_NO_STAMP = np.iinfo(np.int64).min
_FRACTIONS = ("time_base", "rate", "length")
_SWITCHES = ("variable", "stamped")
_COLUMNS: dict[str, type[np.generic]] = {
    "stamps": np.int64,
    "edges": np.float64,
    "packets": np.int64,
    "sizes": np.int64,
    "key_packets": np.int64,
    "key_stamps": np.int64,
    "clean_stamps": np.int64,
}


class Packets(NamedTuple):
    """What is kept of all packets of a stream, in the file's order; each column of shape (packets,).

    Attributes:
        stamps: int64; presentation stamps on a clock that runs on through joined files, or `_NO_STAMP`.
        ticks: int64; how long each lasts, 0 where the file does not say.
        keys: whether decoding can begin there.
        hidden: whether what comes of it is not shown.
        sizes: int64; bytes.
        clean: whether pictures are whole at once where decoding begins there.
    """

    stamps: npt.NDArray[np.int64]
    ticks: npt.NDArray[np.int64]
    keys: npt.NDArray[np.bool_]
    hidden: npt.NDArray[np.bool_]
    sizes: npt.NDArray[np.int64]
    clean: npt.NDArray[np.bool_]

    @property
    def are_stamped(self) -> bool:
        """Whether the file says of each when it is shown."""
        return bool((self.stamps != _NO_STAMP).all())


class Splice(NamedTuple):
    """Where a clock begins anew: from which packet on, and how many ticks are added from there."""

    packet: int
    offset: int


@dataclass(frozen=True, eq=False)
class FrameIndex:
    """The frames of a recording in order of display.

    Frame 0 begins at recorded time 0, whatever its stamp in the file.

    Attributes:
        stamps: int64, shape (n,); presentation stamps in ticks of ``time_base``, ascending.
        time_base: seconds per tick.
        edges: float64, shape (n + 1,); frame i is on display over ``edges[i]:edges[i + 1]`` seconds.
        packets: int64, shape (n,); position of each frame's packet in the file, counted from 0.
        sizes: int64, shape (n,); bytes of each frame's packet.
        key_packets: int64; positions of the packets where decoding can begin, ascending.
        key_stamps: int64; their presentation stamps.
        clean_stamps: int64; from which stamps on pictures are whole when decoding begins there.
        rate: frames per second; the average, where the rate varies.
        variable: whether frames follow each other at uneven intervals.
        stamped: whether the file says when each frame is shown; without stamps frames are told apart
            by counting from the beginning, and edges follow from the declared rate.
        length: recorded seconds.
        splices: where files were joined, first of all the beginning; their clocks run on here.
        left_out: frames at the beginning and at the end that cannot be decoded and are not counted.
    """

    stamps: npt.NDArray[np.int64]
    time_base: Fraction
    edges: npt.NDArray[np.float64]
    packets: npt.NDArray[np.int64]
    sizes: npt.NDArray[np.int64]
    key_packets: npt.NDArray[np.int64]
    key_stamps: npt.NDArray[np.int64]
    clean_stamps: npt.NDArray[np.int64]
    rate: Fraction
    variable: bool
    stamped: bool
    length: Fraction
    splices: tuple[Splice, ...] = (Splice(0, 0),)
    left_out: tuple[int, int] = (0, 0)

    def __len__(self) -> int:
        return len(self.stamps)

    def told(self) -> Told:
        """All of it in numbers, to be read back by `of_told`."""
        values = {
            "fractions": {name: str(getattr(self, name)) for name in _FRACTIONS},
            "switches": {name: getattr(self, name) for name in _SWITCHES},
            "splices": [list(splice) for splice in self.splices],
            "left_out": list(self.left_out),
        }
        return Told(values, {name: getattr(self, name) for name in _COLUMNS})

    @classmethod
    def of_told(cls, told: Told) -> FrameIndex:
        """The index that said so. Raises ValueError, LookupError, TypeError if it was none."""
        values, columns = told
        head, tail = values["left_out"]
        fields: dict[str, Any] = {
            **{name: np.asarray(columns[name], kind) for name, kind in _COLUMNS.items()},
            **{name: Fraction(values["fractions"][name]) for name in _FRACTIONS},
            **{name: bool(values["switches"][name]) for name in _SWITCHES},
        }
        splices = tuple(Splice(int(packet), int(offset)) for packet, offset in values["splices"])
        return cls(**fields, splices=splices, left_out=(int(head), int(tail)))

    @property
    def start(self) -> Fraction:
        """Recorded time 0 on the file's own clock, in seconds."""
        return int(self.stamps[0]) * self.time_base

    def frame_at(self, seconds: float) -> int:
        """Number of the frame on display; the first or last one outside the recording."""
        return int(np.clip(np.searchsorted(self.edges, seconds + 1e-6, "right") - 1, 0, len(self) - 1))

    def without_ends(self, head: int, tail: int) -> FrameIndex:
        """The index without so many frames at the beginning and at the end, which are said to be left out."""
        if not (head or tail):
            return self
        kept = slice(head, len(self) - tail)
        stamps = self.stamps[kept]
        lasting = self.edges[len(self) - tail] - self.edges[len(self) - tail - 1]
        ticks = max(1, round(lasting / float(self.time_base)))
        rate, variable, edges, length = _display(stamps, ticks, self.time_base, [self.rate])
        return replace(
            self,
            stamps=stamps,
            packets=self.packets[kept],
            sizes=self.sizes[kept],
            edges=edges,
            rate=rate,
            variable=variable,
            length=length,
            left_out=(head, tail),
        )

    def key_packets_for(self, frames: npt.NDArray[np.int64]) -> npt.NDArray[np.int64]:
        """Positions of the packets from which decoding yields these frames."""
        if not self.stamped:
            return np.zeros_like(frames)
        places = np.searchsorted(self.clean_stamps, self.stamps[frames], "right") - 1
        return self.key_packets[np.maximum(places, 0)]


def build_index(path: Path, progress: Progress | None = None) -> FrameIndex:
    """Read all packets' stamps of a recording; nothing is decoded.

    Raises:
        FootageError: the file cannot be read or holds no frame.
        Cancelled: ``progress`` raised it.
    """
    with open_container(path) as container:
        stream = picture_stream(container, path)
        packets, splices = _read_packets(container, stream, path, progress)
        if packets.hidden.all():
            raise FootageError(f"{path.name} holds no frames; the recording may have been cut off at once.")
        if _is_in_decoding_order(packets, stream) and comes_out_in_another_order(path):
            return _counted(packets, stream)
        return _index_of(packets, tuple(splices), stream)


def _read_packets(
    container: InputContainer, stream: VideoStream, path: Path, progress: Progress | None
) -> tuple[Packets, list[Splice]]:
    """Read on to the end. One flat row of numbers for each packet: hours of footage have a million."""
    size = max(path.stat().st_size, 1)
    context = stream.codec_context
    lengths = length_size_of(context.extradata) if context.name == "h264" else None
    clock = _Clock(Fraction(stream.time_base or 1), joined=container.format.name in _JOINED_FORMATS)
    rows, count = array("q"), 0
    try:
        for packet in packets_of(container, stream):
            bytes_ = packet.size
            if not bytes_:
                continue  # the mark at the end
            ticks, stamp, key = packet.duration or 0, packet.pts, packet.is_keyframe
            offset = clock.offset_at(count, packet.dts, ticks)
            # Key frames of other codecs are always clean.
            clean = not key or lengths is None or begins_cleanly(bytes(packet), lengths)
            shown_at = _NO_STAMP if stamp is None else stamp + offset
            rows.extend((shown_at, ticks, key, packet.is_discard, bytes_, clean))
            count += 1
            if progress and count % _REPORT_EVERY == 0:
                progress(min(1.0, (packet.pos or 0) / size))
    except av.FFmpegError as error:
        if not count:
            raise FootageError(f"{path.name} cannot be read: {error.strerror}.") from error
    stamps, ticks_, keys, hidden, sizes, clean_ = np.array(rows, np.int64).reshape(-1, 6).T.copy()
    found = Packets(stamps, ticks_, keys.astype(bool), hidden.astype(bool), sizes, clean_.astype(bool))
    return found, clock.splices


class _Clock:
    """Follows the decoding stamps of packets through files that were joined end to end."""

    def __init__(self, time_base: Fraction, *, joined: bool) -> None:
        self.splices = [Splice(0, 0)]
        self._joined = joined
        self._back, self._ahead = int(_CLOCK_RESET / time_base), int(_LEAST_JUMP / time_base)
        self._before: int | None = None  # the stamp of the packet before, as the file has it
        self._step = 0

    def offset_at(self, packet: int, stamp: int | None, ticks: int) -> int:
        """What is to be added to the stamps of a packet, by its number and its decoding stamp."""
        offset = self.splices[-1].offset
        if stamp is None:
            return offset
        if self._before is not None:
            step = stamp - self._before
            if step < -self._back or (self._joined and step > self._ahead):
                offset += self._before + self._step - stamp
                self.splices.append(Splice(packet, offset))
            elif step > 0:
                self._step = ticks or step
        self._before = stamp
        return offset


def _index_of(packets: Packets, splices: tuple[Splice, ...], stream: VideoStream) -> FrameIndex:
    """The index of the packets of a stream, of which at least one is shown."""
    time_base = Fraction(stream.time_base or 1)
    if not packets.are_stamped:
        return _unstamped(stream, time_base, packets.sizes)
    stamps, shown, keys = packets.stamps, ~packets.hidden, packets.keys.copy()
    keys[0] = True
    positions = np.arange(len(stamps))
    order = positions[shown][np.argsort(stamps[shown], kind="stable")]
    ordered = stamps[order]
    last_ticks = int(packets.ticks[order[-1]])
    rate, variable, edges, length = _display(ordered, last_ticks, time_base, _declared_rates(stream))
    return FrameIndex(
        stamps=ordered,
        time_base=time_base,
        edges=edges,
        packets=order,
        sizes=packets.sizes[order],
        key_packets=positions[keys],
        key_stamps=np.maximum.accumulate(stamps[keys]),
        clean_stamps=_clean_from(stamps[keys], packets.clean[keys]),
        rate=rate,
        variable=variable,
        stamped=True,
        length=length,
        splices=splices,
    )


def _clean_from(stamps: npt.NDArray[np.int64], clean: npt.NDArray[np.bool_]) -> npt.NDArray[np.int64]:
    """From which stamps on pictures are whole when decoding begins at each key frame.

    Where one only begins to be refreshed, that is at the next one: by then the refresh is over.
    """
    later = np.append(stamps[1:], np.iinfo(np.int64).max)
    from_there = np.where(clean, stamps, later)
    from_there[0] = stamps[0]
    return np.asarray(np.maximum.accumulate(from_there), np.int64)


def _is_in_decoding_order(packets: Packets, stream: VideoStream) -> bool:
    """Whether stamps rise from packet to packet although frames may be shown in another order.

    Some programs write the stamps at which packets are decoded in place of those at which frames are shown.
    """
    rising = packets.are_stamped and bool((np.diff(packets.stamps) > 0).all())
    return rising and bool(stream.codec_context.has_b_frames)


def comes_out_in_another_order(path: Path) -> bool:
    """Whether the decoder gives frames out whose stamps fall, at the beginning or in the middle of a file.

    Raises:
        FootageError: it cannot be opened.
    """
    with open_container(path) as container:
        stream = picture_stream(container, path, 1)
        for share in (0.0, 0.5):
            if share and (not stream.duration or not _went_to(container, stream, share)):
                break
            before: int | None = None
            with suppress(av.FFmpegError):
                for frame in islice(container.decode(stream), _TRIED_FRAMES):
                    if frame.pts is not None and before is not None and frame.pts < before:
                        return True
                    before = frame.pts if frame.pts is not None else before
    return False


def _went_to(container: InputContainer, stream: VideoStream, share: float) -> bool:
    try:
        container.seek(int((stream.start_time or 0) + share * (stream.duration or 0)), stream=stream)
    except (av.FFmpegError, OSError):
        return False
    return True


def _counted(packets: Packets, stream: VideoStream) -> FrameIndex:
    """The index of a stream whose frames are told apart by counting; when they are shown, its stamps say."""
    time_base = Fraction(stream.time_base or 1)
    shown = ~packets.hidden
    plain = _unstamped(stream, time_base, packets.sizes[shown])
    stamps, last_ticks = packets.stamps[shown], int(packets.ticks[shown][-1])
    rate, variable, edges, length = _display(stamps, last_ticks, time_base, _declared_rates(stream))
    places = plain.packets + len(shown) - len(stamps)  # the last one is read for the last frame
    return replace(
        plain, stamps=stamps, packets=places, rate=rate, variable=variable, edges=edges, length=length
    )


def _display(
    stamps: npt.NDArray[np.int64], last_ticks: int, time_base: Fraction, declared: Sequence[Fraction]
) -> tuple[Fraction, bool, npt.NDArray[np.float64], Fraction]:
    """Rate, whether it varies, edges and length.

    Files round stamps to their tick: 29.97 fps in milliseconds reads 0, 33, 67, 100. Where every stamp
    lies within a tick of one steady rate, the edges are that rate's own, so that every Nth frame is
    exactly every Nth frame.
    """
    count = len(stamps)
    ticks = stamps - stamps[0]
    for rate in _steady_rates(ticks, time_base, declared):
        ideal = np.arange(count) * (
            rate.denominator * time_base.denominator / (rate.numerator * time_base.numerator)
        )
        if np.abs(ticks - ideal).max() <= 1.0:
            edges = np.arange(count + 1) * rate.denominator / rate.numerator
            return rate, False, edges, count / rate
    steps = np.diff(ticks)
    last = last_ticks or int(np.median(steps[steps > 0])) if steps.any() else last_ticks or 1
    total = int(ticks[-1]) + last
    edges = np.append(ticks, total) * float(time_base)
    length = total * time_base
    return (count / length).limit_denominator(_FINEST_RATE), True, edges, length


def _declared_rates(stream: VideoStream) -> list[Fraction]:
    return [rate for rate in (stream.guessed_rate, stream.average_rate, stream.base_rate) if rate]


def _steady_rates(
    ticks: npt.NDArray[np.int64], time_base: Fraction, declared: Sequence[Fraction]
) -> list[Fraction]:
    declared = list(declared)
    if len(ticks) > 1 and ticks[-1] > 0:
        mean = (len(ticks) - 1) / (int(ticks[-1]) * time_base)
        declared += [Fraction(round(mean * 1001 / 1000) * 1000, 1001), Fraction(round(mean)), mean]
    return [rate for rate in dict.fromkeys(declared) if 0 < rate <= 1000] or [_USUAL_RATE]


def _unstamped(stream: VideoStream, time_base: Fraction, sizes: npt.NDArray[np.int64]) -> FrameIndex:
    count = len(sizes)
    rate = Fraction(stream.guessed_rate or stream.average_rate or _USUAL_RATE)
    numbers = np.arange(count, dtype=np.int64)
    return FrameIndex(
        stamps=numbers,
        time_base=time_base,
        edges=np.arange(count + 1) * rate.denominator / rate.numerator,
        packets=numbers,
        sizes=sizes,
        key_packets=numbers[:1],
        key_stamps=numbers[:1],
        clean_stamps=numbers[:1],
        rate=rate,
        variable=False,
        stamped=False,
        length=count / rate,
    )
