"""What result frames are made for: size, pixel format and colour."""

from dataclasses import dataclass, replace

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
        size: width and height of the frames, upright and in square pixels.
        pixel_format: of the frames.
        colour: how their code values stand for light.
        gather_small: whether frames are scaled before they are gathered: quicker, for previews.
        stretch: whether footage of another aspect fills the size, rather than stands between bars.
    """

    size: Size
    pixel_format: str
    colour: Colour
    gather_small: bool = False
    stretch: bool = False


def export_target(plan: Plan) -> Target:
    """What a plan's export format writes."""
    first, wish, stretch = plan.pictures[0], plan.settings.format, plan.settings.size.stretch
    base = plan.colour if wish.keeps_high_range else _ordinary(plan.colour)
    matrix = RGB if wish.full_rgb else base.matrix or BT709
    if plan.schedule.gathers and not base.is_writable:
        matrix = BT709
    colour = replace(base, matrix=matrix, full_range=wish.full_rgb)
    target = Target(plan.size, wish.pixel_format, colour, stretch=stretch)
    own = _STANDINS.get(first.pixel_format, first.pixel_format)
    alike = len({(picture.pixel_format, picture.colour) for picture in plan.pictures}) == 1
    # New pictures are made in R′G′B′ and may be finer than the recorded format can say: kept as they are.
    alike &= first.colour == base
    if own in wish.kept_formats and alike and not plan.schedule.gathers and not plan.changes_pictures:
        return replace(target, pixel_format=own, colour=first.colour)
    return target


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
