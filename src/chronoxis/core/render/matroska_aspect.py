"""The pixel aspect of a Matroska file, written into its header after the library has closed it.

The library writes it only from a field that its bindings do not reach. Its track entries have room for it: an
element that says nothing. Elements are those of RFC 9559, their coding that of RFC 8794.
"""

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple
from zlib import crc32

from chronoxis.core.errors import ExportError

_SEGMENT, _TRACKS, _ENTRY, _VIDEO = 0x18538067, 0x1654AE6B, 0xAE, 0xE0
_VOID, _CHECK_SUM = 0xEC, 0xBF
_PIXEL_WIDTH, _PIXEL_HEIGHT = 0xB0, 0xBA
_DISPLAY_WIDTH, _DISPLAY_HEIGHT, _DISPLAY_UNIT = 0x54B0, 0x54BA, 0x54B2
_HEADER = 64 * 1024  # bytes in which the tracks are told
_MOST_PIXELS = 0xFFFF  # of a side, in two bytes


class _Element(NamedTuple):
    """Where an element is: its number, where it begins, where its content begins and ends."""

    number: int
    at: int
    begin: int
    end: int


def write_pixel_aspect(path: Path, aspect: Fraction) -> None:
    """Say in a finished file how wide its pixels are by their height; nothing else of it changes.

    Raises:
        ExportError: its header is not as it should be.
    """
    with path.open("r+b") as file:
        head = bytearray(file.read(_HEADER))
        try:
            segment = _found(head, 0, len(head), _SEGMENT)
            tracks = _found(head, segment.begin, segment.end, _TRACKS)
            for each in list(_elements(head, tracks.begin, tracks.end)):
                if each.number == _ENTRY:
                    _change_entry(head, each, aspect)
            _sum_up(head, tracks)
        except (IndexError, ValueError) as error:
            raise ExportError(f"The pixel aspect cannot be written: {error}.") from error
        file.seek(0)
        file.write(head)


def _change_entry(head: bytearray, entry: _Element, aspect: Fraction) -> None:
    """Put the aspect into the entry of a track of pictures, in place of what says nothing."""
    inner = list(_elements(head, entry.begin, entry.end))
    video = next((each for each in inner if each.number == _VIDEO), None)
    if video is None:
        return
    for shown in _shown(head, video, aspect):
        told = b"".join(
            _coded(_VIDEO, shown) if each is video else bytes(head[each.at : each.end])
            for each in inner
            if each.number != _VOID
        )
        room = entry.end - entry.begin - len(told)
        if room == 0 or 2 <= room < 128:
            head[entry.begin : entry.end] = told + (_coded(_VOID, bytes(room - 2)) if room else b"")
            return
    raise ValueError("its header has no room for it")


def _shown(head: bytearray, video: _Element, aspect: Fraction) -> Iterator[bytes]:
    """What a video element may hold, with the size that its pictures are shown at: exactly, or in pixels."""
    inner = list(_elements(head, video.begin, video.end))
    sides = {each.number: int.from_bytes(head[each.begin : each.end], "big") for each in inner}
    width, height = Fraction(sides[_PIXEL_WIDTH]) * aspect, sides[_PIXEL_HEIGHT]
    replaced = (_DISPLAY_WIDTH, _DISPLAY_HEIGHT, _DISPLAY_UNIT)
    kept = b"".join(head[each.at : each.end] for each in inner if each.number not in replaced)
    for times in (width.denominator, 1):
        wide, high = round(width * times), height * times
        if max(wide, high) <= _MOST_PIXELS:
            yield kept + _coded(_DISPLAY_WIDTH, _short(wide)) + _coded(_DISPLAY_HEIGHT, _short(high))


def _short(side: int) -> bytes:
    return side.to_bytes((side.bit_length() + 7) // 8, "big")


def _sum_up(head: bytearray, tracks: _Element) -> None:
    """Write the check sum of the tracks anew, which comes first in them where there is one."""
    first = next(_elements(head, tracks.begin, tracks.end))
    if first.number == _CHECK_SUM:
        head[first.begin : first.end] = crc32(head[first.end : tracks.end]).to_bytes(4, "little")


def _found(head: bytearray, begin: int, end: int, number: int) -> _Element:
    for element in _elements(head, begin, end):
        if element.number == number:
            return element
    raise ValueError("it has no tracks")


def _elements(head: bytearray, begin: int, end: int) -> Iterator[_Element]:
    """Elements that follow one another; of the last one there may be only the beginning."""
    at = begin
    while at < end:
        number, size_at = _number(head, at, marked=True)
        size, content = _number(head, size_at, marked=False)
        yield _Element(number, at, content, min(content + size, len(head)))
        at = content + size


def _number(head: bytearray, at: int, *, marked: bool) -> tuple[int, int]:
    """A number of as many bytes as its first one says, with that mark or without, and where the next is."""
    length = 9 - head[at].bit_length()
    value = int.from_bytes(head[at : at + length], "big")
    return value if marked else value & ~(1 << 7 * length), at + length


def _coded(number: int, content: bytes) -> bytes:
    """An element with less than 127 bytes in it."""
    return number.to_bytes((number.bit_length() + 7) // 8, "big") + bytes([0x80 | len(content)]) + content
