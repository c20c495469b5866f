"""Result frames that were made, compressed, within a budget of memory."""

from dataclasses import dataclass

BUDGET = 256 * 1024 * 1024
"""Bytes of compressed frames."""

_USUAL_BYTES = 60_000  # of a compressed frame


@dataclass(frozen=True)
class MadeFrame:
    """Compressed pictures of a result frame.

    Attributes:
        result: its own picture.
        recorded: that of its first recorded frame; None where it was not kept, or is the result's.
    """

    result: bytes
    recorded: bytes | None = None

    @property
    def size(self) -> int:
        """Bytes of both pictures."""
        return len(self.result) + len(self.recorded or b"")


class MadeFrames:
    """Frames by number. Of too many, those go first that are farthest from where somebody looks."""

    def __init__(self, budget: int = BUDGET) -> None:
        """``budget`` is how many bytes they have at most."""
        self._budget = budget
        self._kept: dict[int, MadeFrame] = {}
        self._bytes = 0

    def __contains__(self, number: int) -> bool:
        return number in self._kept

    def __getitem__(self, number: int) -> MadeFrame:
        return self._kept[number]

    def numbers(self) -> list[int]:
        """Of all frames, ascending."""
        return sorted(self._kept)

    def clear(self) -> None:
        """Forget all."""
        self._kept.clear()
        self._bytes = 0

    def keep(self, number: int, frame: MadeFrame, near: int) -> None:
        """Keep a frame, while somebody looks near another."""
        before = self._kept.get(number)
        self._kept[number] = frame
        self._bytes += frame.size - (before.size if before else 0)
        while self._bytes > self._budget:
            farthest = max(self._kept, key=lambda kept: abs(kept - near))
            self._bytes -= self._kept.pop(farthest).size

    @property
    def is_nearly_full(self) -> bool:
        """Whether what is far away would push out what is near."""
        return self._bytes > self._budget * 9 // 10

    @property
    def room(self) -> int:
        """How many frames can be held at once, about."""
        each = self._bytes / len(self._kept) if self._kept else _USUAL_BYTES
        return int(self._budget * 0.8 / max(each, 1))
