"""A project as a value, and its edits."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Self

from chronoxis.api.footage import open_footage
from chronoxis.core.errors import ExportError, PlanError
from chronoxis.core.files.atomic import already_there
from chronoxis.core.files.presets import own_presets, preset_named, shipped_presets
from chronoxis.core.files.project_file import load_project, save_project
from chronoxis.core.footage.kinds import footage_of
from chronoxis.core.model import arranging, correcting, joining, making, pacing, preset, sounding
from chronoxis.core.model.accent import parse_accent
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.export_format import Quality
from chronoxis.core.model.export_formats import format_named
from chronoxis.core.model.project import Place
from chronoxis.core.model.project import Project as CoreProject
from chronoxis.core.model.settings import ResultSettings, SizeWish
from chronoxis.core.model.sound import Manner
from chronoxis.core.model.steady import parse_steady
from chronoxis.core.timing.frame_making import Between, EachFrame, Fill, PassersBy
from chronoxis.core.timing.rates import parse_rate
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.speed import parse_speed
from chronoxis.core.timing.timecode import parse_time

Number = int | float | Fraction | str
"""A number, or text as a person writes it."""


@dataclass(frozen=True)
class Project:
    """Shots one after another, and all that was chosen of them. A value: edits give another one.

    Edits speak of all shots, or of those whose numbers are given, counted from 0. Each raises `PlanError` if
    it cannot be had; the message says why.

    Attributes:
        value: how the rest of the program knows it; not part of what stays.
    """

    value: CoreProject

    @classmethod
    def of(cls, *paths: str | Path) -> Self:
        """A project with a shot of all of each footage, at its own speed. Raises FootageError."""
        project = CoreProject(settings=ResultSettings(sound=False))
        for place, path in enumerate(paths):
            footage = footage_of(open_footage(path).source.facts)
            if place == 0:
                project = replace(project, rate=footage.result_rate)
            project = arranging.bring_in(project, footage)
            project = arranging.add_shot(project, project.footage[-1].key)
        return cls(pacing.set_speed(project, project.places(), Fraction(1)))

    @classmethod
    def load(cls, path: str | Path) -> Self:
        """A project that was saved, by the window too. Raises ProjectFileError."""
        return cls(load_project(Path(path)))

    def save(self, path: str | Path, *, overwrite: bool = False) -> None:
        """Write it into a file, in one step. Raises ExportError; what was there is there still then."""
        path = Path(path)
        if path.exists() and not overwrite:
            raise ExportError(already_there(path))
        save_project(self.value, path)

    @property
    def shot_count(self) -> int:
        """How many shots it has."""
        return len(self.value.shots)

    @property
    def rate(self) -> Fraction:
        """Result frames per second."""
        return self.value.rate

    @property
    def length(self) -> Fraction:
        """Result seconds."""
        return self.value.result_length

    def with_rate(self, rate: Number) -> Self:
        """At so many result frames per second: ``25``, ``"29.97"``, ``"30000/1001"``."""
        return self._with(arranging.set_rate(self.value, parse_rate(str(rate))))

    def with_points(self, begin: Number, end: Number, shot: int = 0) -> Self:
        """With a shot from one recorded time to another."""
        (shot,) = self._numbers([shot])
        rate = self.value.footage_of(self.value.shots[shot]).rate
        points = (_seconds(each, rate) for each in (begin, end))
        return self._with(arranging.set_points(self.value, shot, *points))

    def with_cut(self, at: Number, shot: int = 0) -> Self:
        """With a shot cut in two, so many recorded seconds after it begins to play."""
        (shot,) = self._numbers([shot])
        return self._with(arranging.cut_shot(self.value, shot, _seconds(at, self.rate)))

    def with_speed(self, speed: Number, shots: Iterable[int] | None = None) -> Self:
        """At a speed: ``20``, ``"20x"``, ``"1/4x"``, ``"every 24th"``."""
        value = self.value
        numbers = self._numbers(shots)
        for number in numbers:
            frames_per_step = value.footage_of(value.shots[number]).rate / value.rate
            wish = parse_speed(str(speed), frames_per_step)
            value = pacing.set_speed(value, self._places([number]), wish)
        return self._with(value)

    def with_length(self, length: Number) -> Self:
        """As long as that; passages whose speed is held keep it, the others share the change."""
        wish = _seconds(length, self.rate)
        places = self.value.places()
        if len(places) == 1:
            return self._with(pacing.change_quantity(self.value, places[0], Quantity.RESULT_LENGTH, wish))
        return self._with(pacing.fit_to_length(self.value, wish))

    def reversed(self, shots: Iterable[int] | None = None) -> Self:
        """With shots that play the other way."""
        return self._with(arranging.reverse(self.value, self._numbers(shots)))

    def with_way(
        self,
        way: str,
        shots: Iterable[int] | None = None,
        *,
        shutter: float | None = None,
        window: Number | None = None,
        fill: str | None = None,
        between: str | None = None,
    ) -> Self:
        """With result frames made in a way.

        Args:
            way: ``one``, ``long-exposure``, ``brightest``, ``darkest``, ``clear``, or an extension's.
            shots: which ones; all, if not given.
            shutter: degrees; 360 takes in all that was recorded.
            window: recorded seconds that *clear* looks at.
            fill: steps along the motion: ``none``, ``quick``, ``good``, ``finest``.
            between: where there are too few frames: ``hold``, ``blend``, ``motion``.
        """
        places, value = self._places(shots), self.value
        value = making.set_each_frame(value, places, EachFrame.named(way))
        if shutter is not None:
            value = making.set_shutter(value, places, shutter)
        if window is not None:
            value = making.set_window(value, places, _seconds(window, self.rate))
        if fill is not None:
            value = making.set_fill(value, places, Fill(fill))
        if between is not None:
            value = making.set_between(value, places, Between(between))
        return self._with(value)

    def with_even_light(self, strength: float = 1.0, shots: Iterable[int] | None = None) -> Self:
        """With light that flickers brought to a smooth course; 0 leaves it."""
        return self._with(correcting.set_even_out(self.value, self._numbers(shots), EvenOut(strength)))

    def with_passers_by(self, wish: str, shots: Iterable[int] | None = None) -> Self:
        """With what passes near the lens left (``leave``), skipped (``skip``) or cleared (``clear``)."""
        return self._with(correcting.set_passers_by(self.value, self._numbers(shots), PassersBy(wish)))

    def with_steady(self, wish: str = "smooth", shots: Iterable[int] | None = None) -> Self:
        """Steadied: ``smooth``, ``still``, with a strength (``"smooth:0.8"``), or ``off``."""
        return self._with(correcting.set_steady(self.value, self._numbers(shots), parse_steady(wish)))

    def with_accent(self, accent: str) -> Self:
        """With a look on the whole result, after those that are there: ``grain``, ``"flash:0.5"``."""
        added = parse_accent(accent)
        return self._with(joining.set_accents(self.value, lambda old: (*old, added), whole=True))

    def with_sound(self, manner: str | None) -> Self:
        """With recorded sound, its pitch ``held``, or ``follows`` the speed; None is silent."""
        if manner is None:
            return self.with_settings(sound=False)
        value = sounding.set_manner(self.value, self.value.places(), Manner(manner))
        return self._with(value).with_settings(sound=True)

    def with_preset(self, name: str | Path) -> Self:
        """With a treatment: one that ships, one of the person's own, or that of a file.

        One that hurries through Lulls is for the command line and the window, which find them.
        """
        chosen = preset_named(str(name))
        return self._with(preset.apply(self.value, range(self.shot_count), chosen))

    def with_settings(
        self,
        *,
        form: str | None = None,
        size: str | None = None,
        quality: str | int | None = None,
        sound: bool | None = None,
    ) -> Self:
        """With what the file should be like.

        Args:
            form: key of the format: ``mp4``, ``mkv``, ``h265``, ``prores``…; where it does not go with the
                file's name, `export` takes one that does.
            size: ``1280x720``, ``x720``…
            quality: ``draft`` to ``master``, or 1 to 5.
            sound: whether there is any.
        """
        settings = self.value.settings
        if form is not None:
            settings = replace(settings, format=format_named(form))
        if size is not None:
            settings = replace(settings, size=SizeWish.parse(size))
        if quality is not None:
            settings = replace(settings, quality=Quality.parse(str(quality)))
        if sound is not None:
            settings = replace(settings, sound=sound)
        settings.check()
        return self._with(arranging.set_settings(self.value, settings))

    def _numbers(self, shots: Iterable[int] | None) -> list[int]:
        """Of shots, in their order. Raises PlanError if there is no such shot."""
        numbers = list(range(self.shot_count)) if shots is None else sorted(set(shots))
        if wrong := [number for number in numbers if not 0 <= number < self.shot_count]:
            raise PlanError(f"There is no shot {wrong[0]}; there are {self.shot_count}, counted from 0.")
        return numbers

    def _places(self, shots: Iterable[int] | None) -> list[Place]:
        numbers = set(self._numbers(shots))
        return [place for place in self.value.places() if place.shot in numbers]

    def _with(self, value: CoreProject) -> Self:
        return replace(self, value=value)


def presets() -> list[str]:
    """The names of all treatments: the person's own first, then those that ship."""
    return [kept.preset.name for kept in (*own_presets()[0], *shipped_presets())]


def _seconds(time: Number, rate: Fraction) -> Fraction:
    """Seconds of a number, or of text, in which frames may be counted at a rate."""
    return parse_time(time, rate) if isinstance(time, str) else Fraction(time)
