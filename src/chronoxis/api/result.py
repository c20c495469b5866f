"""What a project comes to: its plan, its frames, and its export."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import numpy.typing as npt

from chronoxis.api.project import Project
from chronoxis.core.errors import Cancelled
from chronoxis.core.model.export_formats import fits_name, format_of
from chronoxis.core.picture.colour import RGB
from chronoxis.core.render import export as exporting
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.opened_project import planned
from chronoxis.core.render.plan import Plan as CorePlan
from chronoxis.core.render.target import export_target

Told = Callable[[str, float], None]
"""Called with what is measured and the share done, 0 to 1; it may raise `Cancelled` to stop."""


@dataclass(frozen=True, eq=False)
class Plan:
    """What a project comes to, to the frame.

    Attributes:
        project: what it was made from, as its footage was counted.
        value: how the rest of the program knows it; not part of what stays.
    """

    project: Project
    value: CorePlan

    def __len__(self) -> int:
        return len(self.value.schedule)

    @property
    def rate(self) -> Fraction:
        """Result frames per second."""
        return self.value.schedule.rate

    @property
    def length(self) -> Fraction:
        """Result seconds."""
        return self.value.schedule.length

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of result frames, in pixels."""
        return self.value.size

    @property
    def remark(self) -> str:
        """What a person should know of it, or nothing."""
        return self.value.remark

    def shot(self, number: int) -> int:
        """The shot that a result frame is of, counted from 0."""
        return int(self.value.schedule.shots[number])

    def sources(self, number: int) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.float64]]:
        """What a result frame is made of.

        Returns:
            Numbers of recorded frames of its shot's footage, counted from 0, ascending, and their weights,
            which sum to 1; shape (frames,) each.
        """
        return self.value.schedule.sources(number)

    def way(self, number: int) -> str:
        """How a result frame is made: ``one``, ``long-exposure``…, or what follows from other choices."""
        return str(self.value.schedule.way(number))


@dataclass(frozen=True)
class Progress:
    """How far an export is.

    Attributes:
        done: result frames written.
        total: in all.
        seconds_left: at the rate of late.
    """

    done: int
    total: int
    seconds_left: float


@dataclass(frozen=True)
class Exported:
    """What was written, read back from the finished file and compared with the plan.

    Attributes:
        path: the file, or the folder of stills.
        frames: how many it holds.
        rate: per second.
        bytes: of the file.
        remark: what a person should know of it, or nothing.
        stands_in: whether recorded frames could not be decoded, so that others stand in their places.
    """

    path: Path
    frames: int
    rate: Fraction
    bytes: int
    remark: str
    stands_in: bool


def plan(project: Project, told: Told = lambda _label, _share: None) -> Plan:
    """Work out what a project comes to; what its choices need of the pictures is measured first, once.

    Raises:
        ChronoxisError: footage is missing, damaged or not what it was, or the choices contradict each other.
        Cancelled: ``told`` raised it.
    """
    made = planned(project.value, told)
    return Plan(Project(made.project), made)


def frames(made: Plan, numbers: Sequence[int] | None = None) -> Iterator[tuple[int, npt.NDArray[np.uint16]]]:
    """Make result frames, one after another; memory does not grow with their number.

    Args:
        made: the plan.
        numbers: which ones, ascending, counted from 0; all, if not given.

    Yields:
        The number of each, and its codes: uint16, shape (height, width, 3), red, green, blue, encoded as its
        colour says (for most footage as BT.709 does), 65535 for white.

    Raises:
        FootageError: a recorded frame cannot be decoded, nor stood in for.
    """
    target = export_target(made.value)
    colour = replace(target.colour, matrix=RGB, full_range=True)
    target = replace(target, pixel_format="rgb48le", colour=colour)
    wanted = np.arange(len(made)) if numbers is None else np.asarray(numbers, np.int64)
    if not len(wanted):
        return
    made_frames = result_frames(made.value, target, numbers=wanted)
    for number, frame in zip(wanted.tolist(), made_frames, strict=True):
        yield number, frame.to_ndarray().astype(np.uint16, copy=False)


def export(
    made: Plan,
    output: str | Path,
    *,
    overwrite: bool = False,
    resume: bool = False,
    progress: Callable[[Progress], bool | None] = lambda _: None,
) -> Exported:
    """Write a result into a file, read that back, and compare it with the plan before it gets its name.

    Args:
        made: the plan.
        output: the file; for stills a folder, or a pattern such as ``dawn/%05d.png``. Its ending chooses the
            format, unless the project's goes with it.
        overwrite: whether a file of that name may be replaced.
        resume: whether to go on with what an interrupted export has left, and to leave that again.
        progress: called after each result frame; where it returns False, the export is stopped.

    Raises:
        ExportError: it cannot be written, or a file of that name is there.
        FootageError: footage can no longer be read.
        Cancelled: it was stopped; nothing is left behind, unless ``resume`` says so.
    """
    output, project = Path(output), made.value.project
    saved = project.settings
    chosen = saved.format if fits_name(saved.format, output) else format_of(output)
    value = made.value
    if chosen is not saved.format:
        value = planned(replace(project, settings=replace(saved, format=chosen)))

    def tell(now: exporting.ExportProgress) -> None:
        if progress(Progress(now.done, now.total, now.seconds_left)) is False:
            raise Cancelled

    done = exporting.export(value, output, overwrite=overwrite, resume=resume, progress=tell)
    return Exported(done.path, done.frames, done.rate, done.size, done.remark, bool(done.held))
