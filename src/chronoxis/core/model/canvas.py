"""What a project's result looks like before anything is shown on it."""

from dataclasses import dataclass, replace

from chronoxis.core.model.export_format import Size


@dataclass(frozen=True)
class Canvas:
    """Size and colour of the result: the first footage's, until a person takes another's.

    Attributes:
        width: in square pixels.
        height: likewise.
        matrix: H.273 matrix coefficients.
        primaries: H.273 colour primaries.
        transfer: H.273 transfer characteristics.
        full_range: whether code values use the whole range.
    """

    width: int
    height: int
    matrix: int
    primaries: int
    transfer: int
    full_range: bool

    @property
    def size(self) -> Size:
        """Width and height."""
        return self.width, self.height

    def within(self, side: int) -> "Canvas":
        """The same canvas, smaller if a side has more pixels than that; in whole pairs of pixels then."""
        scale = side / max(self.size)
        if scale >= 1:
            return self
        width, height = (max(2, round(each * scale / 2) * 2) for each in self.size)
        return replace(self, width=width, height=height)
