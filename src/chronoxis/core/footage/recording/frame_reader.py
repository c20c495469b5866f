"""Exact access to single recorded frames, decoding as little as the codec allows."""

from __future__ import annotations  # PyAV's packets are generic for type checkers only

from collections.abc import Iterable, Iterator
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
from av.packet import Packet
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.footage.recording.containers import open_container, packets_of, picture_stream
from chronoxis.core.footage.recording.frame_index import FrameIndex
from chronoxis.core.footage.usual import UsualReader
from chronoxis.core.model.export_format import Size
from chronoxis.core.timing.timecode import format_time

# Codecs whose decoders leave out frames that no other frame refers to when told so packet by packet.
_SKIPPING_CODECS = frozenset({"h264", "hevc", "mpeg4", "mpeg2video"})

# Packets worth decoding rather than emptying the decoder and starting again at the next key frame.
_WORTH_DECODING = 12
# Packets worth reading past rather than seeking.
_WORTH_READING = 150
# Packets after a frame's own that may be needed before it comes out.
_MOST_REORDERED = 16
# Threads of the decoder, each with a frame under way, at most.
_MOST_THREADS = 16
# Frames that one which can be decoded stands in for at most.
_MOST_HELD = 50
# How many key frames earlier decoding begins, one try after another.
_EARLIER_KEY_FRAMES = (0, 1, 3, 8)


