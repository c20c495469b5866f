"""What is known of a format that a result can be exported in."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import IntEnum, StrEnum
from fractions import Fraction

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


LOSSLESS = "lossless"


class Container(StrEnum):
    """What the files of a format are."""

    STREAM = "stream"  # pictures and sound in one file
    STILLS = "stills"  # a folder of numbered pictures
    LOOP = "loop"  # one picture that moves, over and over, without sound


@dataclass(frozen=True, eq=False)
class ExportFormat:
    """One row of the table.

    Attributes:
        key: how project files call it.
        name: how people call it.
        ending: of its files, with the dot.
        purpose: what it is for, in plain words.
        short_purpose: the same in a word or two.
        codec: FFmpeg's name of the encoder; of stills, Pillow's name of the format.
        pixel_format: what frames are brought to that cannot stay as they are.
        muxer: FFmpeg's name of the file format.
        container: what its files are.
        kept_formats: the pixel formats in which recorded frames are written as they are.
        full_rgb: whether ``pixel_format`` is full-range R′G′B′, rather than studio-range Y′CbCr.
        keeps_high_range: whether a high dynamic range is kept.
        even_sides: whether width and height must be whole pairs of pixels.
        carries_aspect: whether files say how wide pixels are by their height.
        least: width and height, in pixels.
        max_side: pixels of the longer side.
        max_rate: frames per second.
        clock: times per second at which frames can begin; None if at any.
        codec_options: of the encoder, at every quality.
        quality_options: of the encoder, for each quality; none if everything is kept.
        bitrate_options: of the encoder, for a bitrate, with ``{rate}`` for bits per second and ``{kilo}`` for
            thousands of them; none if it has no such thing. They take the place of those of a quality.
        most_options: the same for a bitrate that quality may not exceed; they come beside those of a quality.
        muxer_options: of the file format.
        codec_tag: four letters by which files name the codec, where the usual ones are not understood widely.
        key_seconds: how often a frame is coded by itself; None if every one is.
        slow_start: the time, in frames, that the encoder loses where it begins anew: it looks far ahead.
        sole_quality: what to say of the quality where there is no choice of it.
        sound_codec: FFmpeg's name of the sound's encoder; nothing if there is no sound.
        sound_format: FFmpeg's name of the samples' format.
        sound_bitrate: bits per second; None if that is not for us to say.
    """

    key: str
    name: str
    ending: str
    purpose: str
    short_purpose: str
    codec: str
    pixel_format: str
    muxer: str = ""
    container: Container = Container.STREAM
    even_sides: bool = False
    kept_formats: frozenset[str] = frozenset()
    full_rgb: bool = False
    keeps_high_range: bool = False
    carries_aspect: bool = False
    least: Size = (2, 2)
    max_side: int = 16384
    max_rate: Fraction = MAX_RATE
    clock: int | None = None
    codec_options: Mapping[str, str] = field(default_factory=dict)
    quality_options: Mapping[Quality, Mapping[str, str]] = field(default_factory=dict)
    bitrate_options: Mapping[str, str] = field(default_factory=dict)
    most_options: Mapping[str, str] = field(default_factory=dict)
    muxer_options: Mapping[str, str] = field(default_factory=dict)
    codec_tag: str = ""
    key_seconds: int | None = None
    slow_start: int = 0
    sole_quality: str = LOSSLESS
    sound_codec: str = ""
    sound_format: str = ""
    sound_bitrate: int | None = None

    @property
    def has_quality(self) -> bool:
        """Whether there is a choice of how much is kept."""
        return bool(self.quality_options)

    @property
    def is_lossless(self) -> bool:
        """Whether what is written is what was made, to the last bit."""
        return not self.has_quality and self.sole_quality == LOSSLESS

    @property
    def is_folder(self) -> bool:
        """Whether a result is a folder of files."""
        return self.container is Container.STILLS

    def key_interval(self, rate: Fraction) -> int:
        """Every how many frames one is coded by itself, at so many frames per second."""
        return 1 if self.key_seconds is None else max(1, round(self.key_seconds * rate))

    def options(
        self, quality: Quality, rate: Fraction, *, bitrate: int | None = None, most: int | None = None
    ) -> dict[str, str]:
        """All options of the encoder.

        Args:
            quality: how much is kept; of no effect with a bitrate.
            rate: frames per second.
            bitrate: bits per second to be had.
            most: bits per second that quality may not exceed.
        """
        parts = [self.codec_options]
        if bitrate is not None:
            parts.append(_filled(self.bitrate_options, bitrate))
        else:
            parts.append(self.quality_options.get(quality, {}))
            parts.append(_filled(self.most_options, most) if most is not None else {})
        joined: dict[str, str] = {}
        for name, value in (pair for part in parts for pair in part.items()):
            # What an encoder takes as one list of its own is put together.
            several = name.endswith("-params") and name in joined
            joined[name] = f"{joined[name]}:{value}" if several else value
        return joined if self.is_folder else {**joined, "g": str(self.key_interval(rate))}

    def check(self, size: Size, rate: Fraction) -> None:
        """Refuse a size or a rate that the format cannot take.

        Raises:
            ExportError: it is too large, or too small.
        """
        if max(size) > self.max_side:
            raise ExportError(
                f"{self.name} cannot take {size[0]}×{size[1]}; choose a size up to {self.max_side} pixels a "
                "side, or another format, such as MKV · FFV1."
            )
        if size[0] < self.least[0] or size[1] < self.least[1]:
            raise ExportError(
                f"{self.name} cannot take {size[0]}×{size[1]}; it needs {self.least[0]}×{self.least[1]}."
            )
        if rate > self.max_rate:
            raise ExportError(
                f"{self.name} cannot take {format_rate(rate)} fps; choose up to {format_rate(self.max_rate)}."
            )


def _filled(options: Mapping[str, str], bitrate: int) -> dict[str, str]:
    return {name: value.format(rate=bitrate, kilo=bitrate // 1000) for name, value in options.items()}
