"""Recordings as a kind of footage."""

from collections.abc import Callable, Hashable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from pathlib import Path

import numpy as np
from av.video.frame import VideoFrame

from chronoxis.core.errors import FootageError
from chronoxis.core.footage.own_process import run_in_own_process
from chronoxis.core.footage.recording.containers import open_container
from chronoxis.core.footage.recording.frame_count import count_frames, tell_frames
from chronoxis.core.footage.recording.frame_index import FrameIndex
from chronoxis.core.footage.recording.frame_reader import FrameReader
from chronoxis.core.footage.recording.recording_facts import RecordingFacts, read_opening
from chronoxis.core.footage.recording.thumbnails import key_frames
from chronoxis.core.footage.source import Originals, Progress, Thumbnails
from chronoxis.core.footage.usual import UsualSource
from chronoxis.core.model import arranging
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.project import Project
from chronoxis.core.model.recording import Recording
from chronoxis.core.sound.excerpt import excerpt
from chronoxis.core.sound.samples import Samples
from chronoxis.core.timing.pace import Seconds

_MANY_FRAMES = 20_000  # frames to count from which a process of their own is worth its start
_ENDINGS = (
    "mp4 mov m4v mkv webm avi mts m2ts ts mpg mpeg m2v vob wmv flv 3gp 3g2 ogv mxf dv h264 264 hevc 265 y4m"
)


@dataclass(frozen=True, eq=False)
class RecordingSource(UsualSource):
    """A recording that is ready for exact access."""

    facts: RecordingFacts
    index: FrameIndex

    @property
    def files(self) -> tuple[Path, ...]:
        """The one file that it is read from."""
        return (self.facts.path,)

    @property
    def start(self) -> Fraction:
        """Where its first frame stands."""
        return self.index.start

    @property
    def rate(self) -> Fraction:
        """Frames per second as the file plays."""
        return self.index.rate

    @property
    def length(self) -> Fraction:
        """Seconds as the file plays."""
        return self.index.length

    @property
    def edges(self) -> Seconds:
        """When each frame is on display, in seconds of the file."""
        return self.index.edges

    def frame_at(self, seconds: float) -> int:
        """Number of the frame on display."""
        return self.index.frame_at(seconds)

    def begins(self, frame: int) -> Fraction:
        """When a frame begins, exactly; behind the last one, the length."""
        index = self.index
        if not index.variable:
            return frame / index.rate
        return (
            index.length
            if frame == len(index)
            else int(index.stamps[frame] - index.stamps[0]) * index.time_base
        )

    @property
    def is_quick(self) -> bool:
        """No: most frames hang on others before them."""
        return False

    @cached_property
    def originals(self) -> Originals:
        """Itself; key frames can be had by themselves."""
        index = self.index
        leaps = np.searchsorted(index.stamps, index.clean_stamps) if index.stamped else np.zeros(1, np.int64)
        return Originals(self, leaps=np.unique(leaps[leaps < len(index)]))

    def reader(self, threads: int = 0, _needed: Size | None = None, *, fit: bool = False) -> FrameReader:
        """Open the file; frames come as they were recorded. Raises FootageError if that cannot be done."""
        form = self.facts.picture
        return FrameReader(self.facts.path, self.index, threads, (form.coded_width, form.coded_height))

    @contextmanager
    def sound_between(
        self,
        begin: Fraction,
        end: Fraction,
        rate: int,
        layout: str,
        broken: Callable[[Fraction], None] | None = None,
    ) -> Iterator[Iterator[Samples]]:
        """Its main sound between two seconds of the file. Raises FootageError if there is none."""
        path, start = self.facts.path, self.index.start
        if self.facts.sound is None:
            raise FootageError(f"{path.name} has no sound.")
        with open_container(path) as container:
            yield excerpt(container, path, start + begin, start + end, rate, layout, broken)


class RecordingKind:
    """Opens whatever no other kind claims as a video file."""

    facts_class = RecordingFacts
    endings = tuple(f".{ending}" for ending in _ENDINGS.split())

    def claims(self, origin: Hashable) -> bool:
        """Any path: what it is, only opening it tells."""
        return isinstance(origin, Path)

    def origins(self, paths: Sequence[Path]) -> list[Hashable]:
        """The files themselves."""
        return [*paths]

    def meet(self, origin: Path) -> tuple[RecordingFacts, VideoFrame]:
        """Facts and first picture. Raises FootageError."""
        return read_opening(origin)

    def footage(self, facts: RecordingFacts) -> Recording:
        """As a project keeps it."""
        key = facts.path.stem.lower().replace(" ", "-") or "footage"
        length = max(facts.length, 1 / facts.rate)
        return Recording(key=key, path=facts.path, stored_rate=facts.rate, stored_length=length)

    def count(self, facts: RecordingFacts, progress: Progress | None, *, gently: bool) -> RecordingSource:
        """Read the frame index; ``gently``, a long one in a process of its own. Raises FootageError."""
        if gently and progress is not None and facts.frame_count > _MANY_FRAMES:
            told = run_in_own_process(tell_frames, [str(facts.path)], progress, facts.path.name)
            index = FrameIndex.of_told(told)
        else:
            index = count_frames(facts.path, progress)
        return RecordingSource(facts.counted(index), index)

    def settled(self, project: Project, footage: Footage, source: RecordingSource) -> Project:
        """A project with the rate and the length that were counted."""
        return arranging.measure(project, footage.key, source.rate, source.length)

    def as_chosen(self, source: RecordingSource, _footage: Footage) -> RecordingSource:
        """The source itself: choices about a recording are the same for all of its frames."""
        return source

    def thumbnails(self, facts: RecordingFacts) -> AbstractContextManager[Thumbnails]:
        """Its key frames. Raises FootageError."""
        return key_frames(facts.path)