class FrameReader(UsualReader):
    """Yields chosen frames of one recording, in order of display, each bit-exact.

    A frame that cannot be decoded is stood in for by the nearest one that can. After the last frame that
    was asked for the decoder stays as it is: what follows soon after costs no more than decoding on.
    Not safe for use by several threads at once. Close it, or use it in a ``with`` statement.

    Attributes:
        lost: numbers of the frames that were asked for and cannot be decoded.
        reduction: by how much frames are smaller than recorded: not at all.
    """

    reduction = 1

    def __init__(self, path: Path, index: FrameIndex, threads: int = 0, size: Size | None = None) -> None:
        """``threads`` decode; 0 is as many as the library likes. All are brought to ``size``.

        Raises:
            FootageError: the recording cannot be opened.
        """
        self._path = path
        self._threads = threads
        self._size = size
        self._index = index
        self.lost: set[int] = set()
        self._packets: Iterator[Packet[VideoStream]]
        self._open()
        self._skips = self._context.name in _SKIPPING_CODECS and index.stamped
        self._wanted = np.zeros(int(index.packets.max()) + 1, bool)  # by packet, for the run under way
        self._position: int | None = None  # of the packet that comes next; None before the first seek
        self._since: int | None = None  # the packet from which all were decoded; None once it was emptied
        self._whole_from = 0  # the packet from which none was left out since
        self._came = -1  # the last frame that came out since
        self._check: Check = never
        self._starts = np.array([splice.packet for splice in index.splices])
        self._repeated = set(index.stamps[1:][np.diff(index.stamps) == 0].tolist())
        self._again: dict[int, int] = {}  # how many frames of each repeated stamp came out since
        self._ended_at: int | None = None  # the packet that should have come next where the file ended early
        self._gone_from: int | None = None  # from this packet on, patience has found that there is nothing
        self._last: tuple[int, VideoFrame] | None = None  # the last frame before that

    def close(self) -> None:
        """Close the file."""
        self._opening.__exit__(None, None, None)

    def effort_to(self, number: int) -> int:
        """How many packets have to be decoded for a frame, as the decoder stands."""
        one = np.array([number])
        packet, key = int(self._index.packets[number]), int(self._index.key_packets_for(one)[0])
        if self._goes_on(one) and self._position is not None:
            return max(0, packet - self._position) + 1
        return packet - key + 1

    def frames(self, numbers: Iterable[int], check: Check = never) -> Iterator[tuple[int, VideoFrame]]:
        """Yield ``(number, frame)`` for ascending frame numbers.

        Raises:
            FootageError: no frame of the recording can be decoded there, or it can no longer be read.
            Cancelled: ``check``, called for each packet, raised it.
        """
        self._check = check
        runs = self._runs(np.unique(np.fromiter(numbers, np.int64)))
        for place, run in enumerate(runs, 1):
            for number, frame in self._decode_run(run, stays=place == len(runs)):
                yield number, self._even(frame)

    def _even(self, frame: VideoFrame) -> VideoFrame:
        """A frame of the size that all have: some files change it on the way."""
        if self._size is None or (frame.width, frame.height) == self._size:
            return frame
        return frame.reformat(width=self._size[0], height=self._size[1])

    def first_number(self) -> int | None:
        """Number of the first frame that comes out; None if none does."""
        self._go_to(0)
        last = int(self._index.packets.max())
        first = next(self._numbered(last, stays=False), None)
        self._position = None
        return None if first is None else first[0]

    def last_number(self, candidates: npt.NDArray[np.int64]) -> int:
        """Number of the last frame that comes out, if one of some at the end does; else -1."""
        index, last = self._index, -1
        self._wanted[:] = False
        self._wanted[index.packets[candidates]] = True
        self._go_to(int(index.key_packets_for(candidates[:1])[0]))
        for number, _ in self._numbered(int(index.packets.max()), stays=False):
            last = number
        self._position = None
        return last

    def _runs(self, wanted: npt.NDArray[np.int64]) -> list[npt.NDArray[np.int64]]:
        """Split at gaps where starting again at a later key frame is cheaper than decoding on."""
        if not len(wanted):
            return []
        reached = np.maximum.accumulate(self._index.packets[wanted])
        keys = self._index.key_packets_for(wanted)
        return np.split(wanted, np.flatnonzero(keys[1:] > reached[:-1] + _WORTH_DECODING) + 1)

    def _decode_run(self, run: npt.NDArray[np.int64], *, stays: bool) -> Iterator[tuple[int, VideoFrame]]:
        """Decode from the key frame of the run's first frame until its last frame came out."""
        index, goes_on = self._index, self._goes_on(run)
        same = np.searchsorted(index.stamps, index.stamps[run], "left")
        until = np.searchsorted(index.stamps, index.stamps[run], "right")
        self._wanted[:] = False
        self._wanted[index.packets[run]] = True
        for first, stop in {*zip(same.tolist(), until.tolist(), strict=True)} if self._index.stamped else ():
            self._wanted[index.packets[first:stop]] = True  # told apart by counting them
        if not goes_on:
            self._go_to(int(index.key_packets_for(run[:1])[0]))
        waiting = iter(run.tolist())
        awaited: int | None = next(waiting)
        last = int(index.packets[run].max()) if index.stamped else int(index.packets.max())
        for number, frame in self._numbered(last, stays=stays and index.stamped):
            while awaited is not None and awaited < number:
                yield self._stand_in(awaited, frame)
                awaited = next(waiting, None)
            if awaited == number:
                yield number, frame
                awaited = next(waiting, None)
            if awaited is None:
                return
        self._position = None
        while awaited is not None:
            yield self._stand_in(awaited, None)
            awaited = next(waiting, None)

    def _goes_on(self, run: npt.NDArray[np.int64]) -> bool:
        """Whether the decoder holds, or is about to be fed, all that the frames of a run hang on.

        Of frames that were fed already, those still come out that nothing was left out of since.
        """
        index, position, since = self._index, self._position, self._since
        if position is None or since is None or not index.stamped:
            return False
        key, packets = int(index.key_packets_for(run[:1])[0]), index.packets[run]
        within = since <= key <= position + _WORTH_DECODING
        return bool(within and run[0] > self._came and packets.min() >= self._whole_from)

    def _stand_in(self, number: int, after: VideoFrame | None) -> tuple[int, VideoFrame]:
        """A frame that did not come out in passing: decoded with patience, or the nearest one there is.

        What is marked as a place to begin may not be one: a stream that refreshes its picture bit by bit
        is whole only some frames later. So decoding begins earlier and earlier.
        """
        if self._gone_from is not None and self._index.packets[number] >= self._gone_from:
            found = self._last
        else:
            with FrameReader(self._path, self._index, self._threads) as patient:
                patient._check = self._check
                found = patient._patiently(number)
            if patient._ended_at is not None:  # of damage, some packets may have been passed unseen
                self._gone_from, self._last = patient._ended_at + _MOST_REORDERED, found
        frame = found[1] if found is not None else after
        if found is not None and found[0] < number - _MOST_HELD:
            frame = None  # so much is lost that nothing stands in for it
        if frame is None:
            raise FootageError(
                f"{self._path.name} cannot be decoded at {format_time(self._index.edges[number], 2)} "
                f"(frame {number}); the file is damaged there. Choose a stretch that leaves it out."
            )
        if found is None or found[0] != number:
            self.lost.add(number)
        return number, frame

    def _patiently(self, number: int) -> tuple[int, VideoFrame] | None:
        """The frame, or the last one before it that can be decoded, with its number."""
        index, best = self._index, None
        self._skips = False
        place = int(np.searchsorted(index.key_packets, index.key_packets_for(np.array([number]))[0]))
        last = int(index.packets[: number + 1].max()) if index.stamped else int(index.packets.max())
        for back in [back for back in _EARLIER_KEY_FRAMES if back <= place]:
            self._go_to(int(index.key_packets[place - back]))
            for other, frame in self._numbered(
                min(last + _MOST_REORDERED, int(index.packets.max())), stays=False
            ):
                if other == number:
                    return other, frame
                if other < number and (best is None or other > best[0]):
                    best = other, frame
                if other > number:
                    break
            self._position = None
            if best is not None and self._ended_at is not None:
                break  # begun earlier, it would end there again
        return best

    def _numbered(self, last_packet: int, *, stays: bool) -> Iterator[tuple[int, VideoFrame]]:
        """Frames with their numbers, ascending; without what comes out of its turn or is unknown."""
        counted = 0
        for together in self._feed(last_packet, stays=stays):
            found: list[tuple[int, VideoFrame]] = []
            for frame in together:
                number = self._number(frame, counted)
                counted += 1
                # A corrupt one refers to pictures that were not decoded; begun earlier, it may be whole.
                if not frame.is_corrupt and number is not None and number > self._came:
                    self._came = number
                    found.append((number, frame))
            yield from found

    def _feed(self, last_packet: int, *, stays: bool) -> Iterator[list[VideoFrame]]:
        """Feed packets up to the last one wanted and give what comes out; then empty the decoder.

        If it ``stays``, it is fed a little further instead, until whoever takes the frames has enough.
        """
        until = (
            min(last_packet + _MOST_REORDERED + _MOST_THREADS, len(self._wanted) - 1)
            if stays
            else last_packet
        )
        while self._position is not None and self._position <= until:
            self._check()
            packet = self._next_packet()
            if packet is None:
                self._ended_at = self._position
                break
            if self._skips:
                whole = self._wanted[self._position] or self._position > last_packet
                self._context.skip_frame = "DEFAULT" if whole else "NONREF"
                if not whole:
                    self._whole_from = self._position + 1
            offset = self._index.splices[
                int(np.searchsorted(self._starts, self._position, "right")) - 1
            ].offset
            if offset:
                packet.pts = None if packet.pts is None else packet.pts + offset
                packet.dts = None if packet.dts is None else packet.dts + offset
            self._position += 1
            yield self._decoded(packet)
        self._since = None
        yield self._decoded(None)

    def _decoded(self, packet: Packet[VideoStream] | None) -> list[VideoFrame]:
        try:
            return self._context.decode(packet)
        except av.error.EOFError:
            return []
        except av.error.InvalidDataError:
            return []  # the frame is lost; whoever waits for it says so
        except (av.FFmpegError, OSError) as error:
            raise FootageError(f"{self._path.name} can no longer be read: {error.strerror}.") from error

    def _next_packet(self) -> Packet[VideoStream] | None:
        try:
            for packet in self._packets:
                if packet.size:
                    return packet
        except (av.FFmpegError, OSError) as error:
            raise FootageError(f"{self._path.name} can no longer be read: {error.strerror}.") from error
        return None

    def _go_to(self, key_packet: int) -> None:
        """Stand before a key frame's packet with an empty decoder."""
        here = self._position
        self._context.flush_buffers()
        self._again.clear()
        self._since, self._whole_from, self._came = key_packet, key_packet, -1
        if here is None or not here <= key_packet <= here + _WORTH_READING:
            here = self._seek(key_packet)
        while here < key_packet:
            if self._next_packet() is None:
                break
            here += 1
        self._position = here

    def _seek(self, key_packet: int) -> int:
        """Seek at or before a key frame's packet and return the position of the packet that comes next."""
        self._position = None  # until it is found, in case it cannot be
        index = self._index
        self._packets = packets_of(self._container, self._stream)
        place = int(np.searchsorted(index.key_packets, key_packet))
        if index.stamped and place > 0 and len(index.splices) == 1:  # else a stamp may be found twice
            stamp = int(index.key_stamps[place])
            self._container.seek(stamp, stream=self._stream, backward=True)
            landed = self._next_packet()
            while landed is not None and not landed.is_keyframe:
                landed = self._next_packet()
            found = [] if landed is None else np.flatnonzero(index.key_stamps == landed.pts).tolist()
            if landed is not None and len(found) == 1 and found[0] <= place:
                self._packets = _chain(landed, self._packets)
                return int(index.key_packets[found[0]])
        self._rewind()
        return 0

    def _rewind(self) -> None:
        """Open the file afresh: what seeking cannot reach, reading from the start can."""
        before = self._opening
        self._open()  # if the file is gone, what was open stays so, and the next call tries again
        before.__exit__(None, None, None)

    def _open(self) -> None:
        opening = open_container(self._path)
        self._container = opening.__enter__()
        self._opening = opening
        self._stream = picture_stream(self._container, self._path, self._threads)
        self._context: VideoCodecContext = self._stream.codec_context
        self._packets = packets_of(self._container, self._stream)

    def _number(self, frame: VideoFrame, counted: int) -> int | None:
        if not self._index.stamped:
            return counted
        if frame.pts is None:
            return None
        stamps = self._index.stamps
        place = int(np.searchsorted(stamps, frame.pts)) + self._again.get(frame.pts, 0)
        if place >= len(stamps) or stamps[place] != frame.pts:
            return None
        if frame.pts in self._repeated:
            self._again[frame.pts] = self._again.get(frame.pts, 0) + 1
        return place


def _chain(first: Packet[VideoStream], rest: Iterator[Packet[VideoStream]]) -> Iterator[Packet[VideoStream]]:
    yield first
    yield from rest
