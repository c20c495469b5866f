"""What the result should be like as a file: format, size, quality, sound."""

from dataclasses import dataclass

from chronoxis.core.errors import PlanError
from chronoxis.core.model.export_formats import MP4, ExportFormat, Quality, Size
from chronoxis.core.timing.exact import shortened

MAX_SIDE = 16384
_NAMED_HEIGHTS = {"2160p": 2160, "1440p": 1440, "1080p": 1080, "720p": 720}
SIZE_NAMES = ("as recorded", *_NAMED_HEIGHTS)


@dataclass(frozen=True)
class SizeWish:
    """What size the result should have.

    Attributes:
        width: at most this wide, or None for as wide as the height asks.
        height: at most this high, or None for as recorded.
        stretch: fill width and height exactly, giving up the recorded aspect.
    """

    width: int | None = None
    height: int | None = None
    stretch: bool = False

    @classmethod
    def parse(cls, text: str, *, stretch: bool = False) -> "SizeWish":
        """Read ``as recorded``, ``1080p`` or ``1280x720``.

        Raises:
            PlanError: the text is none of these, or a side is out of range.
        """
        cleaned = text.strip().lower().replace("×", "x").replace(" ", "")
        if cleaned in ("", "asrecorded"):
            return cls()
        if cleaned in _NAMED_HEIGHTS:
            return cls(height=_NAMED_HEIGHTS[cleaned])
        width, _, height = cleaned.partition("x")
        if len(cleaned) > 20 or not (width.isdecimal() and height.isdecimal()):
            raise PlanError(f"“{shortened(text)}” is not a size; write 1280x720, 1080p or “as recorded”.")
        if not all(2 <= int(side) <= MAX_SIDE for side in (width, height)):
            raise PlanError(f"A size of {text} is out of range; each side lies between 2 and {MAX_SIDE}.")
        return cls(int(width), int(height), stretch)

    def __str__(self) -> str:
        if self.height is None:
            return "as recorded"
        return f"{self.width}x{self.height}" if self.width else f"{self.height}p"

    def size(self, recorded: Size, *, even: bool) -> Size:
        """The result's size for a recording of this size, shown upright in square pixels.

        The recorded aspect is kept unless ``stretch``. With ``even``, sides are whole pairs of pixels,
        as 4:2:0 codecs need: a recorded size loses its odd row or column, others round down.
        """
        width, height = recorded
        if self.height is not None:
            scale = self.height / height
            if self.width is not None:
                scale = min(scale, self.width / width)
            width, height = max(2, round(width * scale)), max(2, round(height * scale))
            if self.stretch and self.width is not None:
                width, height = self.width, self.height
        return (max(2, width // 2 * 2), max(2, height // 2 * 2)) if even else (width, height)


@dataclass(frozen=True)
class ResultSettings:
    """The choices of an export, apart from where it goes.

    Attributes:
        format: the kind of file.
        size: the size wished.
        quality: of no effect where the format keeps everything.
        sound: whether recorded sound is kept, which needs a speed of 1×.
    """

    format: ExportFormat = MP4
    size: SizeWish = SizeWish()
    quality: Quality = Quality.GOOD
    sound: bool = False
