"""Choices of an export, as entries of files."""

from chronoxis.core.errors import PlanError
from chronoxis.core.files.converter import Entry, entries_of, spelled
from chronoxis.core.model.export_format import ExportFormat, Quality
from chronoxis.core.model.export_formats import FORMATS, format_named
from chronoxis.core.model.settings import ResultSettings, SizeWish


def _format(key: str) -> ExportFormat:
    try:
        return format_named(key)
    except KeyError:
        known = ", ".join(each.key for each in FORMATS)
        raise PlanError(f"there is none of that name; there are {known}.") from None


def _size_written(size: SizeWish) -> Entry:
    return {"size": str(size), "stretch": size.stretch}


def _size_read(item: Entry) -> SizeWish:
    return SizeWish.parse(item["size"], stretch=item.get("stretch", False))


def _settings_told(_settings: ResultSettings, entry: Entry) -> Entry:
    return {"format": entry.pop("format"), **entry.pop("size"), **entry}


def _settings_fields(item: Entry) -> Entry:
    return {**item, "size": item}


spelled(ExportFormat, lambda chosen: chosen.key, _format)
spelled(SizeWish, _size_written, _size_read)
spelled(Quality, lambda quality: quality.name.lower(), Quality.parse)
entries_of(ResultSettings, told=_settings_told, fields=_settings_fields)
