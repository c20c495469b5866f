"""The project as a frozen value."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property
from itertools import accumulate
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from chronoxis.core.errors import PlanError
from chronoxis.core.model.accent import Accent
from chronoxis.core.model.canvas import Canvas
from chronoxis.core.model.even_out import AS_RECORDED, EvenOut
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.framing import Framing
from chronoxis.core.model.join import CUT, Join, Runs
from chronoxis.core.model.look import KeptLook
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.music import MusicPiece
from chronoxis.core.model.passage_rows import PassageRows, ShotRows
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.model.sound import Effect, Mix, PassageSound
from chronoxis.core.model.steady import AS_FILMED, Steady
from chronoxis.core.timing.frame_making import PLAIN, FrameMaking, PassersBy
from chronoxis.core.timing.lulls import LullWish
from chronoxis.core.timing.pace import PacePiece, PaceProfile, RunningSums, off_grid, total
from chronoxis.core.timing.ramps import ABRUPT, Ramp, lengths_of
from chronoxis.core.timing.reckoner import Quantity, Reckoner

_NO_RUNS = Runs()


class Place(NamedTuple):
    """Where a passage is: number of its shot in the result, and its own number in playing order."""

    shot: int
    passage: int


@dataclass(frozen=True)
class Passage:
    """A stretch of a shot with one speed.

    Attributes:
        recorded_length: recorded seconds, positive.
        speed: recorded seconds per result second.
        ramp: how the speed changes to the next passage's; of no effect in the last passage.
        making: how its result frames are made.
        held: the quantities that stay when another one is changed; a held speed also stays when the
            whole result is fitted to a length.
        sound: how its recorded sound plays.
        effect: heard with the ramp to the next passage.
        accents: looks on its result frames, in their order.
    """

    recorded_length: Fraction
    speed: Fraction
    ramp: Ramp = ABRUPT
    making: FrameMaking = PLAIN
    held: frozenset[Quantity] = frozenset()
    sound: PassageSound = PassageSound()  # noqa: RUF009 - a frozen value
    effect: Effect | None = None
    accents: tuple[Accent, ...] = ()

    @cached_property
    def piece(self) -> PacePiece:
        """The passage as the pace sees it. Raises PlanError if its speed is out of range."""
        return PacePiece(self.recorded_length, self.speed)


@dataclass(frozen=True)
class Shot:
    """An excerpt of one footage.

    Attributes:
        footage: key of what is excerpted.
        in_point: recorded seconds.
        passages: at least one, in playing order; they partition the excerpt.
        backwards: whether it plays from the out point to the in point.
        framing: which part of its pictures it shows.
        even_out: how the light of its frames is evened out.
        passers_by: what is done about them.
        passers_apart: the same for single moments: a recorded second in each, and what is done; ascending.
        steady: how its pictures are steadied.
        join: what stands between it and the next shot; of no effect in the last one.
        accents: looks on its result frames, in their order.
        runs: what the joins around it do to its pace. The project that it stands in sees to them.
    """

    footage: str
    in_point: Fraction
    passages: tuple[Passage, ...]
    backwards: bool = False
    framing: Framing = Framing()  # noqa: RUF009 - a frozen value
    even_out: EvenOut = AS_RECORDED
    passers_by: PassersBy = PassersBy.LEAVE
    passers_apart: tuple[tuple[Fraction, PassersBy], ...] = ()
    steady: Steady = AS_FILMED
    join: Join = CUT
    accents: tuple[Accent, ...] = ()
    runs: Runs = _NO_RUNS

    @cached_property
    def pace(self) -> PaceProfile:
        """How recorded time is covered from the shot's start on."""
        pieces = [passage.piece for passage in self.passages]
        return PaceProfile(pieces, [passage.ramp for passage in self.passages[:-1]], self.runs)

    @cached_property
    def recorded_length(self) -> Fraction:
        """Recorded seconds between in and out."""
        return total(passage.recorded_length for passage in self.passages)

    @cached_property
    def out_point(self) -> Fraction:
        """Recorded seconds."""
        return self.in_point + self.recorded_length

    @cached_property
    def span(self) -> tuple[float, float]:
        """The in and the out point, rounded."""
        return float(self.in_point), float(self.out_point)

    @cached_property
    def longest(self) -> Passage:
        """The passage of most footage, which tells its usual pace."""
        return max(self.passages, key=lambda passage: passage.recorded_length)

    @cached_property
    def joints(self) -> RunningSums:
        """Recorded seconds covered when each passage begins, and when the last one ends."""
        return RunningSums(passage.recorded_length for passage in self.passages)

    @cached_property
    def makings(self) -> tuple[FrameMaking, ...]:
        """How the result frames of each passage are made."""
        return tuple(passage.making for passage in self.passages)

    @cached_property
    def heard(self) -> npt.NDArray[np.float64]:
        """Of each passage, between which speeds its sound is heard, and at what level; shape (passages, 3).

        The speeds are those of the sound's own clock.
        """
        rows = [(*passage.sound.manner.audible, passage.sound.level) for passage in self.passages]
        return np.array(rows, np.float64)

    @cached_property
    def shortened(self) -> tuple[int, ...]:
        """Numbers of the passages whose ramp at their end could not have its wished length."""
        speeds = self.rows.speeds
        wished = lengths_of([passage.ramp for passage in self.passages[:-1]])
        short = (speeds[1:] != speeds[:-1]) & (self.pace.ramp_lengths < wished * (1 - 1e-9))
        return tuple(np.flatnonzero(short).tolist())

    @cached_property
    def rows(self) -> PassageRows:
        """Its passages as columns of numbers, as if the shot stood alone."""
        pieces = [passage.piece for passage in self.passages]
        covered = off_grid(accumulate((piece.on_grid[0] for piece in pieces), initial=0))
        begin, end = self.span
        recorded = end - covered if self.backwards else begin + covered
        speeds = np.array([piece.rounded[1] for piece in pieces])
        return PassageRows.of_shot(self.pace.joints, recorded, speeds, self.pace.ramp_lengths)

    def is_peak(self, passage: int) -> bool:
        """Whether a passage is faster than both of its neighbours."""
        if not 0 < passage < len(self.passages) - 1:
            return False
        before, here, after = (each.speed for each in self.passages[passage - 1 : passage + 2])
        return here > max(before, after)

    def handles_passer_by(self, begin: float, end: float) -> PassersBy:
        """What is done about a moment between two recorded seconds."""
        return next((wish for at, wish in self.passers_apart if begin <= at < end), self.passers_by)

    @cached_property
    def reads_traces(self) -> bool:
        """Whether what was measured of its footage's pictures changes its frames."""
        return self.is_corrected or any(making.spans_frames for making in self.makings)

    @cached_property
    def is_corrected(self) -> bool:
        """Whether its light is evened out, or something is done about passers-by."""
        handlings = {self.passers_by, *(wish for _, wish in self.passers_apart)}
        return self.even_out.strength > 0 or handlings != {PassersBy.LEAVE}

    @cached_property
    def has_accents(self) -> bool:
        """Whether there are looks on it or on its passages."""
        return bool(self.accents) or any(passage.accents for passage in self.passages)

    @cached_property
    def reads_camera(self) -> bool:
        """Whether the camera's path through its footage changes its frames."""
        return self.steady.is_on or any(making.line_up > 0 for making in self.makings)

    def recorded_time(self, covered: Fraction) -> Fraction:
        """Recorded seconds in the footage once so much of the shot has played."""
        return self.out_point - covered if self.backwards else self.in_point + covered

    def covered(self, recorded_time: Fraction) -> Fraction:
        """How much of the shot has played at a recorded time in the footage; the inverse."""
        return self.out_point - recorded_time if self.backwards else recorded_time - self.in_point


