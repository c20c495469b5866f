"""Exact access to single recorded frames, decoding as little as the codec allows."""

from __future__ import annotations  # PyAV's packets are generic for type checkers only

from collections.abc import Iterable, Iterator
from pathlib import Path
from types import TracebackType
from typing import Self

import av
import numpy as np
import numpy.typing as npt
from av.packet import Packet
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.recording.containers import open_container, packets_of, picture_stream
from chronoxis.core.footage.recording.frame_index import FrameIndex
from chronoxis.core.timing.timecode import format_time

# Codecs whose decoders leave out frames that no other frame refers to when told so packet by packet.
_SKIPPING_CODECS = frozenset({"h264", "hevc", "mpeg4", "mpeg2video"})

# Packets worth decoding rather than emptying the decoder and starting again at the next key frame.
_WORTH_DECODING = 12
# Packets worth reading past rather than seeking.
_WORTH_READING = 150


class FrameReader:
    """Yields chosen frames of one recording, in order of display, each bit-exact.

    Not safe for use by several threads at once. Close it, or use it in a ``with`` statement.
    """

    def __init__(self, path: Path, index: FrameIndex, threads: int = 0) -> None:
        """``threads`` decode; 0 is as many as the library likes.

        Raises:
            FootageError: the recording cannot be opened.
        """
        self._path = path
        self._threads = threads
        self._index = index
        self._packets: Iterator[Packet[VideoStream]]
        self._open()
        self._skips = self._context.name in _SKIPPING_CODECS and index.stamped
        self._wanted = np.zeros(int(index.packets.max()) + 1, bool)  # by packet, for the run under way
        self._position: int | None = None  # of the packet that comes next; None before the first seek

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close the file."""
        self._opening.__exit__(None, None, None)

    def frame(self, number: int) -> VideoFrame:
        """One frame by its number. Raises FootageError if it cannot be decoded."""
        return next(self.frames([number]))[1]

    def frames(self, numbers: Iterable[int]) -> Iterator[tuple[int, VideoFrame]]:
        """Yield ``(number, frame)`` for ascending frame numbers.

        Raises:
            FootageError: a frame that the file's index lists cannot be decoded.
        """
        wanted = np.unique(np.fromiter(numbers, np.int64))
        for run in self._runs(wanted):
            yield from self._decode_run(run)

    def _runs(self, wanted: npt.NDArray[np.int64]) -> list[npt.NDArray[np.int64]]:
        """Split at gaps where starting again at a later key frame is cheaper than decoding on."""
        if not len(wanted):
            return []
        reached = np.maximum.accumulate(self._index.packets[wanted])
        keys = self._index.key_packets_for(wanted)
        return np.split(wanted, np.flatnonzero(keys[1:] > reached[:-1] + _WORTH_DECODING) + 1)

    def _decode_run(self, run: npt.NDArray[np.int64]) -> Iterator[tuple[int, VideoFrame]]:
        """Decode from the key frame of the run's first frame until its last frame came out."""
        wanted = iter(run)
        awaited: int | None = int(next(wanted))
        packets = self._index.packets[run]
        self._wanted[:] = False
        self._wanted[packets] = True
        self._go_to(int(self._index.key_packets_for(run[:1])[0]))
        counted = 0
        for frame in self._feed(int(packets.max())):
            number = self._number(frame, counted)
            counted += 1
            if number is None or number < (awaited or 0):
                continue
            if number != awaited:
                break
            yield number, frame
            awaited = next(wanted, None)
            if awaited is None:
                return
        self._position = None
        raise FootageError(
            f"{self._path.name} cannot be decoded at {format_time(self._index.edges[awaited or 0], 2)} "
            f"(frame {awaited}); the file is damaged there. Choose a stretch that leaves it out."
        )

    def _feed(self, last_packet: int) -> Iterator[VideoFrame]:
        """Feed packets up to the last one wanted, then empty the decoder."""
        while self._position is not None and self._position <= last_packet:
            packet = self._next_packet()
            if packet is None:
                break
            if self._skips:
                self._context.skip_frame = "DEFAULT" if self._wanted[self._position] else "NONREF"
            self._position += 1
            yield from self._decoded(packet)
        yield from self._decoded(None)

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
        if index.stamped and place > 0:
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
        place = int(np.searchsorted(self._index.stamps, frame.pts))
        if place < len(self._index) and self._index.stamps[place] == frame.pts:
            return place
        return None


def _chain(first: Packet[VideoStream], rest: Iterator[Packet[VideoStream]]) -> Iterator[Packet[VideoStream]]:
    yield first
    yield from rest
