"""Photo runs as a kind of footage."""

from collections.abc import Callable, Hashable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property
from pathlib import Path

import numpy as np
from av.video.frame import VideoFrame

from chronoxis.core.cores import usable_cores
from chronoxis.core.errors import FootageError, PlanError
from chronoxis.core.footage.own_process import Told, run_in_own_process
from chronoxis.core.footage.photos.course import Course
from chronoxis.core.footage.photos.folders import photos_at, photos_of, runs_in
from chronoxis.core.footage.photos.photo_facts import PhotoRunFacts
from chronoxis.core.footage.photos.photo_file import missing_extra
from chronoxis.core.footage.photos.photo_header import PhotoHeader, read_header
from chronoxis.core.footage.photos.photo_pixels import largest_reduction
from chronoxis.core.footage.photos.photo_reader import PhotoReader
from chronoxis.core.footage.source import Flaw, Originals, Progress, Thumbnails
from chronoxis.core.footage.usual import UsualSource
from chronoxis.core.model.arranging import retime
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.photo_endings import ENDINGS
from chronoxis.core.model.photo_run import Clock, FlawKind, Handling, PhotoFiles, PhotoRun, PhotoTime
from chronoxis.core.model.project import Project
from chronoxis.core.sound.samples import Samples
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.shot_columns import Spans

_MANY_HEADERS = 400  # headers from which a process of their own is worth its start
_REPORT_HEADERS = 50  # headers between two words about how far it is
_FIRST_PICTURE_SIZE = (320, 320)
_TRIED_PHOTOS = 20  # photos whose headers are tried for a first picture


@dataclass(frozen=True, eq=False)
class PhotoSource(UsualSource):
    """A photo run that is ready for access, as a project's choices have it."""

    facts: PhotoRunFacts
    run: PhotoRun
    _others: dict[Hashable, "PhotoSource"] = field(default_factory=dict)

    @cached_property
    def course(self) -> Course:
        """Which photo is on display when."""
        return self.facts.course(self.run)

    @property
    def files(self) -> tuple[Path, ...]:
        """The path of each photo, in the order of the run."""
        return self.facts.origin.paths

    @property
    def rate(self) -> Fraction:
        """Photos per recorded second, as a rule."""
        return self.facts.rate_of(self.run)

    @property
    def length(self) -> Fraction:
        """Recorded seconds."""
        return self.course.begins[-1]

    @property
    def edges(self) -> Seconds:
        """When each place is on display, in recorded seconds."""
        return self.course.edges

    @cached_property
    def flaws(self) -> tuple[Flaw, ...]:
        """What is wrong, and where."""
        spans = ((flaw, self.course.span(flaw)) for flaw in self.facts.flaws)
        return tuple(
            Flaw(float(begin), float(end), self.facts.in_words(flaw)) for flaw, (begin, end) in spans
        )

    @property
    def holes(self) -> Spans:
        """Places whose photos are not there and are to be filled in."""
        return self.course.holes

    @cached_property
    def originals(self) -> Originals:
        """Every photo once, one after another; one that cannot be read is as the one before."""
        kept = tuple((kind, Handling.KEEP) for kind in FlawKind)
        every = replace(self.run, time=PhotoTime.at_rate(Fraction(1)), handling=kept, apart=())
        shows = np.array([slot.shows for slot in self.course.slots], np.int64)
        return Originals(PhotoSource(self.facts, every), numbers=shows)

    def frame_at(self, seconds: float) -> int:
        """Number of the place on display."""
        found = int(np.searchsorted(self.edges, seconds + 1e-9, "right")) - 1
        return min(max(found, 0), len(self.course.slots) - 1)

    def begins(self, frame: int) -> Fraction:
        """When a place begins, exactly; behind the last one, the length."""
        return self.course.begins[frame]

    def form_of_frames(self, needed: Size | None, *, fit: bool) -> tuple[int, Size | None]:
        """By how much photos are decoded smaller, and the size that they are brought to."""
        size = self.facts.size
        reduction = largest_reduction(size, needed) if needed else 1
        smaller = needed is not None and needed[0] <= size[0] and needed[1] <= size[1]
        return reduction, needed if fit and smaller else None

    def reader(self, threads: int = 0, needed: Size | None = None, *, fit: bool = False) -> PhotoReader:
        """Open it; ``needed`` is how large photos need to be, with ``fit`` how large they will be."""
        facts = self.facts
        reduction, fitted = self.form_of_frames(needed, fit=fit)
        shows = [slot.shows for slot in self.course.slots]
        return PhotoReader(
            facts.origin.paths,
            shows,
            facts.size,
            deep=facts.deep,
            reduction=reduction,
            threads=threads,
            fitted=fitted,
        )

    def sound_between(
        self,
        _begin: Fraction,
        _end: Fraction,
        _rate: int,
        _layout: str,
        broken: Callable[[Fraction], None] | None = None,
    ) -> AbstractContextManager[Iterator[Samples]]:
        """Raises FootageError: photos have no sound."""
        raise FootageError(f"{self.run.label} has no sound: it is a run of photos.")

    def chosen(self, run: PhotoRun) -> "PhotoSource":
        """The same photos as another value of the run has them."""
        if run.course == self.run.course:
            return self
        if run.course not in self._others:
            self._others.clear()  # the newest one only: each edit makes another
            self._others[run.course] = PhotoSource(self.facts, run)
        return self._others[run.course]


