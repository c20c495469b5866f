"""Which footage of the demo shows what a shipped preset is for."""

from chronoxis.demo.larkfield import CREW_NAME, FIELD_NAME, LIGHT_NAME, PARTS, PLAN_NAME, WALK_NAME, Part

_SHOWN_BY = {
    "Sky or city from a tripod": FIELD_NAME,
    "Walk to hyperlapse": WALK_NAME,
    "Workshop or drawing": CREW_NAME,
    "Screen recording": PLAN_NAME,
    "Photos of a dawn": LIGHT_NAME,
    "Night sky": LIGHT_NAME,
    "Rewind": FIELD_NAME,
}


def part_for(preset: str) -> Part:
    """The footage that suits a preset of a name; a view from a tripod suits any."""
    name = _SHOWN_BY.get(preset, FIELD_NAME)
    return next(part for part in PARTS if part.name == name)
