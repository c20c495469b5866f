"""Brightest and darkest: of each channel of each pixel, the most or the least light of recorded frames."""

from chronoxis.core.picture.batches import Gathering
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture
from chronoxis.core.picture.kernels import keep_extreme
from chronoxis.core.picture.rgb import Rgb16


class Extremes:
    """Keeps the brightest or the darkest codes; these rise with light, so no light needs to be reckoned."""

    def __init__(self, colour: Colour, *, brightest: bool) -> None:
        self._gathering = Gathering(
            lambda work, pictures, _weights, gathered: keep_extreme(
                work, pictures, colour, gathered, brightest=brightest
            )
        )

    def add(self, picture: Picture, _weight: float = 1.0, _passed: object = None) -> None:
        """Take in a frame, which must not change before `made`. Raises ValueError if it has another size."""
        self._gathering.take(picture, 1.0)

    def made(self) -> Rgb16:
        """The picture as R′G′B′ codes. Raises ValueError if nothing was added."""
        return self._gathering.made()
