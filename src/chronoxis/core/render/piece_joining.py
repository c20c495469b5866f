"""Putting pieces together: their packets are copied, in order, with the sound between them."""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path
from typing import TypeAlias

import av
from av.audio.stream import AudioStream
from av.container.input import InputContainer
from av.container.output import OutputContainer
from av.packet import Packet
from av.video.stream import VideoStream

from chronoxis.core.errors import ExportError
from chronoxis.core.footage.prefetch import Check, never
from chronoxis.core.render.matroska_aspect import write_pixel_aspect
from chronoxis.core.render.pieces import Piece
from chronoxis.core.render.writing import Writing

Pictures: TypeAlias = "Packet[VideoStream]"
Sounds: TypeAlias = "Packet[AudioStream]"


def join_pieces(
    parts: Sequence[tuple[Piece, Path]],
    sound: Path | None,
    writing: Writing,
    path: Path,
    check: Check = never,
) -> None:
    """Write one file out of pieces, whose frames keep their coding, and sound that was made beside them.

    Args:
        parts: all pieces of a result, in order, and where each lies.
        sound: where the sound lies; None if there is none.
        writing: how they were written.
        path: the file.
        check: called for each packet; it may raise `Cancelled`.

    Raises:
        ExportError: pieces do not go together.
        av.FFmpegError, OSError: the file cannot be written, or a piece cannot be read.
    """
    options = dict(writing.format.muxer_options)
    with ExitStack() as stack:
        container = stack.enter_context(
            av.open(f"file:{path}", "w", format=writing.format.muxer, options=options)
        )
        heard = stack.enter_context(av.open(f"file:{sound}")) if sound is not None else None
        container.metadata.update(writing.metadata)
        pictures = _pictures(container, parts, writing.rate)
        waiting, track = None, None
        first = next(pictures)  # with it, the stream of pictures is there
        if heard is not None:
            track = container.add_stream_from_template(heard.streams.audio[0], opaque=True)
            sounds = _sounds(heard, track)
            waiting = next(sounds, None)
        for packet in _before(first, pictures):
            check()
            while waiting is not None and _seconds(waiting) <= _seconds(packet):
                container.mux(waiting)
                waiting = next(sounds, None)
            container.mux(packet)
        while waiting is not None:
            container.mux(waiting)
            waiting = next(sounds, None)
    if writing.pixel_aspect != 1 and writing.format.muxer == "matroska":
        write_pixel_aspect(path, writing.pixel_aspect)


def _before(first: Pictures, others: Iterator[Pictures]) -> Iterator[Pictures]:
    yield first
    yield from others


def _seconds(packet: "Pictures | Sounds") -> Fraction:
    stamp, tick = packet.dts if packet.dts is not None else packet.pts, packet.time_base
    assert stamp is not None and tick is not None
    return stamp * tick


def _pictures(
    container: OutputContainer, parts: Sequence[tuple[Piece, Path]], rate: Fraction
) -> Iterator[Pictures]:
    """The packets of all pieces, each at its place in the whole. Files tell times more or less finely."""
    stream: VideoStream | None = None
    set_up: bytes | None = None
    for piece, path in parts:
        with av.open(f"file:{path}") as opened:
            own = opened.streams.video[0]
            if stream is None:
                stream = container.add_stream_from_template(own, opaque=True)
                stream.time_base, set_up = 1 / rate, own.codec_context.extradata
                if own.codec_context.codec_tag.strip("\0"):  # which is not copied with the rest
                    stream.codec_context.codec_tag = own.codec_context.codec_tag
            if own.codec_context.extradata != set_up:
                raise ExportError(f"{path.name} was coded in another way than the pieces before it.")
            count = 0
            for packet in opened.demux(own):
                if packet.pts is None or packet.time_base is None:
                    continue  # the library's sign that the file is at its end
                scale = packet.time_base * rate
                decoded = packet.pts if packet.dts is None else packet.dts
                packet.pts = round(packet.pts * scale) + piece.start
                packet.dts = round(decoded * scale) + piece.start
                packet.duration, packet.time_base, packet.stream = 1, 1 / rate, stream
                count += 1
                yield packet
            if count != len(piece):
                raise ExportError(f"{path.name} holds {count} frames instead of {len(piece)}.")


def _sounds(opened: InputContainer, track: AudioStream) -> Iterator[Sounds]:
    for packet in opened.demux(opened.streams.audio[0]):
        if packet.pts is not None:
            packet.stream = track
            yield packet
