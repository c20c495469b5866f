"""The formats that a result can be exported in: one table, from which everything else about them is fed."""

from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.errors import PlanError
from chronoxis.core.model.export_format import Container, ExportFormat, Quality


def _scale(option: str, *values: int) -> dict[Quality, dict[str, str]]:
    """One option with a value for each quality, from draft to master."""
    return {quality: {option: str(value)} for quality, value in zip(Quality, values, strict=True)}


# Else these files carry random numbers by which parts of one film would find each other.
_SAME_BYTES = {"fflags": "+bitexact"}

MP4 = ExportFormat(
    key="mp4",
    name="MP4 · H.264",
    ending=".mp4",
    purpose="To share: plays nearly everywhere",
    short_purpose="H.264, to share",
    muxer="mp4",
    carries_aspect=True,
    codec="libx264",
    pixel_format="yuv420p",
    even_sides=True,
    max_side=8192,
    codec_options={
        # Two thirds of the time of the encoder's own choice; files about as large, some 0.3 dB further off.
        "preset": "faster",
        "rc-lookahead": "20",  # the frames that wait are most of the memory
    },
    quality_options=_scale("crf", 30, 26, 22, 18, 14),  # six apart halve or double the file
    bitrate_options={"b": "{rate}", "maxrate": "{rate}", "bufsize": "{rate}"},
    most_options={"maxrate": "{rate}", "bufsize": "{rate}"},
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
    carries_aspect=True,
    muxer_options=_SAME_BYTES,
    codec="ffv1",
    pixel_format="gbrp12le",
    full_rgb=True,
    keeps_high_range=True,
    kept_formats=frozenset(
        {"yuv420p", "yuv422p", "yuv444p", "yuv410p", "yuv411p", "yuv440p", "gray"}
        | {f"yuv{chroma}p{bits}le" for chroma in ("420", "422", "444") for bits in (9, 10, 12, 14, 16)}
        | {"gbrp10le", "gbrp12le", "gbrp14le", "gbrp16le", "bgr0", "bgra"}
        | {"gray10le", "gray12le", "gray16le"}
    ),
    codec_options={"level": "3", "slicecrc": "1"},  # how many slices a size allows, the encoder knows
    sound_codec="flac",
    sound_format="s16",
)

_X265 = {"preset": "medium", "x265-params": "log-level=error:rc-lookahead=20"}
_X265_BITRATE = {"b": "{rate}", "maxrate": "{rate}", "bufsize": "{rate}"}
_X265_MOST = {"maxrate": "{rate}", "bufsize": "{rate}"}

H265 = ExportFormat(
    key="h265",
    name="MP4 · H.265",
    ending=".mp4",
    purpose="To share with newer devices: half the size of H.264 at the same quality, slower to make",
    short_purpose="H.265, smaller",
    muxer="mp4",
    carries_aspect=True,
    codec="libx265",
    pixel_format="yuv420p",
    even_sides=True,
    least=(16, 16),
    max_side=8192,
    codec_options=_X265,
    quality_options=_scale("crf", 33, 29, 25, 21, 17),
    bitrate_options=_X265_BITRATE,
    most_options=_X265_MOST,
    muxer_options={"movflags": "+faststart"},
    codec_tag="hvc1",
    key_seconds=2,
    slow_start=4,
    sound_codec="aac",
    sound_format="fltp",
    sound_bitrate=192_000,
)

H265_10 = replace(
    H265,
    key="h265-10",
    name="MP4 · H.265 10 bit",
    purpose="The same in finer steps: skies and dawns show no bands",
    short_purpose="H.265 10 bit, no bands",
    pixel_format="yuv420p10le",
)

VP9 = ExportFormat(
    key="vp9",
    name="WebM · VP9",
    ending=".webm",
    purpose="For web pages: plays in every browser, free to use",
    short_purpose="VP9, for the web",
    muxer="webm",
    muxer_options=_SAME_BYTES,
    codec="libvpx-vp9",
    pixel_format="yuv420p",
    even_sides=True,
    codec_options={"deadline": "good", "cpu-used": "4", "row-mt": "1", "lag-in-frames": "16"},
    quality_options={q: {**o, "b": "0"} for q, o in _scale("crf", 42, 37, 32, 26, 19).items()},
    bitrate_options={"b": "{rate}", "maxrate": "{rate}", "bufsize": "{rate}"},
    most_options={"b": "{rate}"},
    key_seconds=2,
    sound_codec="libopus",
    sound_format="flt",
    sound_bitrate=128_000,
)

AV1 = replace(
    VP9,
    key="av1",
    name="WebM · AV1",
    purpose="For web pages: the smallest files, in newer browsers",
    short_purpose="AV1, smallest",
    codec="libsvtav1",
    pixel_format="yuv420p10le",
    least=(64, 64),
    slow_start=4,
    codec_options={"preset": "8", "svtav1-params": "lookahead=16"},
    quality_options=_scale("crf", 47, 41, 35, 28, 20),
    bitrate_options={"b": "{rate}", "svtav1-params": "rc=1"},
    most_options={"svtav1-params": "mbr={kilo}"},
)

