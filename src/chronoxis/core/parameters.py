"""Parameters as data: what a look or a way is set by, with ranges and words, for files and Bench."""

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from enum import StrEnum
from typing import Any

from chronoxis.core.errors import PlanError

_PARAMETER = "parameter"

MOST_NUMBERS, MOST_CHOICES, MOST_SWITCHES = 4, 2, 2
"""Parameters of each sort that one value may have: what the Bench has room for."""


@dataclass(frozen=True)
class Number:
    """A number.

    Attributes:
        label: what a person calls it.
        about: what it is, in a sentence; for the project file's description.
        least: the smallest that can be had.
        most: the greatest.
        unit: what stands behind it, where it is shown.
        shown: by how much it is larger there.
        whole: whether it is a whole number.
        unset: what is shown for None, where that can be had as well; else nothing.
    """

    label: str
    about: str
    least: float
    most: float
    unit: str = ""
    shown: float = 1.0
    whole: bool = False
    unset: str = ""

    def schema(self) -> dict[str, Any]:
        """Its values in a project file, as a JSON schema."""
        kind = "integer" if self.whole else "number"
        number = {"type": kind, "minimum": self.least, "maximum": self.most}
        return {"if": {"type": "null"}, "else": number} if self.unset else number

    def read(self, value: Any) -> float | None:
        """A value of a file. Raises PlanError if it is no number."""
        if value is None and self.unset:
            return None
        if isinstance(value, bool) or not isinstance(value, int if self.whole else int | float):
            raise PlanError(f"The {self.label.lower()} should be a number.")
        return value


@dataclass(frozen=True)
class Switch:
    """A choice of yes or no; ``label`` has ``&`` before the letter that chooses it."""

    label: str
    about: str

    def schema(self) -> dict[str, Any]:
        """Its values in a project file, as a JSON schema."""
        return {"type": "boolean"}

    def read(self, value: Any) -> bool:
        """A value of a file. Raises PlanError if it is not yes or no."""
        if not isinstance(value, bool):
            raise PlanError(f"“{self.label.replace('&', '')}” should be true or false.")
        return value


@dataclass(frozen=True)
class Choice:
    """A choice of several."""

    label: str
    about: str
    of: type[StrEnum]

    def schema(self) -> dict[str, Any]:
        """Its values in a project file, as a JSON schema."""
        return {"enum": [str(each) for each in self.of]}

    def read(self, value: Any) -> StrEnum:
        """A value of a file. Raises PlanError if it is none of the choices."""
        try:
            return self.of(value)
        except ValueError:
            raise PlanError(f"{self.label} should be one of {', '.join(map(str, self.of))}.") from None


Parameter = Number | Switch | Choice


def parameter(usual: Any, told: Parameter) -> Any:
    """A field of a dataclass that is a parameter, and what it usually is."""
    return field(default=usual, metadata={_PARAMETER: told})


def parameters_of(kind: type) -> dict[str, Parameter]:
    """The parameters of a dataclass, by name, in their order."""
    return {each.name: each.metadata[_PARAMETER] for each in fields(kind) if _PARAMETER in each.metadata}


def check_parameters(value: object, called: str) -> None:
    """Refuse numbers out of range.

    Raises:
        PlanError: one is; ``called`` names what it is of.
    """
    for name, told in parameters_of(type(value)).items():
        number = getattr(value, name)
        if not isinstance(told, Number) or (number is None and told.unset):
            continue
        if not told.least <= number <= told.most:
            raise PlanError(
                f"The {told.label.lower()} of a {called} lies between {told.least * told.shown:g} and "
                f"{told.most * told.shown:g} {told.unit}".strip()
                + "."
            )


@dataclass(frozen=True)
class Unread:
    """Values of a file for what is not there to read them; they are written again as they were.

    Attributes:
        values: by name, ascending.
    """

    values: tuple[tuple[str, Any], ...] = ()

    @classmethod
    def of(cls, values: Mapping[str, Any]) -> "Unread":
        """The values of a group of fields in a file."""
        return cls(tuple(sorted(values.items())))


UNREAD = Unread()
"""Of a package that a file gives no values for."""


def read_values(kind: type[Any], values: Mapping[str, Any]) -> Any:
    """A value of a dataclass of parameters, as a file has it; what the file does not say is as usual.

    Raises:
        PlanError: a value is of another kind, or none of a choice. Ranges are the dataclass's own affair.
    """
    told = parameters_of(kind)
    return kind(**{name: told[name].read(value) for name, value in values.items() if name in told})


def written_values(value: object) -> dict[str, Any]:
    """The same as a file has it."""
    if isinstance(value, Unread):
        return dict(value.values)
    named = ((name, getattr(value, name)) for name in parameters_of(type(value)))
    return {name: str(each) if isinstance(each, StrEnum) else each for name, each in named}


def check_kind(kind: type[Any]) -> None:
    """Refuse a dataclass with more parameters than there is room for. Raises ValueError."""
    told = parameters_of(kind).values()
    for sort, most in ((Number, MOST_NUMBERS), (Choice, MOST_CHOICES), (Switch, MOST_SWITCHES)):
        if sum(isinstance(each, sort) for each in told) > most:
            raise ValueError(f"{kind.__name__} has more than {most} parameters of the sort {sort.__name__}")
