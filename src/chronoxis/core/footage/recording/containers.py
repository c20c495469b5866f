"""Opening media files, with errors that say what is wrong with which file."""

from __future__ import annotations  # PyAV's packets are generic for type checkers only

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from functools import cache
from pathlib import Path

import av
from av.container import InputContainer
from av.format import ContainerFormat
from av.packet import Packet
from av.stream import Disposition
from av.video.stream import VideoStream

from chronoxis.core.errors import FootageError

_MOST_STREAMS = 1000  # as many as FFmpeg tells apart
_STILL_DEMUXERS = ("image2", "_pipe")
# Playlists, scripts of other inputs, devices, streams from elsewhere, and text that is drawn as a picture.
_LISTS = ("concat", "concatf", "dash", "hls", "imf", "webm_dash_manifest")
_SCRIPTS = ("avisynth", "ffmetadata", "lavfi", "sbg", "sdp", "vapoursynth")
_DEVICES = ("alsa", "fbdev", "kmsgrab", "oss", "pulse", "video4linux2,v4l2", "x11grab")
_ELSEWHERE = ("live_flv", "rtp", "rtsp", "sap")
_DRAWN_TEXT = ("adf", "bin", "idf", "tty", "xbin")
_REFERRING = frozenset((*_LISTS, *_SCRIPTS, *_DEVICES, *_ELSEWHERE, *_DRAWN_TEXT))


@cache
def _self_contained() -> str:
    """Formats of files that hold all that belongs to them, as the library wants them listed."""
    names = set()
    for name in av.formats_available:
        with suppress(ValueError):  # it can be written only
            names.add(ContainerFormat(name, "r").name)
    return ",".join(sorted(names - _REFERRING))


@contextmanager
def open_container(path: Path) -> Iterator[InputContainer]:
    """Open a media file for reading and close it afterwards.

    Raises:
        FootageError: the file is missing, empty, no media file, or a single still photo.
    """
    try:
        if path.stat().st_size == 0:
            raise FootageError(f"{path.name} is empty (0 bytes); copy it again from the camera.")
        # A colon is no protocol, and what is in the file opens no other.
        only_this = {"protocol_whitelist": "file", "format_whitelist": _self_contained()}
        container = av.open(f"file:{path}", metadata_errors="replace", container_options=only_this)
    except FileNotFoundError:
        raise FootageError(
            f"{path} is not there; check the path, or find where the file was moved."
        ) from None
    except IsADirectoryError:
        raise FootageError(f"{path} is a folder; choose a recording inside it.") from None
    except PermissionError:
        raise FootageError(f"{path} may not be read; change its permissions or copy it elsewhere.") from None
    except (av.FFmpegError, OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or "it has no such name"
        raise FootageError(
            f"{path.name} is not a recording that can be read ({reason}); "
            "it may be cut off or of another kind than its name says."
        ) from error
    with container:
        if any(mark in container.format.name for mark in _STILL_DEMUXERS):
            raise FootageError(f"{path.name} is a still photo, not a recording; choose a video file.")
        yield container


def picture_stream(container: InputContainer, path: Path, threads: int = 0) -> VideoStream:
    """The main video stream, set to decode on several threads; 0 leaves their number to the library.

    Raises:
        FootageError: the file has no moving picture, or no decoder here reads it.
    """
    for stream in container.streams.video:
        if stream.disposition & Disposition.attached_pic:
            continue
        try:
            stream.thread_type = "AUTO"
            stream.thread_count = threads
        except AttributeError:
            raise FootageError(f"{path.name} holds a kind of video that cannot be decoded here.") from None
        return stream
    has_sound = bool(container.streams.audio)
    holds = "has sound but no picture" if has_sound else "has no picture"
    raise FootageError(f"{path.name} {holds}; choose a recording with video in it.")


def packets_of(container: InputContainer, stream: VideoStream) -> Iterator[Packet[VideoStream]]:
    """The stream's packets from here on, and an empty one at the end.

    A transport stream may tell of further streams on its way, which PyAV's own iteration does not survive.

    Raises:
        av.FFmpegError: the file cannot be read on.
    """
    for _ in range(_MOST_STREAMS):
        with suppress(IndexError):
            yield from container.demux(stream)
            return
