"""Presets: whole treatments with names, to be given to shots in one step."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, fields, replace
from fractions import Fraction

from chronoxis.core.errors import PlanError
from chronoxis.core.model import arranging, joining, lull_acts, pacing, sounding
from chronoxis.core.model.accent import Accent
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.lull_acts import Hurry, LullsOf
from chronoxis.core.model.project import Passage, Place, Project, Shot
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.model.sound import Manner, Mix, PassageSound
from chronoxis.core.model.steady import Steady
from chronoxis.core.timing.frame_making import FrameMaking, PassersBy
from chronoxis.core.timing.lulls import LullWish
from chronoxis.core.timing.pace import total
from chronoxis.core.timing.ramps import Ramp
from chronoxis.core.timing.rates import MAX_RATE
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.speed import MAX_SPEED, checked_speed, format_speed
from chronoxis.core.timing.timecode import format_time

LONGEST_NAME = 60
LONGEST_ABOUT = 200
LARGEST_PICTURE = 256 * 1024
"""Bytes."""

_LONGEST_RESULT = Fraction(366 * 86400)  # result seconds
_FIRST_HURRY = Fraction(8)  # the speed that the search for a length begins with


@dataclass(frozen=True)
class AtSpeed:
    """All at one speed. Raises PlanError if it is out of range."""

    speed: Fraction

    def __post_init__(self) -> None:
        checked_speed(self.speed)

    @property
    def words(self) -> str:
        """What it does, as a person would say it."""
        return f"at {format_speed(self.speed)}"


@dataclass(frozen=True)
class ToLength:
    """As fast as makes it so many result seconds long. Raises PlanError if it is out of range."""

    length: Fraction

    def __post_init__(self) -> None:
        _check_length(self.length)

    @property
    def words(self) -> str:
        """What it does, as a person would say it."""
        return f"{format_time(self.length)} long"


@dataclass(frozen=True)
class EveryNth:
    """Result frames so many recorded frames apart. Raises PlanError if it is out of range."""

    step: Fraction

    def __post_init__(self) -> None:
        if not 0 < self.step <= MAX_SPEED:
            raise PlanError(f"A step lies above 0 and up to {int(MAX_SPEED):,} frames.")

    @property
    def words(self) -> str:
        """What it does, as a person would say it."""
        if self.step == 1:
            return "every frame"
        return f"a step of {float(self.step):g} frames"


@dataclass(frozen=True)
class ThroughLulls:
    """Lulls are hurried through, the rest stays as it is.

    Attributes:
        wish: what counts as a lull.
        hurry: how fast, and with which ramps; None leaves lulls out.
        length: result seconds that shots come to by the speed of their lulls, whatever speed ``hurry`` has.
        rest: speed of what is no lull; None leaves it as it is.

    Raises PlanError if a length or a speed is out of range.
    """

    wish: LullWish = LullWish()  # noqa: RUF009 - a frozen value
    hurry: Hurry | None = Hurry(_FIRST_HURRY)  # noqa: RUF009 - a frozen value
    length: Fraction | None = None
    rest: Fraction | None = None

    def __post_init__(self) -> None:
        if self.length is not None:
            _check_length(self.length)
        if self.rest is not None:
            checked_speed(self.rest)
        if self.hurry is not None:
            checked_speed(self.hurry.speed)

    @property
    def words(self) -> str:
        """What it does, as a person would say it."""
        if self.hurry is None:
            return "Lulls left out"
        if self.length is not None:
            return f"{format_time(self.length)} long by its Lulls"
        return f"Lulls at {format_speed(self.hurry.speed)}"


def _check_length(length: Fraction) -> None:
    if not 0 < length <= _LONGEST_RESULT:
        raise PlanError(f"A result length lies above 0 and up to {format_time(_LONGEST_RESULT, 0)}.")


PaceChoice = AtSpeed | ToLength | EveryNth | ThroughLulls


@dataclass(frozen=True)
class Preset:
    """What is chosen for shots, and for the whole result; a part that is None leaves what is there.

    Attributes:
        name: by which a person knows it.
        about: what it is for, in a line.
        picture: a small picture of what comes out, an encoded PNG or JPEG file; none, if empty.
        pace: how fast.
        ramp: how the speed changes from passage to passage.
        frames: how result frames are made.
        even_out: how light is evened out.
        passers_by: what is done about who crosses near the lens.
        steady: what the camera should seem to do.
        backwards: whether it plays from the end.
        sound: how recorded sound plays.
        accents: looks on the shots, in their order.
        mix: how all sound of the result goes together.
        rate: result frames per second.
        export: what the file should be like.

    Raises PlanError for a name that is none, for a name, a line or a picture that is too long, and for a
    rate out of range.
    """

    name: str
    about: str = ""
    picture: bytes = b""
    pace: PaceChoice | None = None
    ramp: Ramp | None = None
    frames: FrameMaking | None = None
    even_out: EvenOut | None = None
    passers_by: PassersBy | None = None
    steady: Steady | None = None
    backwards: bool | None = None
    sound: PassageSound | None = None
    accents: tuple[Accent, ...] | None = None
    mix: Mix | None = None
    rate: Fraction | None = None
    export: ResultSettings | None = None

    def __post_init__(self) -> None:
        if not self.name.strip() or len(self.name) > LONGEST_NAME or not self.name.isprintable():
            raise PlanError(f"A preset needs a name of up to {LONGEST_NAME} letters.")
        if len(self.about) > LONGEST_ABOUT:
            raise PlanError(f"What a preset is for is said in up to {LONGEST_ABOUT} letters.")
        if len(self.picture) > LARGEST_PICTURE:
            raise PlanError(f"A preset's picture has up to {LARGEST_PICTURE // 1024} kB.")
        if self.rate is not None and not 0 < self.rate <= MAX_RATE:
            raise PlanError(f"A result has up to {MAX_RATE} frames a second.")

    @property
    def parts(self) -> tuple[str, ...]:
        """Names of what it says something about."""
        return tuple(name for name in PARTS if getattr(self, name) is not None)

    def without(self, parts: Collection[str]) -> "Preset":
        """The same with some parts left out."""
        kept = {part: getattr(self, part) for part in PARTS if part not in parts}
        return Preset(self.name, self.about, self.picture, **kept)

    @property
    def is_heard(self) -> bool:
        """Whether it wants recorded sound or effects."""
        plays = self.sound is not None and self.sound.manner is not Manner.SILENT
        return plays or bool(self.mix and self.mix.rules)


PARTS = tuple(field.name for field in fields(Preset) if field.name not in ("name", "about", "picture"))
"""Names of what a preset may say something about, in the order in which it is done."""


def apply(project: Project, shots: Iterable[int], preset: Preset, lulls: LullsOf | None = None) -> Project:
    """Give shots a treatment, and the whole result what of it concerns that.

    Args:
        project: what is changed.
        shots: numbers of shots.
        preset: the treatment.
        lulls: of these shots, as found by the preset's own wish, if it goes by them.

    Raises:
        PlanError: a speed or a length is out of range, or there are no lulls of which something can be made.
    """
    chosen = sorted(set(shots))
    if preset.rate is not None:
        project = arranging.set_rate(project, preset.rate)
    turned = [n for n in chosen if preset.backwards not in (None, project.shots[n].backwards)]
    project = arranging.reverse(project, turned)
    for number in chosen:
        project = project.with_shot(number, _treated(project.shots[number], preset))
    if preset.accents is not None:
        accents = preset.accents
        project = joining.set_accents(project, lambda _: accents, shots=chosen)
    if preset.mix is not None:
        project = sounding.set_mix(project, preset.mix)
    if preset.export is not None:
        project = arranging.set_settings(project, preset.export)
    return _paced(project, chosen, preset, lulls or {})


def _treated(shot: Shot, preset: Preset) -> Shot:
    """A shot with what does not change its length."""

    def treated(passage: Passage) -> Passage:
        return replace(
            passage,
            ramp=preset.ramp or passage.ramp,
            making=preset.frames or passage.making,
            sound=preset.sound or passage.sound,
        )

    *inner, last = shot.passages
    passages = (*map(treated, inner), replace(treated(last), ramp=last.ramp))
    corrected = {
        name: wish for name in ("even_out", "passers_by", "steady") if (wish := getattr(preset, name))
    }
    if preset.passers_by is not None:
        corrected["passers_apart"] = ()
    return replace(shot, passages=passages, **corrected)


def _paced(project: Project, shots: Sequence[int], preset: Preset, lulls: LullsOf) -> Project:
    places = _places(project, shots)
    match preset.pace:
        case AtSpeed(speed):
            return pacing.set_speed(project, places, speed)
        case ToLength(length):
            return pacing.fit_places_to_length(project, places, _all_with(project, shots, length))
        case EveryNth(step):
            return pacing.change_quantity_of_all(project, Quantity.STEP, dict.fromkeys(places, step))
        case ThroughLulls() as pace:
            return _hurried(project, shots, pace, lulls)
        case None:
            return project


def _places(project: Project, shots: Sequence[int]) -> list[Place]:
    chosen = set(shots)
    return [place for place in project.places() if place.shot in chosen]


def _hurried(project: Project, shots: Sequence[int], pace: ThroughLulls, lulls: LullsOf) -> Project:
    project = replace(project, lulls=pace.wish)
    if pace.rest is not None:
        project = pacing.set_speed(project, _places(project, shots), pace.rest)
    found = {number: lulls.get(number, ()) for number in shots}
    if pace.hurry is None:
        return lull_acts.leave_out(project, found)
    if pace.length is None:
        return lull_acts.hurry(project, found, pace.hurry)
    return lull_acts.hurry_to_length(project, found, _all_with(project, shots, pace.length), pace.hurry)


def _all_with(project: Project, shots: Iterable[int], length: Fraction) -> Fraction:
    """How long the whole result is if some shots come to a length together."""
    now = total(project.shots[number].pace.result_length for number in shots)
    return project.result_length - now + length


def taken_from(project: Project, number: int, name: str, about: str = "") -> Preset:
    """The treatment of a shot as a preset, with all of its parts; its pace is its usual speed."""
    shot = project.shots[number]
    usual = shot.longest
    return Preset(
        name,
        about,
        pace=AtSpeed(usual.speed),
        ramp=shot.passages[0].ramp if len(shot.passages) > 1 else None,
        frames=usual.making,
        even_out=shot.even_out,
        passers_by=shot.passers_by,
        steady=shot.steady,
        backwards=shot.backwards,
        sound=replace(usual.sound, fade_in=Fraction(0), fade_out=Fraction(0)),
        accents=shot.accents,
        mix=project.mix,
        rate=project.rate,
        export=project.settings,
    )


def paces_of(project: Project, number: int) -> tuple[PaceChoice, ...]:
    """What can be kept of a shot's pace: its usual speed, its length, or Lulls at its fastest speed."""
    shot = project.shots[number]
    fastest = max(passage.speed for passage in shot.passages)
    length = Fraction(round(shot.pace.result_length * 1000), 1000)
    return (
        AtSpeed(shot.longest.speed),
        ToLength(max(length, Fraction(1, 1000))),
        ThroughLulls(project.lulls, Hurry(max(fastest, Fraction(2))), rest=shot.longest.speed),
    )
