"""Music as a kind of footage."""

from collections.abc import Callable, Hashable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from av.video.frame import VideoFrame

from chronoxis.core.footage.absent import DarkReader
from chronoxis.core.footage.music.music_facts import MusicFacts, read_music
from chronoxis.core.footage.recording.containers import open_container
from chronoxis.core.footage.source import Progress, Thumbnails
from chronoxis.core.footage.usual import UsualSource
from chronoxis.core.model import arranging
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.music import Music, MusicFile
from chronoxis.core.model.project import Project
from chronoxis.core.sound.excerpt import excerpt
from chronoxis.core.sound.samples import Samples
from chronoxis.core.timing.pace import Seconds

_ENDINGS = "wav flac mp3 m4a aac opus ogg oga wma aif aiff mka"


@dataclass(frozen=True, eq=False)
class MusicSource(UsualSource):
    """Music that is ready to be heard; where pictures are asked for, it is dark."""

    facts: MusicFacts

    @property
    def files(self) -> tuple[Path, ...]:
        """The one file that it is read from."""
        return (self.facts.path,)

    @property
    def start(self) -> Fraction:
        """Where its sound begins."""
        return self.facts.start

    @property
    def rate(self) -> Fraction:
        """What its length is counted in."""
        return self.facts.rate

    @property
    def length(self) -> Fraction:
        """Seconds."""
        return self.facts.length

    @property
    def edges(self) -> Seconds:
        """One frame, all the time."""
        return np.array([0.0, float(self.length)])

    def frame_at(self, _seconds: float) -> int:
        """The number of the only, dark frame."""
        return 0

    def begins(self, frame: int) -> Fraction:
        """When its dark frame begins."""
        return self.length if frame else Fraction(0)

    @property
    def has_pictures(self) -> bool:
        """Music is heard only; where pictures are asked for, it is dark."""
        return False

    def reader(self, _threads: int = 0, _needed: Size | None = None, *, fit: bool = False) -> DarkReader:
        """Gives dark frames."""
        return DarkReader()

    @contextmanager
    def sound_between(
        self,
        begin: Fraction,
        end: Fraction,
        rate: int,
        layout: str,
        broken: Callable[[Fraction], None] | None = None,
    ) -> Iterator[Iterator[Samples]]:
        """Its sound between two seconds. Raises FootageError if it cannot be decoded."""
        path, start = self.facts.path, self.facts.start
        with open_container(path) as container:
            yield excerpt(container, path, start + begin, start + end, rate, layout, broken)


class MusicKind:
    """Opens files for their sound alone."""

    facts_class = MusicFacts
    endings = tuple(f".{ending}" for ending in _ENDINGS.split())

    def claims(self, origin: Hashable) -> bool:
        """Music, or a file that ends like music."""
        if isinstance(origin, Path):
            return origin.suffix.lower() in self.endings and not origin.is_dir()
        return isinstance(origin, MusicFile)

    def origins(self, paths: Sequence[Path]) -> list[Hashable]:
        """Each file by itself."""
        return [MusicFile(path) for path in paths]

    def meet(self, origin: MusicFile | Path) -> tuple[MusicFacts, VideoFrame]:
        """Facts, and darkness for a picture. Raises FootageError."""
        path = origin if isinstance(origin, Path) else origin.path
        return read_music(path), DarkReader().frame(0)

    def footage(self, facts: MusicFacts) -> Music:
        """As a project keeps it."""
        key = facts.path.stem.lower().replace(" ", "-") or "music"
        return Music(
            key=key, path=facts.path, stored_rate=facts.rate, stored_length=facts.length, credit=facts.credit
        )

    def count(self, facts: MusicFacts, progress: Progress | None, *, gently: bool) -> MusicSource:
        """Add up its packets. Raises FootageError."""
        return MusicSource(facts.measured(progress))

    def settled(self, project: Project, footage: Footage, source: MusicSource) -> Project:
        """A project with the length that was counted."""
        return arranging.measure(project, footage.key, source.rate, source.length)

    def as_chosen(self, source: MusicSource, _footage: Footage) -> MusicSource:
        """The source itself."""
        return source

    def thumbnails(self, facts: MusicFacts) -> AbstractContextManager[Thumbnails]:
        """Music has no pictures: there are no small ones to be read."""

        @contextmanager
        def nothing() -> Iterator[Thumbnails]:
            yield lambda _: None

        return nothing()
