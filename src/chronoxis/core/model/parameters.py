"""Parameters as data: what a look is set by, with ranges and words, for files, Bench and messages."""

from dataclasses import dataclass, field, fields
from enum import StrEnum
from typing import Any

from chronoxis.core.errors import PlanError

_PARAMETER = "parameter"


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


@dataclass(frozen=True)
class Switch:
    """A choice of yes or no; ``label`` has ``&`` before the letter that chooses it."""

    label: str
    about: str

    def schema(self) -> dict[str, Any]:
        """Its values in a project file, as a JSON schema."""
        return {"type": "boolean"}


@dataclass(frozen=True)
class Choice:
    """A choice of several."""

    label: str
    about: str
    of: type[StrEnum]

    def schema(self) -> dict[str, Any]:
        """Its values in a project file, as a JSON schema."""
        return {"enum": [str(each) for each in self.of]}


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
