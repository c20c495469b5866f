"""Recorded sound in the order in which it plays, any stretch of it, as long as one goes on."""

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, ExitStack
from fractions import Fraction

import numpy as np

from chronoxis.core.sound.samples import LAYOUT, RATE, Samples, silence

SoundBetween = Callable[[Fraction, Fraction, int, str], AbstractContextManager[Iterator[Samples]]]
"""Gives the sound between two stored seconds at a rate and in a layout, in blocks without gaps."""

_LOOK_BACK = RATE // 2  # samples that are still there behind what was asked for last
_CHUNK_SAMPLES = 20 * RATE  # samples of sound that plays backwards which are decoded at once
_BLEND_SAMPLES = 256


class CoveredSound:
    """The sound of an excerpt by how much of it has played, whichever way it plays.

    Sample 0 is the one that plays first. Outside of the file there is silence. To be closed.
    """

    def __init__(
        self, sound_between: SoundBetween, begin: Fraction, end: Fraction, *, backwards: bool, first: int = 0
    ) -> None:
        """``begin`` and ``end`` in stored seconds; nothing before sample ``first`` will be asked for."""
        self._between, self._begin, self._end, self._backwards = sound_between, begin, end, backwards
        self._stack = ExitStack()
        self._first = self._held_end = max(first - _LOOK_BACK, self._earliest)
        self._held = silence(0)
        self._blocks: Iterator[Samples] | None = None

    def close(self) -> None:
        """Let go of the file."""
        self._stack.close()

    @property
    def _earliest(self) -> int:
        """The first sample that the file could have."""
        return -(1 << 62) if self._backwards else -int(self._begin * RATE)

    @property
    def _latest(self) -> int:
        """The one behind the last sample that the file could have."""
        return int(self._end * RATE) if self._backwards else 1 << 62

    def between(self, first: int, end: int) -> Samples:
        """Samples ``first`` to ``end``; the first one never lies far before any that was asked for."""
        self._fill(min(end, self._latest))
        low, high = max(first, self._first), min(end, self._held_end)
        if low == first and high == end:
            taken = self._held[:, first - self._first : end - self._first]
        else:
            taken = silence(end - first)
            if low < high:
                taken[:, low - first : high - first] = self._held[:, low - self._first : high - self._first]
        self._forget(first - _LOOK_BACK)
        return taken

    def _fill(self, end: int) -> None:
        if end <= self._held_end:
            return
        parts = [self._held]
        while self._held_end < end:
            if self._blocks is None:
                self._blocks = self._backward() if self._backwards else self._forward()
            block = next(self._blocks, None)
            if block is None:
                block = silence(end - self._held_end)
            parts.append(block)
            self._held_end += block.shape[1]
        self._held = np.concatenate(parts, axis=1)

    def _forget(self, before: int) -> None:
        # Moving what is kept costs something, so that it is done seldom.
        if before - self._first > 4 * _LOOK_BACK:
            self._held = self._held[:, before - self._first :].copy()
            self._first = before

    def _forward(self) -> Iterator[Samples]:
        begin = self._begin + Fraction(self._held_end, RATE)
        return self._stack.enter_context(self._between(begin, begin + 10**6, RATE, LAYOUT))

    def _backward(self) -> Iterator[Samples]:
        """Chunks from the end on, each turned round; where two meet, they are blended."""
        at, waiting = self._held_end, None
        while at < self._latest:
            end = self._end - Fraction(at, RATE)
            begin = max(end - Fraction(_CHUNK_SAMPLES + _BLEND_SAMPLES, RATE), Fraction(0))
            with self._between(begin, end, RATE, LAYOUT) as blocks:
                chunk = np.concatenate([silence(0), *blocks], axis=1)[:, ::-1]
            if waiting is not None:
                share = np.linspace(0, 1, _BLEND_SAMPLES, dtype=np.float32)
                chunk[:, :_BLEND_SAMPLES] = waiting * (1 - share) + chunk[:, :_BLEND_SAMPLES] * share
            if chunk.shape[1] <= _BLEND_SAMPLES:
                yield chunk
                return
            waiting = chunk[:, -_BLEND_SAMPLES:].copy()
            at += chunk.shape[1] - _BLEND_SAMPLES
            yield np.ascontiguousarray(chunk[:, :-_BLEND_SAMPLES])
