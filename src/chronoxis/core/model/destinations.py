"""Where a result should go: what the file is like for that, and what shape."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction

from chronoxis.core.model import arranging, composing
from chronoxis.core.model.export_format import Quality, Size
from chronoxis.core.model.export_formats import GIF, PRORES
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings, SizeWish


@dataclass(frozen=True)
class Destination:
    """A place for results.

    Attributes:
        label: what a person calls it, with ``&`` before the letter that chooses it.
        about: what that means for the file.
        settings: what the file is like.
        shape: width by height; as recorded, if None.
    """

    label: str
    about: str
    settings: ResultSettings
    shape: Fraction | None = None


DESTINATIONS = (
    Destination("a &film to show", "MP4, as large as it was recorded", ResultSettings()),
    Destination(
        "&upright, for a phone",
        "MP4, 9:16, cropped from the middle",
        ResultSettings(size=SizeWish(height=1080)),
        Fraction(9, 16),
    ),
    Destination(
        "a small &loop",
        "GIF, 480 lines, silent: for messages and pages",
        ResultSettings(GIF, SizeWish(height=480), sound=False),
    ),
    Destination(
        "to be &edited further",
        "ProRes, of high quality, for other programs",
        ResultSettings(PRORES, quality=Quality.HIGH),
    ),
)


def send_to(project: Project, destination: Destination, sizes: Mapping[int, Size]) -> Project:
    """A project whose result goes there.

    Args:
        project: the project.
        destination: where.
        sizes: of the pictures of its shots, by their numbers; shots that are not in it keep their shape.
    """
    settings = destination.settings
    sound = settings.sound and project.settings.sound
    project = arranging.set_settings(project, replace(settings, sound=sound))
    return composing.shape_shots(project, sizes, destination.shape)