class PhotoRunKind:
    """Opens photos, and folders of them."""

    facts_class = PhotoRunFacts
    endings = ENDINGS

    def claims(self, origin: Hashable) -> bool:
        """Photos, a folder, or a file that ends like a photo."""
        if isinstance(origin, Path):
            return origin.suffix.lower() in ENDINGS or origin.is_dir()
        return isinstance(origin, PhotoFiles)

    def origins(self, paths: Sequence[Path]) -> list[Hashable]:
        """The runs that chosen photos make, and all in chosen folders. Raises FootageError."""
        found: list[Hashable] = [*photos_of([path for path in paths if not path.is_dir()])]
        for folder in [path for path in paths if path.is_dir()]:
            found += runs_in(folder)
        return found

    def meet(self, origin: PhotoFiles | Path) -> tuple[PhotoRunFacts, VideoFrame]:
        """Facts by the first photo that can be read, and that one, small. Raises FootageError."""
        photos = photos_at(origin) if isinstance(origin, Path) else origin
        if not photos.folder.is_dir():
            raise FootageError(f"{photos.folder} is not there; check the path, or find where it was moved.")
        header = PhotoHeader("")
        for path in photos.paths[:_TRIED_PHOTOS]:
            header = read_header(path)
            if header.wrong:
                continue
            try:
                return PhotoRunFacts.of(photos, [header]), _small(path, header)
            except FootageError:
                header = replace(header, wrong="is damaged")
        wanting = missing_extra(photos.paths[0])
        raise FootageError(
            f"{photos.folder.name} cannot be opened: {wanting}."
            if wanting
            else f"{header.name} {header.wrong}, and no photo after it can be read; copy them again."
        )

    def footage(self, facts: PhotoRunFacts) -> PhotoRun:
        """As a project keeps it."""
        return facts.usual

    def count(self, facts: PhotoRunFacts, progress: Progress | None, *, gently: bool) -> PhotoSource:
        """Read all headers; ``gently``, many of them in a process of their own. Raises FootageError."""
        paths = facts.origin.paths
        if gently and progress is not None and len(paths) > _MANY_HEADERS:
            told = run_in_own_process(tell_headers, list(map(str, paths)), progress, facts.origin.folder.name)
            headers = [PhotoHeader.of_told(each) for each in told.values]
        else:
            headers = read_headers(paths, progress or (lambda _: None))
        if all(header.wrong for header in headers):
            raise FootageError(f"{headers[0].name} {headers[0].wrong}, and so is every photo beside it.")
        read = PhotoRunFacts.of(facts.origin, headers)
        source = PhotoSource(read, read.usual)
        _ = source.edges, source.flaws, source.course.own_slots  # here, where nobody waits for it
        return source

    def settled(self, project: Project, footage: Footage, source: PhotoSource) -> Project:
        """A project in which a run that was not counted is told by its dates, where they make sense."""
        assert isinstance(footage, PhotoRun)
        if footage.counted:
            return with_choices(project, source, footage)
        try:
            return _settled(project, source, replace(footage, time=source.facts.usual.time))
        except PlanError:
            return _settled(project, source, footage)

    def as_chosen(self, source: PhotoSource, footage: Footage) -> PhotoSource:
        """The source as the run's choices have it."""
        return source.chosen(footage) if isinstance(footage, PhotoRun) else source

    @contextmanager
    def thumbnails(self, facts: PhotoRunFacts) -> Iterator[Thumbnails]:
        """Small photos; none until it is known when each is on display."""
        if not facts.is_read:
            yield lambda _: None
            return
        source = PhotoSource(facts, facts.usual)
        with source.reader(1, _FIRST_PICTURE_SIZE) as reader:
            yield lambda seconds: reader.frame(source.frame_at(seconds))


def _small(path: Path, header: PhotoHeader) -> VideoFrame:
    """One photo by itself, small. Raises FootageError."""
    reduction = largest_reduction(header.size, _FIRST_PICTURE_SIZE)
    with PhotoReader([path], [0], header.size, deep=header.deep, reduction=reduction, threads=1) as reader:
        return reader.frame(0)


def tell_headers(paths: list[str], progress: Progress) -> Told:
    """`read_headers` as JSON values."""
    return Told([header.told() for header in read_headers(tuple(map(Path, paths)), progress)], {})


def read_headers(paths: tuple[Path, ...], progress: Progress) -> list[PhotoHeader]:
    """Headers of photos, in their order. Raises what ``progress`` raises."""
    headers: list[PhotoHeader] = []
    with ThreadPoolExecutor(usable_cores()) as pool:
        for first in range(0, len(paths), _REPORT_HEADERS):
            headers += pool.map(read_header, paths[first : first + _REPORT_HEADERS])
            progress(len(headers) / len(paths))
    return headers


def with_choices(project: Project, source: PhotoSource, wish: PhotoRun) -> Project:
    """A project with other choices about a run; shots keep their photos.

    Where photos per second are changed, speeds stay and lengths follow. Everything else says only how
    real time went: lengths stay, and speeds follow.

    Raises:
        PlanError: a speed that follows is out of range.
    """
    old = project.footage_named(wish.key)
    assert isinstance(old, PhotoRun)
    new = source.facts.measured(wish)
    played = old.counted and old.time.clock is new.time.clock is Clock.RATE
    left_out = old.time == new.time
    moved = source.chosen(old).course.to(source.chosen(new).course)
    return retime(project, new, moved, faster=Fraction(1) if played or left_out else None)


def _settled(project: Project, source: PhotoSource, wish: PhotoRun) -> Project:
    """A project with a run that was not counted: until then, it was its files one after another."""
    old, new = project.footage_named(wish.key), source.facts.measured(wish)
    course = source.chosen(new).course
    own, begins = course.own_slots, course.begins

    def moved(at: Fraction) -> Fraction:
        photo, part = divmod(at * old.rate, 1)
        later = next(
            (own[number] for number in range(int(photo), len(new.photos.names)) if number in own), None
        )
        return new.length if later is None else begins[later] + part * (begins[later + 1] - begins[later])

    return retime(project, new, moved, faster=old.rate / new.rate)
