"""What decoded pictures of footage are like."""

from dataclasses import asdict, dataclass
from fractions import Fraction

from chronoxis.core.model.canvas import Canvas
from chronoxis.core.model.export_format import Size
from chronoxis.core.picture.colour import Colour

_LARGE_BYTES = 8_000_000  # of a decoded picture


@dataclass(frozen=True)
class PictureFormat:
    """What all pictures of one footage have in common.

    Attributes:
        width: in square pixels, as shown, after rotation.
        height: likewise.
        coded_width: as decoded.
        coded_height: likewise.
        rotation: degrees counter-clockwise by which decoded pictures are turned to be shown: 0, 90, 180, 270.
        pixel_format: FFmpeg's name of the decoded pictures' format.
        bit_depth: bits per sample.
        colour: how code values stand for light.
        pixel_aspect: how wide decoded pixels are by their height.
        mirrored: whether left and right of decoded pictures change places, before they are turned.
    """

    width: int
    height: int
    coded_width: int
    coded_height: int
    rotation: int
    pixel_format: str
    bit_depth: int
    colour: Colour
    mirrored: bool = False
    pixel_aspect: Fraction = Fraction(1)

    @property
    def size(self) -> Size:
        """Width and height as shown."""
        return self.width, self.height

    @property
    def decoded_bytes(self) -> int:
        """Of a decoded picture, about: with halved chroma, as most recordings have it."""
        return round(self.coded_width * self.coded_height * (3 if self.bit_depth > 8 else 1.5))

    @property
    def is_large(self) -> bool:
        """Whether a decoder of such pictures, which holds many of them, takes much memory."""
        return self.decoded_bytes > _LARGE_BYTES

    @property
    def canvas(self) -> Canvas:
        """The canvas of a result that looks like these pictures."""
        return Canvas(self.width, self.height, **asdict(self.colour))

    @property
    def attitude(self) -> str:
        """How decoded pictures are turned to be shown, in words, or nothing."""
        words = [f"turned {self.rotation}°"] if self.rotation else []
        return ", ".join([*words, "mirrored"] if self.mirrored else words)

    @property
    def stored(self) -> tuple[Size, Fraction]:
        """Size and pixel aspect of decoded pictures once they are turned, every pixel kept."""
        lies = self.rotation % 180 == 0
        return self.lying((self.coded_width, self.coded_height)), self.pixel_aspect ** (1 if lies else -1)

    def lying(self, size: Size) -> Size:
        """A size as shown, as it is before rotation."""
        return size if self.rotation % 180 == 0 else size[::-1]
