"""Ways of making a result frame that other people's packages add."""

from typing import Protocol

import numpy as np
import numpy.typing as npt

from chronoxis.core.extensions import ExtensionError, guarded
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture
from chronoxis.core.picture.kernels import codes_of
from chronoxis.core.picture.rgb import Rgb16
from chronoxis.core.timing.frame_making import EachFrame


class WayMaker(Protocol):
    """One result frame under way, as a package makes it; recorded frames come in order, of one size."""

    def add(self, codes: npt.NDArray[np.uint16], weight: float) -> None:
        """Take in a recorded frame.

        Args:
            codes: shape (height, width, 3), R′G′B′ as encoded, 65535 for white; it must not be changed.
            weight: by which it counts; those of a result frame sum to 1.
        """

    def made(self) -> npt.NDArray[np.uint16]:
        """The result frame, of the same shape."""


class AddedMaker:
    """Makes result frames in a way that a package adds; whatever fails in it is told in one line."""

    def __init__(self, way: EachFrame, colour: Colour) -> None:
        self._way, self._colour = way, colour
        self._maker: WayMaker | None = None
        self._shape: tuple[int, ...] = ()

    def add(self, picture: Picture, weight: float = 1.0, _passed: object = None) -> None:
        """Take in a recorded frame. Raises ExtensionError."""
        codes = unchangeable(codes_of(picture, self._colour))
        entry, settings = self._way.entry, self._way.settings
        if self._maker is None:
            begin = entry.maker
            assert begin is not None
            self._maker = guarded(entry.key, lambda: begin(settings) if settings is not None else begin())
            self._shape = codes.shape
        add = self._maker.add
        guarded(entry.key, lambda: add(codes, weight))

    def made(self) -> Rgb16:
        """The picture. Raises ExtensionError."""
        maker, self._maker = self._maker, None
        if maker is None:
            raise ValueError("a frame is to be made, and none came")
        return checked_codes(guarded(self._way.key, maker.made), self._shape, self._way.key)


def unchangeable(codes: Rgb16) -> Rgb16:
    """The same for a package's code, which may keep it and not write into it: others read it as well."""
    seen = codes.view()
    seen.flags.writeable = False
    return seen


def checked_codes(codes: object, shape: tuple[int, ...], key: str) -> Rgb16:
    """What a package's code gave, held to be a picture. Raises ExtensionError."""
    if not isinstance(codes, np.ndarray) or codes.dtype != np.uint16 or codes.shape != shape:
        told = f"{codes.dtype} of {codes.shape}" if isinstance(codes, np.ndarray) else type(codes).__name__
        raise ExtensionError(
            f"{key} gave no picture but {told}; choose something else, or remove its package."
        )
    return np.array(codes, order="C", copy=not codes.flags.writeable or None)
