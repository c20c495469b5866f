"""Long exposure: the weighted mean of recorded frames in linear light."""

from chronoxis.core.picture.batches import Gathering
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.described import Picture, Pixels
from chronoxis.core.picture.kernels import add_light
from chronoxis.core.picture.rgb import Rgb16


class LightMean:
    """Collects frames of one size and colour and gives their mean."""

    def __init__(self, colour: Colour) -> None:
        self._gathering = Gathering(
            lambda work, pictures, weights, gathered: add_light(work, pictures, weights, colour, gathered)
        )
        self._weight = 0.0

    def add(self, picture: Picture, weight: float = 1.0, _passed: object = None) -> None:
        """Add a frame, which must not change before `made`; weights count relative to one another.

        Raises:
            ValueError: the frame has another size than those before it.
        """
        self._gathering.take(picture, weight)
        self._weight += weight

    def made(self, more: Pixels | None = None) -> Rgb16:
        """The mean as R′G′B′ codes, uint16, shape (height, width, 3). Empties the collection for another.

        ``more`` is light that is added to it.

        Raises:
            ValueError: nothing was added.
        """
        if self._weight <= 0:
            raise ValueError("a mean needs at least one frame")
        made = self._gathering.made(1 / self._weight, more)
        self._weight = 0.0
        return made
