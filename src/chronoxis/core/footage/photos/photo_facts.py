"""What a photo run is, as far as its photos' headers tell."""

from collections import Counter
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import Any

from chronoxis.core.footage.photos.capture_times import CaptureTimes, capture_times
from chronoxis.core.footage.photos.course import Course, PhotoFlaw, course_of, flaws_of
from chronoxis.core.footage.photos.photo_header import PhotoHeader
from chronoxis.core.footage.photos.run_names import NumberedRun, natural_key, numbered, rolled_over
from chronoxis.core.footage.source import SoundFacts
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.photo_run import (
    DATES,
    FIRST_RATE,
    USUAL_HANDLING,
    FlawKind,
    Handling,
    PhotoFiles,
    PhotoRun,
    apart_in_words,
)
from chronoxis.core.picture.colour import BT709, RGB, SRGB, Colour
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.timing.timecode import format_time

_MOST_COURSES = 4  # that are kept: each edit of the choices makes another
# Between photos whose dates tell recorded time of themselves: speeds have a limit.
_LONGEST_INTERVAL = Fraction(3600)

# Of each kind of flaw: one of it, several, and what is said of a single one.
_WORDS = {
    FlawKind.MISSING: ("number is missing", "numbers are missing", "{count} missing after {name}"),
    FlawKind.UNREADABLE: ("photo cannot be read", "photos cannot be read", "{name} {wrong}"),
    FlawKind.GAP: ("gap in time", "gaps in time", "a pause of {count} photos after {name}"),
    FlawKind.DOUBLED: ("time is doubled", "times are doubled", "{name} has the time of the one before"),
    FlawKind.DISORDERED: ("date does not fit", "dates do not fit", "{name} has a date out of order"),
    FlawKind.OTHER_SIZE: ("photo is of another size", "photos are of another size", "{name} is {size}"),
}
_DONE = {
    Handling.KEEP: "kept",
    Handling.LEAVE_OUT: "left out",
    Handling.HOLD: "the photo before is held",
    Handling.FILL: "filled in",
}


