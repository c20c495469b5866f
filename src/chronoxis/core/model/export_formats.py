"""The formats that a result can be exported in: one table, from which everything else about them is fed."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import IntEnum
from fractions import Fraction
from pathlib import Path

from chronoxis.core.errors import ExportError, PlanError
from chronoxis.core.timing.exact import shortened
from chronoxis.core.timing.rates import MAX_RATE, format_rate

Size = tuple[int, int]
"""Width and height in pixels."""


class Quality(IntEnum):
    """How much is kept of the picture, as against file size."""

    DRAFT = 1
    SHARING = 2
    GOOD = 3
    HIGH = 4
    MASTER = 5

    @classmethod
    def parse(cls, text: str) -> "Quality":
        """Read ``1`` to ``5`` or ``draft`` to ``master``.

        Raises:
            PlanError: the text is neither.
        """
        cleaned = text.strip().lower()
        for quality in cls:
            if cleaned in (str(int(quality)), quality.name.lower()):
                return quality
        names = ", ".join(f"{quality.name.lower()} ({quality:d})" for quality in cls)
        raise PlanError(f"“{shortened(text)}” is not a quality; choose {names}.")


@dataclass(frozen=True, eq=False)
class ExportFormat:
    """One row of the table.

    Attributes:
        key: how project files call it.
        name: how people call it.
        ending: of its files, with the dot.
        purpose: what it is for, in plain words.
        short_purpose: the same in a word or two.
        muxer: FFmpeg's name of the file format.
        codec: FFmpeg's name of the encoder.
        pixel_format: what frames are brought to that cannot stay as they are.
        kept_formats: the pixel formats in which recorded frames are written as they are.
        full_rgb: whether ``pixel_format`` is full-range R′G′B′, rather than studio-range Y′CbCr.
        even_sides: whether width and height must be whole pairs of pixels.
        max_side: pixels of the longer side.
        max_rate: frames per second.
        codec_options: of the encoder, at every quality.
        quality_options: of the encoder, for each quality; none if everything is kept.
        muxer_options: of the file format.
        key_seconds: how often a frame is coded by itself; None if every one is.
        sound_codec: FFmpeg's name of the sound's encoder.
        sound_format: FFmpeg's name of the samples' format.
        sound_bitrate: bits per second; None if that is not for us to say.
        sound_rates: samples per second that are kept; others become 48,000.
        sound_layouts: of channels, that are kept; others become stereo.
    """

    key: str
    name: str
    ending: str
    purpose: str
    short_purpose: str
    muxer: str
    codec: str
    pixel_format: str
    even_sides: bool
    sound_codec: str
    sound_format: str
    kept_formats: frozenset[str] = frozenset()
    full_rgb: bool = False
    max_side: int = 16384
    max_rate: Fraction = MAX_RATE
    codec_options: Mapping[str, str] = field(default_factory=dict)
    quality_options: Mapping[Quality, Mapping[str, str]] = field(default_factory=dict)
    muxer_options: Mapping[str, str] = field(default_factory=dict)
    key_seconds: int | None = None
    sound_bitrate: int | None = None
    sound_rates: frozenset[int] = frozenset({32_000, 44_100, 48_000, 96_000})
    sound_layouts: frozenset[str] = frozenset({"mono", "stereo", "5.1"})

    @property
    def lossless(self) -> bool:
        """Whether everything is kept, whatever the quality."""
        return not self.quality_options

    def key_interval(self, rate: Fraction) -> int:
        """Every how many frames one is coded by itself, at so many frames per second."""
        return 1 if self.key_seconds is None else max(1, round(self.key_seconds * rate))

    def options(self, quality: Quality, rate: Fraction) -> dict[str, str]:
        """All options of the encoder."""
        chosen = self.quality_options.get(quality, {})
        return {**self.codec_options, **chosen, "g": str(self.key_interval(rate))}

    def sound_terms(self, rate: int, layout: str) -> tuple[int, str]:
        """Samples per second and layout in which sound of these is written."""
        plain = layout.removesuffix("(side)")
        return (
            rate if rate in self.sound_rates else 48_000,
            plain if plain in self.sound_layouts else "stereo",
        )

    def check(self, size: Size, rate: Fraction) -> None:
        """Refuse a size or a rate that the format cannot take.

        Raises:
            ExportError: it is too large.
        """
        if max(size) > self.max_side:
            raise ExportError(
                f"{self.name} cannot take {size[0]}×{size[1]}; choose a size up to {self.max_side} pixels a "
                f"side, or another format ({_endings(other for other in FORMATS if other is not self)})."
            )
        if rate > self.max_rate:
            raise ExportError(
                f"{self.name} cannot take {format_rate(rate)} fps; choose up to {format_rate(self.max_rate)}."
            )


# Constant rate factors six apart halve or double the file.
_RATE_FACTORS = {
    Quality.DRAFT: 30,
    Quality.SHARING: 26,
    Quality.GOOD: 22,
    Quality.HIGH: 18,
    Quality.MASTER: 14,
}

MP4 = ExportFormat(
    key="mp4",
    name="MP4 · H.264",
    ending=".mp4",
    purpose="To share: plays nearly everywhere",
    short_purpose="H.264, to share",
    muxer="mp4",
    codec="libx264",
    pixel_format="yuv420p",
    even_sides=True,
    max_side=8192,
    codec_options={
        "preset": "medium",
        "rc-lookahead": "20",  # half the preset's: the frames that wait are most of the memory
    },
    quality_options={quality: {"crf": str(factor)} for quality, factor in _RATE_FACTORS.items()},
    muxer_options={"movflags": "+faststart"},
    key_seconds=2,
    sound_codec="aac",
    sound_format="fltp",
    sound_bitrate=192_000,
)

MKV = ExportFormat(
    key="mkv",
    name="MKV · FFV1",
    ending=".mkv",
    purpose="Lossless: every sample is kept, for further work",
    short_purpose="FFV1, lossless",
    muxer="matroska",
    codec="ffv1",
    pixel_format="gbrp12le",
    full_rgb=True,
    kept_formats=frozenset(
        {"yuv420p", "yuv422p", "yuv444p", "yuv410p", "yuv411p", "yuv440p", "gray"}
        | {f"yuv{chroma}p{bits}le" for chroma in ("420", "422", "444") for bits in (9, 10, 12, 14, 16)}
        | {"gbrp10le", "gbrp12le", "gbrp14le", "gbrp16le", "bgr0", "bgra"}
        | {"gray10le", "gray12le", "gray16le"}
    ),
    even_sides=False,
    codec_options={"level": "3", "slicecrc": "1"},  # how many slices a size allows, the encoder knows
    sound_codec="flac",
    sound_format="s16",
)

FORMATS = (MP4, MKV)
"""All formats; the first one is chosen unless a person chooses another."""


def format_of(path: Path) -> ExportFormat:
    """The format that a file name asks for.

    Raises:
        PlanError: the ending is not one that can be written.
    """
    for each in FORMATS:
        if path.suffix.lower() == each.ending:
            return each
    raise PlanError(f"{path.name} should end in {_endings(FORMATS)}.")


def format_named(key: str) -> ExportFormat:
    """The format that project files call so. Raises KeyError if there is none."""
    return {each.key: each for each in FORMATS}[key]


def endings_in_words() -> str:
    """Such as ``.mp4 or .mkv``."""
    return " or ".join(each.ending for each in FORMATS)


def _endings(formats: Iterable[ExportFormat]) -> str:
    return " or ".join(f"{each.ending} ({each.short_purpose})" for each in formats)
