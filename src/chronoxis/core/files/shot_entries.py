"""Shots with their passages, as entries of files."""

from fractions import Fraction

from chronoxis.core.files.converter import Entry, entries_of, listed
from chronoxis.core.model.framing import View
from chronoxis.core.model.project import Passage, Shot
from chronoxis.core.timing.frame_making import PassersBy


def _shot_told(_shot: Shot, entry: Entry) -> Entry:
    """What is done about passers-by is one group; passages, of which there may be very many, come last."""
    everywhere, apart = entry.pop("passers_by"), entry.pop("passers_apart")
    passages = entry.pop("passages")
    handled = {"all": everywhere, "apart": [{"at": at, "do": wish} for at, wish in apart]}
    return {**entry, "passers_by": handled, "passages": passages}


def _shot_fields(item: Entry) -> Entry:
    handled = item.get("passers_by", {})
    apart = [[each["at"], each["do"]] for each in handled.get("apart", [])]
    ascending = sorted(apart, key=lambda each: Fraction(each[0]))
    return {**item, "passers_by": handled.get("all", PassersBy.LEAVE), "passers_apart": ascending}


listed(View)
entries_of(Passage, names={"recorded_length": "recorded"})
entries_of(
    Shot,
    names={"in_point": "in"},
    left_out=("runs",),
    told=_shot_told,
    fields=_shot_fields,
)
