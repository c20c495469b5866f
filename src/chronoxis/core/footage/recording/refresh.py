"""Telling clean key frames of H.264 from places where a picture only begins to be refreshed bit by bit."""

from collections.abc import Iterator

_IDR, _SLICE = 5, 1
_START = b"\x00\x00\x01"
_HEAD = 64  # bytes of a packet's first slice that are looked at
_INTRA = (2, 4)  # slice types I and SI, modulo 5 (H.264, table 7-6)


def begins_cleanly(packet: bytes, length_size: int) -> bool:
    """Whether decoding may begin with a packet that is marked as a key frame.

    It may if its first slice is intra coded (H.264, 7.3.2.8 and 7.3.3).

    Args:
        packet: one picture.
        length_size: bytes of the length before each unit, or 0 where start codes stand between them.
    """
    for unit in _units(packet, length_size):
        kind = unit[0] & 0x1F if unit else 0
        if kind == _IDR:
            return True
        if kind == _SLICE:
            return _slice_type(unit[1:_HEAD]) % 5 in _INTRA
    return True  # what is not understood is taken at its word


def length_size_of(extradata: bytes | None) -> int:
    """Bytes of the length before each unit by the decoder's configuration; 0 for start codes."""
    # An avcC record begins with its version 1 (ISO/IEC 14496-15, 5.3.3.1).
    return (extradata[4] & 3) + 1 if extradata and len(extradata) > 6 and extradata[0] == 1 else 0


def _units(packet: bytes, length_size: int) -> Iterator[bytes]:
    if length_size == 0:
        yield from packet.split(_START)[1:]
        return
    at = 0
    while at + length_size < len(packet):
        size = int.from_bytes(packet[at : at + length_size])
        yield packet[at + length_size : at + length_size + min(size, _HEAD)]
        at += length_size + size


def _slice_type(payload: bytes) -> int:
    """The second number of a slice header; both are Exp-Golomb codes (H.264, 9.1)."""
    bits = "".join(f"{byte:08b}" for byte in payload.replace(b"\x00\x00\x03", b"\x00\x00"))
    at = value = 0
    for _ in range(2):
        zeros = bits.find("1", at) - at
        if zeros < 0:
            return 0
        value = int(bits[at + zeros : at + 2 * zeros + 1], 2) - 1
        at += 2 * zeros + 1
    return value