def with_runs(shots: tuple[Shot, ...]) -> tuple[Shot, ...]:
    """Shots that follow one another, each with the runs that the joins around it make."""
    surges = [shot.join.surge for shot in shots[:-1]]
    if not any(surges) and all(shot.runs is _NO_RUNS for shot in shots):
        return shots
    around = zip(shots, (None, *surges), (*surges, None), strict=False)
    runs = (
        Runs(before.entering if before else None, after.leaving if after else None)
        for _, before, after in around
    )
    return tuple(
        shot if shot.runs == own else replace(shot, runs=own if any(own) else _NO_RUNS)
        for shot, own in zip(shots, runs, strict=True)
    )


def cold_shots(project: "Project") -> int:
    """How many shots of a project have lengths that were not worked out yet."""
    return sum("rows" not in vars(shot) for shot in project.shots)


def warm(project: "Project") -> None:
    """Work out what everything that shows a project asks of it, beside whoever shows it.

    Shot by shot: while one thread works a cached value out, others that ask for one of its kind wait.
    """
    for shot in project.shots:
        _ = shot.pace, shot.rows, shot.shortened, shot.span, shot.has_accents
    _ = project.rows, project.starts, project.result_length, project.recorded_length


@dataclass(frozen=True)
class Trial:
    """A state of the whole project that is kept to be held against others.

    Attributes:
        name: by which it is found again.
        state: of the project, with all runs left, and without trials of its own.
    """

    name: str
    state: "Project"


