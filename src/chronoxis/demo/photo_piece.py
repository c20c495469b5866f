"""The demo's second project: a dawn out of photos, and a knot that is tied picture by picture."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.canvas import Canvas
from chronoxis.core.model.composing import set_framings
from chronoxis.core.model.framing import Easing, Framing, FramingStep, View
from chronoxis.core.model.photo_run import DATES, PhotoFiles, PhotoRun, PhotoTime
from chronoxis.core.model.project import Place, Project
from chronoxis.demo import first_light_truth as truth
from chronoxis.demo import knot_picture

RATE = Fraction(24)
KNOT_RATE = Fraction(12)

_CANVAS = Canvas(1920, 1080, 0, 1, 13, full_range=True)
_MOVE = (
    FramingStep(Fraction(0), View(*map(Fraction, (0, 250, 2400, 1350)))),
    FramingStep(Fraction(1), View(*map(Fraction, (520, 620, 1600, 900)))),
)


def first_light_files(folder: Path) -> PhotoFiles:
    """The photos of *First light* in a demo folder."""
    return PhotoFiles(folder / "First-light", tuple(truth.photo_name(number) for number in truth.there()))


def knot_files(folder: Path) -> PhotoFiles:
    """The photos of *The knot* in a demo folder."""
    return PhotoFiles(folder / "The-knot", tuple(f"knot-{n + 1:02d}.jpg" for n in range(knot_picture.COUNT)))


def photo_piece(folder: Path) -> Project:
    """A dawn of ten seconds, one photo for each frame, over which the view moves; then the knot."""
    dawn = PhotoRun(
        key="first-light",
        photos=first_light_files(folder),
        stored_rate=Fraction(1, truth.INTERVAL),
        stored_length=Fraction(truth.COUNT * truth.INTERVAL),
        counted=True,
        time=DATES,
    )
    knot = PhotoRun(
        key="the-knot",
        photos=knot_files(folder),
        stored_rate=KNOT_RATE,
        stored_length=knot_picture.COUNT / KNOT_RATE,
        counted=True,
        time=PhotoTime.at_rate(KNOT_RATE),
    )
    project = replace(Project(), rate=RATE, canvas=_CANVAS)
    for run in (dawn, knot):
        project = arranging.add_shot(arranging.bring_in(project, run), run.key)
    project = pacing.set_speed(project, [Place(0, 0)], truth.INTERVAL * RATE)
    return set_framings(project, {0: Framing(_MOVE, easing=Easing.GENTLE)})
