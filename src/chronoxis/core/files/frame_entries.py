"""How frames are made and corrected, as entries of files."""

from chronoxis.core.files.converter import Entry, entries_of, spelled
from chronoxis.core.model.making import checked_window
from chronoxis.core.parameters import written_values
from chronoxis.core.timing.frame_making import EachFrame, FrameMaking


def _each_written(each: EachFrame) -> Entry:
    settings = {"settings": written_values(each.settings)} if each.settings is not None else {}
    return {"each": each.key, **settings}


def _each_read(item: Entry) -> EachFrame:
    return EachFrame.of_file(item.get("each", EachFrame.ONE.key), item.get("settings", {}))


def _making_told(_making: FrameMaking, entry: Entry) -> Entry:
    return {**entry.pop("each"), **entry}


def _making_fields(item: Entry) -> Entry:
    way = {name: item[name] for name in ("each", "settings") if name in item}
    return {**item, "each": way}


def _check_making(making: FrameMaking) -> None:
    if making.window is not None:
        checked_window(making.window)


spelled(EachFrame, _each_written, _each_read)
entries_of(FrameMaking, told=_making_told, fields=_making_fields, check=_check_making)