@dataclass(frozen=True)
class Outside:
    """What is around the inside of a nested run, as it was when that was opened.

    Attributes:
        project: the project that has the run.
        key: of the run.
    """

    project: "Project"
    key: str


@dataclass(frozen=True)
class Project:
    """Everything a person decided.

    Attributes:
        footage: what was brought in, in that order.
        shots: in the order of the result.
        rate: result frames per second.
        markers: named moments in result time, ascending.
        settings: the choices of an export.
        canvas: size and colour of the result; None until footage was opened.
        music: laid under the result, in that order.
        mix: how all sound goes together.
        accents: looks on the whole result, in their order.
        looks: kept under a name, to be given to others.
        lulls: what counts as a lull.
        aside: keys of the findings that are put aside.
        trials: states that were kept to be held against others, in that order.
        outside: what is around, while a nested run of it is open; None mostly.
    """

    footage: tuple[Footage, ...] = ()
    shots: tuple[Shot, ...] = ()
    rate: Fraction = Fraction(25)
    markers: tuple[Marker, ...] = ()
    settings: ResultSettings = field(default_factory=ResultSettings)
    canvas: Canvas | None = None
    music: tuple[MusicPiece, ...] = ()
    mix: Mix = Mix()  # noqa: RUF009 - a frozen value
    accents: tuple[Accent, ...] = ()
    looks: tuple[KeptLook, ...] = ()
    lulls: LullWish = LullWish()  # noqa: RUF009 - a frozen value
    aside: tuple[str, ...] = ()
    trials: tuple[Trial, ...] = ()
    outside: "Outside | None" = None

    def __post_init__(self) -> None:
        """See to the runs of the shots."""
        object.__setattr__(self, "shots", with_runs(self.shots))

    @cached_property
    def starts(self) -> RunningSums:
        """Result seconds at which each shot begins, and at which the last one ends."""
        return RunningSums(shot.pace.result_length for shot in self.shots)

    @cached_property
    def pace(self) -> PaceProfile:
        """How recorded time is covered throughout the result. Raises ValueError if there is no shot."""
        return PaceProfile.joined([shot.pace for shot in self.shots])

    @cached_property
    def shot_rows(self) -> ShotRows:
        """All shots as columns of numbers."""
        covered, begins = PaceProfile.starts([shot.pace for shot in self.shots])[:, :-1]
        place_of = {footage.key: place for place, footage in enumerate(self.footage)}
        return ShotRows(
            begins,
            covered,
            np.array([shot.span[1] if shot.backwards else shot.span[0] for shot in self.shots]),
            np.array([-1.0 if shot.backwards else 1.0 for shot in self.shots]),
            np.array([place_of[shot.footage] for shot in self.shots], np.int64),
        )

    @cached_property
    def rows(self) -> PassageRows:
        """All passages as columns of numbers."""
        return PassageRows.end_to_end([shot.rows for shot in self.shots], self.shot_rows.begins)

    @cached_property
    def result_length(self) -> Fraction:
        """Result seconds, before rounding up to whole frames."""
        return total(shot.pace.result_length for shot in self.shots)

    @cached_property
    def recorded_length(self) -> Fraction:
        """Recorded seconds of all shots together."""
        return total(shot.recorded_length for shot in self.shots)

    @property
    def to_measure(self) -> tuple[str, ...]:
        """Keys of the footage whose pictures have to be measured for its choices, in the result's order."""
        inside = (shot for key in self.needed for shot in self.footage_named(key).inner_shots)
        read = [shot.footage for shot in (*self.shots, *inside) if shot.reads_traces]
        return tuple(key for key in dict.fromkeys(read) if not self.footage_named(key).made_of)

    @cached_property
    def needed(self) -> tuple[str, ...]:
        """Keys of all footage that its shots are made of, nested runs and what is inside them."""
        return self.with_parts([shot.footage for shot in self.shots])

    @cached_property
    def read(self) -> tuple[str, ...]:
        """Keys of all footage that its result reads: what is needed, and its music; each once."""
        return tuple(dict.fromkeys((*self.needed, *(piece.footage for piece in self.music))))

    def with_parts(self, keys: Sequence[str]) -> tuple[str, ...]:
        """Keys of footage, and of all that it is made of, however deep; each once."""
        found: dict[str, None] = {}
        left = [*reversed(keys)]
        while left:
            key = left.pop()
            if key not in found:
                found[key] = None
                left += self.footage_named(key).made_of
        return tuple(found)

    def footage_of(self, shot: Shot) -> Footage:
        """What a shot is an excerpt of."""
        return self.footage_named(shot.footage)

    def footage_named(self, key: str) -> Footage:
        """The footage of that key. Raises KeyError if there is none."""
        for footage in self.footage:
            if footage.key == key:
                return footage
        raise KeyError(key)

    def passage(self, place: Place) -> Passage:
        """The passage at a place. Raises IndexError if there is none."""
        return self.shots[place.shot].passages[place.passage]

    def places(self) -> list[Place]:
        """The places of all passages, in playing order."""
        return [Place(s, p) for s, shot in enumerate(self.shots) for p in range(len(shot.passages))]

    def place(self, row: int) -> Place:
        """The place of a row of `rows`. Raises IndexError if there is none."""
        return Place(int(self.rows.shots[row]), int(self.rows.passages[row]))

    def has(self, place: Place) -> bool:
        """Whether there is a passage at a place."""
        return place.shot < len(self.shots) and place.passage < len(self.shots[place.shot].passages)

    def is_ramped(self, place: Place) -> bool:
        """Whether a ramp or a run takes part of the passage."""
        pace = self.shots[place.shot].pace
        lengths = pace.run_lengths[0], *pace.ramp_lengths, pace.run_lengths[1]
        return any(lengths[place.passage : place.passage + 2])

    def passage_result_length(self, place: Place) -> Fraction:
        """Result seconds of a passage from joint to joint."""
        if not self.is_ramped(place):
            return self.passage(place).piece.result_length
        joints = self.shots[place.shot].pace.joints
        return Fraction(float(joints[place.passage + 1] - joints[place.passage]))

    def reckoner(self, place: Place) -> Reckoner:
        """The linked quantities of a passage, as they are without its ramps."""
        passage = self.passage(place)
        return Reckoner(
            recorded_rate=self.footage_of(self.shots[place.shot]).rate,
            available=passage.recorded_length + self.room_after(place),
            recorded_length=passage.recorded_length,
            speed=passage.speed,
            rate=self.rate,
        )

    def room_after(self, place: Place) -> Fraction:
        """Recorded seconds by which a passage can grow at its end: of the next one, or beyond the shot."""
        shot = self.shots[place.shot]
        footage = self.footage_of(shot)
        if place.passage + 1 < len(shot.passages):
            return max(shot.passages[place.passage + 1].recorded_length - 1 / footage.rate, Fraction(0))
        return shot.in_point if shot.backwards else footage.length - shot.out_point

    def with_shot(self, number: int, shot: Shot) -> "Project":
        """The project with another shot in one's place."""
        return replace(self, shots=(*self.shots[:number], shot, *self.shots[number + 1 :]))

    def with_passage(self, place: Place, passage: Passage) -> "Project":
        """The project with another passage in one's place."""
        shot = self.shots[place.shot]
        passages = (*shot.passages[: place.passage], passage, *shot.passages[place.passage + 1 :])
        return self.with_shot(place.shot, replace(shot, passages=passages))

    def with_footage(self, footage: Footage) -> "Project":
        """The project with the footage of that key as given."""
        return replace(self, footage=tuple(footage if f.key == footage.key else f for f in self.footage))

    def shot_at(self, result_seconds: Fraction) -> int:
        """Number of the shot on display at a result time; the first or last one outside the result.

        Raises:
            PlanError: there is no shot.
        """
        if not self.shots:
            raise PlanError("There is no shot yet; open a recording first.")
        later = sum(1 for start in self.starts[1:-1] if start <= result_seconds)
        return min(later, len(self.shots) - 1)