PRORES = ExportFormat(
    key="prores",
    name="MOV · ProRes",
    ending=".mov",
    purpose="For editing elsewhere: every frame stands by itself, 10 bit, large files",
    short_purpose="ProRes, for editing",
    muxer="mov",
    carries_aspect=True,
    codec="prores_ks",
    pixel_format="yuv422p10le",
    even_sides=True,
    least=(16, 16),
    codec_options={"vendor": "apl0"},
    quality_options={
        quality: {"profile": profile}
        for quality, profile in zip(Quality, ("proxy", "lt", "standard", "hq", "hq"), strict=True)
    },
    sound_codec="pcm_s16le",
    sound_format="s16",
)

DNXHR = replace(
    PRORES,
    key="dnxhr",
    name="MOV · DNxHR",
    purpose="For editing elsewhere: every frame stands by itself, large files",
    short_purpose="DNxHR, for editing",
    codec="dnxhd",
    pixel_format="yuv422p",
    least=(256, 120),
    codec_options={},
    quality_options={
        quality: {"profile": profile}
        for quality, profile in zip(
            Quality, ("dnxhr_lb", "dnxhr_lb", "dnxhr_sq", "dnxhr_hq", "dnxhr_hq"), strict=True
        )
    },
)

JPEG = ExportFormat(
    key="jpeg",
    name="Stills · JPEG",
    ending=".jpg",
    purpose="Numbered photos in a folder of their own, small",
    short_purpose="JPEG stills",
    container=Container.STILLS,
    codec="JPEG",
    pixel_format="rgb24",
    full_rgb=True,
    quality_options=_scale("quality", 60, 75, 85, 92, 97),
)

PNG = ExportFormat(
    key="png",
    name="Stills · PNG",
    ending=".png",
    purpose="Numbered pictures in a folder of their own, lossless in 8 bits",
    short_purpose="PNG stills, lossless",
    container=Container.STILLS,
    codec="PNG",
    pixel_format="rgb24",
    full_rgb=True,
    codec_options={"compress_level": "3"},
)

TIFF = ExportFormat(
    key="tiff",
    name="Stills · TIFF 16 bit",
    ending=".tif",
    purpose="Numbered pictures in a folder of their own, lossless in 16 bits, for grading",
    short_purpose="TIFF stills, 16 bit",
    container=Container.STILLS,
    codec="TIFF",
    pixel_format="rgb48le",
    full_rgb=True,
)

WEBP = ExportFormat(
    key="webp",
    name="WebP, looping",
    ending=".webp",
    purpose="A short picture that loops on a page, small and smooth",
    short_purpose="WebP that loops",
    container=Container.LOOP,
    muxer="webp",
    codec="libwebp_anim",
    pixel_format="bgra",
    full_rgb=True,
    max_rate=Fraction(100),
    max_side=2048,
    clock=1000,
    codec_options={"lossless": "0", "compression_level": "4"},
    quality_options=_scale("quality", 40, 60, 75, 85, 95),
    muxer_options={"loop": "0"},
)

GIF = ExportFormat(
    key="gif",
    name="GIF, looping",
    ending=".gif",
    purpose="A short picture that loops anywhere, in 256 colours chosen for it",
    short_purpose="GIF that loops",
    container=Container.LOOP,
    muxer="gif",
    codec="gif",
    pixel_format="rgb24",
    full_rgb=True,
    max_rate=Fraction(50),
    max_side=2048,
    clock=100,
    sole_quality="256 colours",
    muxer_options={"loop": "0"},
)

FORMATS = (MP4, MKV, H265, H265_10, VP9, AV1, PRORES, DNXHR, JPEG, PNG, TIFF, WEBP, GIF)
"""All formats; the first one is chosen unless a person chooses another, and the first one of an ending."""


def format_of(path: Path, key: str | None = None) -> ExportFormat:
    """The format that a name asks for; a name without an ending is a folder of stills.

    Args:
        path: where the result goes; for stills, a folder, or a pattern such as ``dawn/%05d.png``.
        key: of the format that was asked for beside it, if one was.

    Raises:
        PlanError: the ending is not one that can be written, or not of the format asked for.
    """
    if key is not None:
        chosen = format_named(key)
        if not fits_name(chosen, path):
            raise PlanError(f"{path.name} should end in {chosen.ending} to be {chosen.name}.")
        return chosen
    if not (ending := _ending(path)):
        return JPEG
    for each in FORMATS:
        if ending == each.ending and (not each.is_folder or "%" in path.name):
            return each
    raise PlanError(f"{path.name} should end in {_endings(FORMATS)}, or be a folder for stills.")


def fits_name(chosen: ExportFormat, path: Path) -> bool:
    """Whether a result under that name can have that format."""
    return _ending(path) in ((chosen.ending, "") if chosen.is_folder else (chosen.ending,))


def _ending(path: Path) -> str:
    ending = path.suffix.lower()
    return {".jpeg": ".jpg", ".tiff": ".tif"}.get(ending, ending)


def format_named(key: str) -> ExportFormat:
    """The format that project files call so. Raises KeyError if there is none."""
    return {each.key: each for each in FORMATS}[key]


def endings_in_words() -> str:
    """Such as ``.mp4, .mkv or .gif``."""
    *others, last = dict.fromkeys(each.ending for each in FORMATS if not each.is_folder)
    return f"{', '.join(others)} or {last}"


def _endings(formats: Iterable[ExportFormat]) -> str:
    first: dict[str, ExportFormat] = {}
    for each in formats:
        if not each.is_folder:
            first.setdefault(each.ending, each)
    *others, last = (f"{each.ending} ({each.short_purpose})" for each in first.values())
    return f"{', '.join(others)} or {last}"
