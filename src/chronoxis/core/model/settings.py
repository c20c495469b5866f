"""What the result should be like as a file: format, size, quality, sound."""

import re
from dataclasses import dataclass

from chronoxis.core.errors import PlanError
from chronoxis.core.model.export_format import ExportFormat, Quality, Size
from chronoxis.core.model.export_formats import FORMATS, MP4
from chronoxis.core.timing.exact import parse_exact, shortened

MAX_SIDE = 16384
MAX_BITRATE = 10**9
MAX_BYTES = 10**13
_SIZE = re.compile(r"([0-9]{1,9})p|([0-9]{1,9})x([0-9]{1,9})")
SIZE_NAMES = ("as recorded", "2160p", "1440p", "1080p", "720p", "480p")


@dataclass(frozen=True)
class SizeWish:
    """What size the result should have.

    Attributes:
        width: at most this wide; None where the height says all.
        height: at most this high, or None for as recorded. Without a width, the length of the shorter side,
            so that an upright ``1080p`` is as fine as a wide one.
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
        found = _SIZE.fullmatch(cleaned)
        if found is None:
            raise PlanError(f"“{shortened(text)}” is not a size; write 1280x720, 1080p or “as recorded”.")
        lines, width, height = (int(side) if side else None for side in found.groups())
        if not all(2 <= side <= MAX_SIDE for side in (lines, width, height) if side is not None):
            raise PlanError(f"A size of {text} is out of range; each side lies between 2 and {MAX_SIDE}.")
        return cls(width, height, stretch) if lines is None else cls(height=lines)

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
            if self.width is None:
                scale = self.height / min(width, height)
            else:
                scale = min(self.width / width, self.height / height)
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
        sound: whether it has sound, where the format takes it.
        bitrate: bits per second of the picture, in place of a quality.
        credits: whether a text beside it says whose music it has.
        at_most: bytes that the file may have; what quality would need beyond them is given up.
        goes_to: name of the place that it is sent to, whose limits Checks hold it to; empty for anywhere.
    """

    format: ExportFormat = MP4
    size: SizeWish = SizeWish()
    quality: Quality = Quality.GOOD
    sound: bool = True
    bitrate: int | None = None
    at_most: int | None = None
    credits: bool = False
    goes_to: str = ""

    def check(self) -> None:
        """Refuse a bitrate or a limit where the format has none.

        Raises:
            PlanError: it has none, or the number is out of range.
        """
        able = ", ".join(each.name for each in FORMATS if each.bitrate_options)
        for wish, known, what in (
            (self.bitrate, self.format.bitrate_options, "a bitrate"),
            (self.at_most, self.format.most_options, "a size"),
        ):
            if wish is not None and not known:
                raise PlanError(f"{self.format.name} cannot be held to {what}; {able} can.")
        if self.bitrate is not None and self.at_most is not None:
            raise PlanError("Give a bitrate or a size that the file may have, not both.")
        if self.bitrate is not None and not 1000 <= self.bitrate <= MAX_BITRATE:
            raise PlanError("A bitrate lies between 1 kbit/s and 1000 Mbit/s.")
        if self.at_most is not None and not 10_000 <= self.at_most <= MAX_BYTES:
            raise PlanError("A file is held to 0.01 MB or more.")


def parse_bitrate(text: str) -> int:
    """Read ``8M``, ``8 Mbit/s``, ``800k`` or ``800000`` as bits per second.

    Raises:
        PlanError: it is none of these.
    """
    cleaned = text.strip().lower().replace(",", ".").removesuffix("bit/s").removesuffix("bps").strip()
    unit = {"k": 1000, "m": 1_000_000, "g": 10**9}.get(cleaned[-1:], 1)
    try:
        value = parse_exact(cleaned.rstrip("kmg")) * unit
    except (ValueError, ZeroDivisionError):
        raise PlanError(f"“{shortened(text)}” is not a bitrate; write 8M or 800k.") from None
    if not 1000 <= value <= MAX_BITRATE:
        raise PlanError("A bitrate lies between 1 kbit/s and 1000 Mbit/s.")
    return round(value)


def parse_megabytes(text: str) -> int:
    """Read ``25``, ``25 MB`` or ``1.5 GB`` as bytes.

    Raises:
        PlanError: it is none of these.
    """
    cleaned = text.strip().lower().replace(",", ".")
    unit = 10**9 if cleaned.endswith(("gb", "g")) else 10**6
    try:
        value = parse_exact(cleaned.removesuffix("b").rstrip("mg").strip()) * unit
    except (ValueError, ZeroDivisionError):
        raise PlanError(f"“{shortened(text)}” is not a size of a file; write 25 MB.") from None
    if not 10_000 <= value <= MAX_BYTES:
        raise PlanError("A file is held to 0.01 MB or more.")
    return round(value)
