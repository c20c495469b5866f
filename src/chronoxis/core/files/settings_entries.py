"""Choices of an export, as entries of files."""

from typing import Any

from chronoxis.core.errors import PlanError
from chronoxis.core.files.entry_places import MisplacedError
from chronoxis.core.model.export_format import Quality
from chronoxis.core.model.export_formats import FORMATS, format_named
from chronoxis.core.model.settings import ResultSettings, SizeWish


def settings_json(settings: ResultSettings) -> dict[str, Any]:
    """Choices of an export as JSON values."""
    return {
        "format": settings.format.key,
        "size": str(settings.size),
        "stretch": settings.size.stretch,
        "quality": settings.quality.name.lower(),
        "sound": settings.sound,
        "bitrate": settings.bitrate,
        "at_most": settings.at_most,
        "credits": settings.credits,
        "goes_to": settings.goes_to,
    }


def settings_from(item: dict[str, Any]) -> ResultSettings:
    """The inverse. Raises MisplacedError: a size or a format is none."""
    try:
        size = SizeWish.parse(item["size"], stretch=item.get("stretch", False))
    except PlanError as error:
        raise MisplacedError("size", str(error)) from error
    try:
        chosen = format_named(item["format"])
    except KeyError:
        known = ", ".join(each.key for each in FORMATS)
        raise MisplacedError("format", f"there is none of that name; there are {known}.") from None
    return ResultSettings(
        chosen,
        size,
        Quality.parse(item["quality"]),
        item["sound"],
        item.get("bitrate"),
        item.get("at_most"),
        item.get("credits", False),
        item.get("goes_to", ""),
    )
