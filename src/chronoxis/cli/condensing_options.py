"""All options that say how footage is condensed."""

from collections.abc import Callable

from chronoxis.cli.follow_options import follow_options
from chronoxis.cli.lull_options import lull_options
from chronoxis.cli.options import (
    frame_options,
    framing_options,
    look_options,
    pace_options,
    photo_options,
    sound_options,
    with_options,
)
from chronoxis.cli.preset_options import preset_option

_GROUPS = (
    preset_option,
    pace_options,
    lull_options,
    follow_options,
    frame_options,
    photo_options,
    framing_options,
    look_options,
    sound_options,
)


def condensing_options(command: Callable[..., None]) -> Callable[..., None]:
    """All that says how footage is condensed, but for the file."""
    return with_options(command, _GROUPS)
