"""A project's choices turned into all that is needed to make its result."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property, partial

import numpy as np
import numpy.typing as npt

from chronoxis.core.footage.source import Source
from chronoxis.core.model.canvas import Canvas
from chronoxis.core.model.export_format import Size
from chronoxis.core.model.export_formats import FORMATS
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.missing_additions import missing_additions
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.picture.accents.drawn_accent import DrawnAccent
from chronoxis.core.picture.accents.streak import StreakAccent
from chronoxis.core.picture.colour import Colour
from chronoxis.core.picture.correction import Correction
from chronoxis.core.picture.evening import EvenLight
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.picture.steadying import SteadyWarp
from chronoxis.core.picture.tone import is_high_range
from chronoxis.core.picture.views import Views
from chronoxis.core.render.credits import uncredited
from chronoxis.core.sound.covered_sound import SoundBetween
from chronoxis.core.sound.loudness import LEAST_MEASURED
from chronoxis.core.sound.sound_plan import SoundPlan, make_sound_plan
from chronoxis.core.timing.frame_making import FEWEST_CLEARED, EachFrame
from chronoxis.core.timing.pace import Seconds
from chronoxis.core.timing.rates import format_rate
from chronoxis.core.timing.schedule import Schedule
from chronoxis.core.timing.shot_columns import CODES, Frames
from chronoxis.core.timing.timecode import format_time
from chronoxis.core.traces.steady_course import SteadyCourse


@dataclass(frozen=True, eq=False, kw_only=True)
class Plan:
    """Decided, checked, nothing made yet.

    Attributes:
        project: what it is the plan of.
        sources: the opened footage of each shot.
        edges: for each shot, when each frame of its footage is on display, recorded seconds.
        schedule: which recorded frames make each result frame, and how.
        size: width and height of the result.
        colour: how the result's code values stand for light.
        views: for each shot, which part of its pictures it shows; None where it is all of them.
        corrections: for each shot, what is done to its recorded frames first.
        warps: for each shot, what moves them then, in one resampling with its view; None where nothing does.
        unmeasured: keys of footage whose pictures have to be measured before all choices take effect.
        music_sources: the opened footage that music is made of, by key.
        cuts: for each shot, the first frames of scenes in its footage, as far as what fills steps needs them.
        accents: for each shot, looks on its result frames.
        steadied: for each shot, what steadying and lining up read; None where there is neither.
        shown: which result frame's picture stands on each one, where some are held; None where none is.
    """

    project: Project
    sources: tuple[Source, ...]
    edges: tuple[Seconds, ...]
    schedule: Schedule
    size: Size
    colour: Colour
    views: tuple[Views | None, ...]
    corrections: tuple[tuple[Correction, ...], ...]
    warps: tuple[SteadyWarp | None, ...]
    unmeasured: tuple[str, ...] = ()
    cuts: tuple[Frames, ...]
    accents: tuple[tuple[DrawnAccent, ...], ...]
    shown: Frames | None = None
    steadied: tuple[SteadyCourse | None, ...] = ()
    music_sources: Mapping[str, Source]

    @property
    def settings(self) -> ResultSettings:
        """The choices of an export."""
        return self.project.settings

    def frames_of(self, shot: int) -> tuple[int, int]:
        """Numbers of the first result frame of a shot, and of the first one behind it."""
        first, stop = np.searchsorted(self.schedule.shots, [shot, shot + 1]).tolist()
        return first, stop

    @property
    def stored(self) -> tuple[Size, Fraction]:
        """Width and height of the export's pictures in pixels, and how wide these are by their height.

        Where no more is asked for than which frames are shown, pixels that are not square stay so, if
        the format can say that; else pixels are square.
        """
        wish, kept = self.settings.size, {picture.stored for picture in self.pictures}
        shown = {picture.size for picture in self.pictures} | {self.size}
        alters = any(self.accents) or any(self.warps) or any(views is not None for views in self.views)
        if alters or wish.height is not None or wish.stretch or len(kept) > 1 or len(shown) > 1:
            return self.size, Fraction(1)
        ((width, height), aspect) = next(iter(kept))
        if aspect == 1 or not self.settings.format.carries_aspect:
            return self.size, Fraction(1)
        even = self.settings.format.even_sides
        return ((width // 2 * 2, height // 2 * 2) if even else (width, height)), aspect

    @property
    def pictures(self) -> list[PictureFormat]:
        """What the recorded pictures of each shot are like."""
        return [source.facts.picture for source in self.sources]

    @cached_property
    def gains(self) -> tuple[npt.NDArray[np.float32] | None, ...]:
        """For each shot, what the light of its footage's frames is multiplied with; None where it is not."""
        return tuple(
            next((each.gains for each in corrections if isinstance(each, EvenLight)), None)
            for corrections in self.corrections
        )

    @property
    def uncorrected(self) -> "Plan":
        """The same result of recorded frames as they are."""
        return replace(self, corrections=((),) * len(self.sources), warps=(None,) * len(self.sources))

    @property
    def is_whole(self) -> bool:
        """Whether all of its footage is there."""
        laid = self.music_sources.values()
        return all(source.has_pictures for source in self.sources) and all(source.is_there for source in laid)

    @property
    def has_sound(self) -> bool:
        """Whether its export has sound: it is wished, the format takes it, and there is some."""
        return self.settings.sound and bool(self.settings.format.sound_codec) and self.sound.is_heard

    @cached_property
    def sound(self) -> SoundPlan:
        """What is heard. It is worked out when somebody wants it, for that may take longer than all else."""
        sources = self._by_key
        return make_sound_plan(
            self.project,
            self.schedule.length,
            lambda key: sources[key].facts.sound is not None,
            {key: source.length for key, source in self.music_sources.items()},
        )

    @property
    def _by_key(self) -> dict[str, Source]:
        shots = zip(self.project.shots, self.sources, strict=True)
        return {**{shot.footage: source for shot, source in shots}, **self.music_sources}

    def sounds(self, broken: Callable[[str, Fraction], None] | None = None) -> dict[str, SoundBetween]:
        """What gives the sound of its footage, by key; ``broken`` is told where that cannot be decoded."""
        return {key: _told(source, key, broken) for key, source in self._by_key.items()}

    @cached_property
    def unsteadied(self) -> list[tuple[int, float, int]]:
        """Shots in which steadying cannot follow the camera: number, share of it, and where it is so first.

        The last is the number of a result frame.
        """
        found = []
        for shot, course in enumerate(self.steadied):
            first, stop = self.frames_of(shot)
            if course is None or first == stop or not self.project.shots[shot].steady.is_on:
                continue
            frames = self.sources[shot].originals.recorded(self.schedule.firsts[first:stop])
            places = frames - course.first
            low, high = max(int(places.min()), 0), int(places.max()) + 1
            lost = np.flatnonzero(course.lost[low:high])
            if len(lost):
                nearest = int(np.abs(places - low - lost[0]).argmin())
                found.append((shot, len(lost) / (high - low), first + nearest))
        return found

    @cached_property
    def unclear(self) -> Frames:
        """Numbers of the result frames that *clear* makes of too few recorded frames to clear anything."""
        counts = np.diff(self.schedule.offsets)
        is_clear = self.schedule.ways == CODES[EachFrame.CLEAR]
        return np.flatnonzero(is_clear & (counts < FEWEST_CLEARED))

    @property
    def remark(self) -> str:
        """What a person should know of a result before it is made, or nothing."""
        said = []
        if is_high_range(self.colour) and not self.settings.format.keeps_high_range:
            kept = ", ".join(each.name for each in FORMATS if each.keeps_high_range)
            said.append(
                "The footage has a high dynamic range; it is brought to what ordinary screens show (BT.709). "
                f"{kept} keeps all of it."
            )
        if missing := missing_additions(self.project):
            said.append(
                f"{', '.join(missing)}: not here, for its package is not installed. One frame stands for a "
                "way, and an accent shows nothing."
            )
        if self.unmeasured:
            labels = ", ".join(self.project.footage_named(key).label for key in self.unmeasured)
            said.append(f"{labels} is still being measured; the export measures the rest of it first.")
        if len(self.unclear):
            said.append(
                f"{len(self.unclear)} frames are to be clear but are made of fewer than {FEWEST_CLEARED} "
                "recorded ones, so that nobody is cleared away; a longer window has more."
            )
        said += [
            f"The camera of shot {shot + 1} cannot be followed in {max(share, 0.01):.0%} of it, from "
            f"{format_time(at / self.schedule.rate, 1)} on: there it stays as filmed."
            for shot, share, at in self.unsteadied
        ]
        said += self._unheard
        if lacking := uncredited(self.project) if self.settings.sound else []:
            named = ", ".join(music.name for music in lacking)
            said.append(
                f"{named}: its title, author or licence is not noted yet; its page has room for them."
            )
        return " ".join(said)

    @property
    def _unheard(self) -> list[str]:
        """What is wished of the sound and cannot be."""
        project, length = self.project, self.schedule.length
        if not self.settings.sound or not self.settings.format.sound_codec:
            return []
        late = [piece for piece in project.music if piece.at >= length]
        said = [
            f"{project.footage_named(piece.footage).label} begins at {format_time(piece.at, 1)}, after the "
            f"end of the result ({format_time(length, 1)}): it is not heard."
            for piece in late
        ]
        if project.mix.loudness is not None and length < LEAST_MEASURED:
            least = f"{float(LEAST_MEASURED):g} s"
            said.append(f"The loudness of less than {least} cannot be measured: it is left as it is.")
        return said

    def looks_like(self, other: "Plan") -> bool:
        """Whether all of its frames are those of another plan."""
        ours, theirs = self.project, other.project
        return (
            (ours.shots, ours.accents, ours.rate) == (theirs.shots, theirs.accents, theirs.rate)
            and (self.size, self.unmeasured) == (other.size, other.unmeasured)
            and self._directions == other._directions
            and all(_alike(one, two) for one, two in zip(self.sources, other.sources, strict=True))
        )

    def shows_as_recorded(self, number: int) -> bool:
        """Whether a result frame looks like its one recorded frame."""
        shot = int(self.schedule.shots[number])
        changed = self.corrections[shot] or self.warps[shot] or self.accents[shot]
        width, height = self.size
        recorded = self.pictures[shot]
        alike = abs(width * recorded.height - height * recorded.width) <= max(recorded.width, recorded.height)
        single = len(self.schedule.sources(number)[0]) == 1
        return single and alike and not changed and self.views[shot] is None

    @property
    def _directions(self) -> list[float]:
        """Of streaks: what was measured meanwhile changes them."""
        looks = (accent for accents in self.accents for accent in accents)
        return [accent.direction for accent in looks if isinstance(accent, StreakAccent)]

    @property
    def changes_pictures(self) -> bool:
        """Whether anything but size and format of recorded frames may be changed."""
        return any(self.accents) or any(self.corrections) or any(self.warps)


def _alike(one: Source, other: Source) -> bool:
    """Whether two sources give the same frames: nested runs are opened anew for every plan."""
    inner, others = (getattr(source, "plan", None) for source in (one, other))
    if isinstance(inner, Plan) and isinstance(others, Plan):
        return inner.looks_like(others)
    return one is other


def _told(source: Source, key: str, broken: Callable[[str, Fraction], None] | None) -> SoundBetween:
    if broken is None:
        return source.sound_between
    return partial(source.sound_between, broken=partial(broken, key))


def result_size(canvas: Canvas, settings: ResultSettings) -> Size:
    """Width and height of the result."""
    return settings.size.size(canvas.size, even=settings.format.even_sides)


def changed_on_disk(footage: Footage, rate: Fraction, length: Fraction) -> str:
    """The message for footage that is not what it was; ``rate`` and ``length`` as it is now."""
    return (
        f"{footage.label} has changed: it is {format_time(length, 2)} at {format_rate(rate)} fps, "
        f"and was {format_time(footage.stored_length, 2)} at {format_rate(footage.stored_rate)} fps "
        "when the project was made. Say where the right file is, or take this one as it is."
    )