@dataclass(frozen=True, eq=False)
class PhotoRunFacts:
    """What a photo run is.

    Attributes:
        origin: its files.
        photos: their headers; of the first one that can be read alone, until all were read.
        size: width and height of most of them.
        deep: whether any has more than eight bits a sample.
    """

    origin: PhotoFiles
    photos: tuple[PhotoHeader, ...]
    size: Size
    deep: bool

    @classmethod
    def of(cls, origin: PhotoFiles, photos: Sequence[PhotoHeader]) -> "PhotoRunFacts":
        """From headers, of which at least one can be read."""
        good = [photo for photo in photos if not photo.wrong]
        size = Counter(photo.size for photo in good).most_common(1)[0][0]
        return cls(origin, tuple(photos), size, any(photo.deep for photo in good))

    @property
    def is_read(self) -> bool:
        """Whether all headers were read."""
        return len(self.photos) == len(self.origin.names)

    @cached_property
    def missing(self) -> Mapping[int, int]:
        """After how many photos numbers are missing, and how many."""
        run = numbered(self.origin.names)
        if run.names == self.origin.names:
            return run.missing
        return self._rolled.missing if self._rolled is not None else {}

    @cached_property
    def _rolled(self) -> NumberedRun | None:
        """The run in its order, if its counter began anew on the way."""
        rolled = rolled_over(numbered(self.origin.names))
        return rolled if rolled is not None and rolled.names == self.origin.names else None

    @cached_property
    def times(self) -> CaptureTimes | None:
        """Its dates, if they make sense."""
        return capture_times(self.photos, self.missing) if self.is_read else None

    @cached_property
    def flaws(self) -> tuple[PhotoFlaw, ...]:
        """What is wrong with it, by place."""
        return flaws_of(self.photos, self.missing, self.times, self.size) if self.is_read else ()

    @cached_property
    def usual(self) -> PhotoRun:
        """The run before anybody chose anything: told by its dates, where they make sense."""
        length = len(self.origin.names) / FIRST_RATE
        run = PhotoRun(
            key=key_of(self.origin), photos=self.origin, stored_rate=FIRST_RATE, stored_length=length
        )
        if not self.is_read:
            return run
        # Where photos follow one another much faster at times, one a result frame would leave some out.
        times = self.times
        dated = times is not None and times.interval <= _LONGEST_INTERVAL and not times.hurries
        return self.measured(replace(run, time=DATES) if dated else run)

    def measured(self, run: PhotoRun) -> PhotoRun:
        """A run with the rate and the length that its choices come to."""
        length = self.course(run).begins[-1]
        return replace(run, stored_rate=self.rate_of(run), stored_length=length, counted=True)

    def rate_of(self, run: PhotoRun) -> Fraction:
        """Photos per recorded second, by a run's choices."""
        if run.time.interval is not None:
            return 1 / run.time.interval
        return 1 / self.times.interval if self.times else run.stored_rate

    @cached_property
    def _courses(self) -> dict[Hashable, Course]:
        return {}

    def course(self, run: PhotoRun) -> Course:
        """Which photo is on display when, by a run's choices."""
        known = self._courses
        if run.course not in known:
            if len(known) >= _MOST_COURSES:
                known.pop(next(iter(known)))
            known[run.course] = course_of(run, self.photos, self.flaws, self.times)
        return known[run.course]

    @property
    def length(self) -> Fraction:
        """Recorded seconds, before anybody chose anything."""
        return self.usual.length

    @property
    def rate(self) -> Fraction:
        """Photos per recorded second, likewise."""
        return self.usual.rate

    @property
    def frame_count(self) -> int:
        """How many photos there are."""
        return len(self.origin.names)

    @cached_property
    def picture(self) -> PictureFormat:
        """What its photos are like once they are decoded: upright sRGB."""
        form, bits = ("rgb48le", 16) if self.deep else ("rgb24", 8)
        return PictureFormat(*self.size, *self.size, 0, form, bits, Colour(RGB, BT709, SRGB, full_range=True))

    @property
    def recorded_on(self) -> datetime | None:
        """The date of the first photo, if the dates make sense."""
        return None if self.times is None else self.times.first

    @property
    def sound(self) -> SoundFacts | None:
        """Photos have none."""
        return None

    @property
    def caution(self) -> str:
        """How much of what is wrong with it."""
        return f"{self._wrong}." if self._wrong else ""

    @property
    def _wrong(self) -> str:
        """The flaws, counted by kind."""
        return ", ".join(self._counted.values())

    @cached_property
    def _counted(self) -> dict[FlawKind, str]:
        """How many flaws of each kind there are, in words."""
        counts: Counter[FlawKind] = Counter()
        for flaw in self.flaws:
            counts[flaw.kind] += flaw.count if flaw.kind is FlawKind.MISSING else 1
        return {
            kind: f"{counts[kind]} {_WORDS[kind][counts[kind] > 1]}" for kind in FlawKind if kind in counts
        }

    def in_words(self, flaw: PhotoFlaw) -> str:
        """A flaw in a few words."""
        photo = self.photos[flaw.photo]
        return _WORDS[flaw.kind][2].format(
            count=flaw.count, name=photo.name, wrong=photo.wrong, size=f"{photo.size[0]}×{photo.size[1]}"
        )

    def summary(self) -> list[str]:
        """Size, and what is unusual."""
        said = [f"{self.size[0]}×{self.size[1]}"]
        return [*said, "16 bit"] if self.deep else said

    def rows(self) -> list[tuple[str, str]]:
        """All of it by name, for a person to read."""
        times, first = self.times, self.photos[0]
        ends = self.origin.names[0], self.origin.names[-1]
        rows = [
            ("folder", str(self.origin.folder)),
            ("photos", ", ".join([f"{self.frame_count:,}", " to ".join(dict.fromkeys(ends))])),
            ("size", f"{self.size[0]}×{self.size[1]}, {first.form}, {16 if self.deep else 8} bit"),
        ]
        if times:
            even = "" if times.steady else ", uneven"
            span = times.seconds[-1]
            rows += [
                ("interval", f"{apart_in_words(times.interval)}{even}"),
                ("taken", f"{times.first:%Y-%m-%d %H:%M:%S} to {_later(times.first, times.last)}"),
                ("span", format_time(span, 0)),
            ]
        elif self.is_read:
            rows.append(("dates", "none that make sense"))
        if self._rolled is not None:
            last = max(self.origin.names, key=natural_key)
            rows.append(("counter", f"began anew after {last}; the dates tell the order"))
        if self.is_read:
            rows[2] = ("size", f"{rows[2][1]}, {sum(photo.bytes for photo in self.photos) / 1e6:.1f} MB")
            done = (f"{words} ({_DONE[USUAL_HANDLING[kind]]})" for kind, words in self._counted.items())
            rows.append(("wrong", ", ".join(done) or "nothing"))
        return rows

    def as_json(self) -> dict[str, Any]:
        """All of it for a program to read; seconds, pixels, bytes."""
        times, course = self.times, self.course(self.usual)
        return {
            "kind": "photo run",
            "folder": str(self.origin.folder),
            "count": self.frame_count,
            "interval": float(times.interval) if times else None,
            "steady": times.steady if times else None,
            "first": times.first.isoformat() if times else None,
            "last": times.last.isoformat() if times else None,
            "span": float(times.seconds[-1]) if times else None,
            "length": float(self.length),
            "rate": str(self.rate),
            "width": self.size[0],
            "height": self.size[1],
            "bit_depth": 16 if self.deep else 8,
            "size": sum(photo.bytes for photo in self.photos),
            "problems": [
                {
                    "kind": str(flaw.kind),
                    "at": float(course.span(flaw)[0]),
                    "file": self.photos[flaw.photo].name,
                    "count": flaw.count,
                    "words": self.in_words(flaw),
                    "handling": str(USUAL_HANDLING[flaw.kind]),
                }
                for flaw in self.flaws
            ],
        }


def _later(first: datetime, last: datetime) -> str:
    """A later date, without its day if that is the same."""
    return f"{last:%H:%M:%S}" if last.date() == first.date() else f"{last:%Y-%m-%d %H:%M:%S}"


def key_of(origin: PhotoFiles) -> str:
    """What a project calls a run: after its folder, or its only photo."""
    name = origin.folder.name if len(origin.names) > 1 else Path(origin.names[0]).stem
    return name.lower().replace(" ", "-") or "photos"
