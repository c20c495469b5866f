"""What is to be written, and how."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction

from chronoxis.core.model.export_format import ExportFormat, Quality, Size
from chronoxis.core.picture.colour import Colour


@dataclass(frozen=True)
class Writing:
    """What is to be written, and how.

    Attributes:
        format: the kind of file.
        quality: how much is kept of the picture.
        size: of the frames.
        pixel_format: of the frames.
        rate: frames per second.
        colour: the tags to write.
        pixel_aspect: how wide pixels are by their height.
        bitrate: bits per second of the picture, in place of a quality.
        most: bits per second of the picture that quality may not exceed.
        sound: whether there will be sound.
        metadata: what the file says of itself.
        name: what numbered stills are called, with a place for their number.
        first: number of the first frame, in the whole result.
    """

    format: ExportFormat
    quality: Quality
    size: Size
    pixel_format: str
    rate: Fraction
    colour: Colour
    pixel_aspect: Fraction = Fraction(1)
    bitrate: int | None = None
    most: int | None = None
    sound: bool = False
    metadata: Mapping[str, str] = field(default_factory=dict)
    name: str = "%05d"
    first: int = 0

    @property
    def options(self) -> dict[str, str]:
        """Options of the encoder, by its own names."""
        return self.format.options(self.quality, self.rate, bitrate=self.bitrate, most=self.most)
