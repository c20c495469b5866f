"""Looks that come and go with the speed, on finished result frames."""

from typing import Protocol

from chronoxis.core.picture.rgb import Rgb16


class Accent(Protocol):
    """A look, with an amount for every result frame."""

    def acts_on(self, result_frame: int) -> bool:
        """Whether it shows on a result frame, by its number; others pass untouched and at no cost."""

    def applied(self, result_frame: int, codes: Rgb16) -> Rgb16:
        """A result frame with the look on it; the same shape."""


def accents_on(accents: tuple[Accent, ...], result_frame: int) -> tuple[Accent, ...]:
    """Those that show on a result frame, in their order."""
    return tuple(accent for accent in accents if accent.acts_on(result_frame))
