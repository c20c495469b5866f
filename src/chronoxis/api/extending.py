"""What packages add: ways of making a frame, accents and traces, as their entry points name them."""

from collections.abc import Callable
from dataclasses import dataclass, fields, is_dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from chronoxis.core.model.accent import AddedLook
from chronoxis.core.parameters import Choice, Number, Switch, check_kind, parameter
from chronoxis.core.picture.added_way import WayMaker
from chronoxis.core.timing.frame_making import WayEntry
from chronoxis.core.traces.added_trace import AddedTrace

__all__ = ["Choice", "Look", "Number", "Switch", "Trace", "Way", "WayMaker", "parameter"]


@dataclass(frozen=True)
class Way:
    """A way of making a result frame, for the group ``chronoxis.ways``.

    Attributes:
        label: what a person calls it: two words at most.
        about: what it does, in a few words.
        begin: begins a result frame: called with a value of ``settings``, or with nothing if there is none.
        settings: a frozen dataclass, each field a `parameter`; None where the way is set by nothing.
        most: recorded frames that it takes, evenly spread over those while the shutter is open; 0 for up to
            hundreds. A maker that keeps its frames in memory should say a small number.
        weighs: whether frames count by how long they are on display; else alike.
        looks_wider: whether it may look at more recorded time than the shutter takes in.
    """

    label: str
    about: str
    begin: Callable[..., WayMaker]
    settings: type[Any] | None = None
    most: int = 0
    weighs: bool = False
    looks_wider: bool = False

    def as_extension(self, key: str) -> WayEntry:
        """As the program has it. Raises ValueError if it cannot be had so."""
        if self.settings is not None:
            _check(self.settings)
        if self.most < 0:
            raise ValueError("most is below 0")
        return WayEntry(
            key,
            self.label,
            self.about,
            adds_light=self.weighs,
            looks_wider=self.looks_wider,
            most=self.most,
            settings=self.settings,
            maker=self.begin,
        )


class Look(AddedLook):
    """A look that comes and goes as an accent, for the group ``chronoxis.accents``.

    A subclass is a frozen dataclass, each field a `parameter`, with a ``name`` and words ``about`` it, and
    draws itself: see `AddedLook.drawn`.
    """

    @classmethod
    def as_extension(cls, key: str) -> type["Look"]:
        """As the program has it. Raises ValueError if it cannot be had so."""
        _check(cls)
        if not getattr(cls, "name", "") or not getattr(cls, "about", ""):
            raise ValueError(f"{cls.__name__} needs a name, and words about it")
        cls.key = key
        return cls


@dataclass(frozen=True)
class Trace:
    """Something measured of pictures, which a pace can follow, for the group ``chronoxis.traces``.

    Attributes:
        label: what a person calls it: a word.
        about: what it is, in a few words.
        measure: gives a number of each recorded frame, from small pictures of it and of the one before (the
            same for the first): float32, shape (36, 64, 3), red, green and blue, linear light, 0 to 1.
    """

    label: str
    about: str
    measure: Callable[[npt.NDArray[np.float32], npt.NDArray[np.float32]], float]

    def as_extension(self, key: str) -> AddedTrace:
        """The trace as the program knows it, under the key of its entry point."""
        return AddedTrace(key, self.label, self.about, self.measure)


def _check(kind: type[Any]) -> None:
    """Raises ValueError if a class is no frozen dataclass of parameters."""
    params: Any = getattr(kind, "__dataclass_params__", None)
    if not is_dataclass(kind) or not params.frozen:
        raise ValueError(f"{kind.__name__} is no frozen dataclass")
    check_kind(kind)
    plain = [each.name for each in fields(kind) if not each.metadata]
    if plain:
        raise ValueError(f"{', '.join(plain)} of {kind.__name__} should be made by parameter()")
    kind()  # what is usual has to be possible
