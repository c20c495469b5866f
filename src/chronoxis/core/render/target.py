"""What result frames are made for: size, pixel format and colour."""

from dataclasses import dataclass, replace
from fractions import Fraction

from chronoxis.core.model.export_format import Size
from chronoxis.core.picture.colour import BT709, RGB, Colour
from chronoxis.core.picture.tone import is_high_range
from chronoxis.core.render.plan import Plan

# Pixel formats that hold the very samples of another one.
_STANDINS = {
    "yuvj420p": "yuv420p",
    "yuvj422p": "yuv422p",
    "yuvj444p": "yuv444p",
    "nv12": "yuv420p",
    "p010le": "yuv420p10le",
    "rgb24": "bgr0",
    "bgr24": "bgr0",
    "rgb0": "bgr0",
    "gbrp": "bgr0",
    "rgb48le": "gbrp16le",
    "rgba": "bgra",
}


@dataclass(frozen=True)
class Target:
    """What frames are made for.

    Attributes:
        size: width and height of the frames, upright.
        pixel_format: of the frames.
        colour: how their code values stand for light.
        gather_small: whether frames are scaled before they are gathered: quicker, for previews.
        stretch: whether footage of another aspect fills the size, rather than stands between bars.
        pixel_aspect: how wide pixels are by their height.
    """

    size: Size
    pixel_format: str
    colour: Colour
    gather_small: bool = False
    stretch: bool = False
    pixel_aspect: Fraction = Fraction(1)


def export_target(plan: Plan) -> Target:
    """What a plan's export format writes."""
    wish, stretch = plan.settings.format, plan.settings.size.stretch
    base = plan.colour if wish.keeps_high_range else _ordinary(plan.colour)
    matrix = RGB if wish.full_rgb else base.matrix or BT709
    if plan.schedule.gathers and not base.is_writable:
        matrix = BT709
    colour = replace(base, matrix=matrix, full_range=wish.full_rgb)
    size, aspect = plan.stored
    filled = stretch or aspect != 1
    target = Target(size, wish.pixel_format, colour, stretch=filled, pixel_aspect=aspect)
    own = _untouched(plan)
    if own in wish.kept_formats and plan.pictures[0].colour == base:
        return replace(target, pixel_format=own, colour=plan.pictures[0].colour)
    return target


def unwritten_target(plan: Plan) -> Target:
    """Frames that are not for a file: as recorded, where nothing is done to them, else R′G′B′ of 16 bits."""
    stretch, first = plan.settings.size.stretch, plan.pictures[0]
    own = _untouched(plan)
    if own and first.colour == plan.colour:
        return Target(plan.size, own, first.colour, stretch=stretch)
    return Target(plan.size, "rgb48le", replace(plan.colour, matrix=RGB, full_range=True), stretch=stretch)


def _untouched(plan: Plan) -> str:
    """The pixel format in which all frames of a plan can be as recorded; nothing if there is none.

    New pictures are made in R′G′B′, may be finer than the recorded format can say, and are kept so.
    """
    first = plan.pictures[0]
    alike = len({(picture.pixel_format, picture.colour) for picture in plan.pictures}) == 1
    if not alike or plan.schedule.gathers or plan.changes_pictures:
        return ""
    return _STANDINS.get(first.pixel_format, first.pixel_format)


def _ordinary(colour: Colour) -> Colour:
    """The colour in which most results are written: high dynamic range becomes BT.709."""
    if not is_high_range(colour):
        return colour
    return replace(colour, matrix=BT709, primaries=BT709, transfer=BT709)


def preview_target(plan: Plan, height: int) -> Target:
    """R′G′B′ frames of a small size, made by the quickest way that looks the same."""
    width = max(2, round(height * plan.size[0] / plan.size[1]) // 2 * 2)
    colour = replace(_ordinary(plan.colour), full_range=True)
    return Target((width, height), "rgb24", colour, gather_small=True, stretch=plan.settings.size.stretch)
