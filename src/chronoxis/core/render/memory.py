"""Giving the memory of frames back."""

import ctypes
from functools import cache

_M_MMAP_THRESHOLD = -3  # malloc.h
_FRAME_PART = 1 << 20  # bytes: whole frames and planes are larger, what lives long is smaller


@cache
def return_large_blocks() -> bool:
    """Have the C library take every large block from the system and give it back once it is free.

    By itself glibc raises that limit to 32 MiB as blocks are freed; frames of every size then share one
    heap with what lives long, and the gaps between them grow to a quarter of an export's memory.
    Returns whether the C library could be told; other libraries than glibc go without.
    """
    mallopt = getattr(ctypes.CDLL(None), "mallopt", None)
    return mallopt is not None and bool(mallopt(_M_MMAP_THRESHOLD, _FRAME_PART))
