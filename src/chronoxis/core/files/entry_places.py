"""Where in a project file a value stands that cannot be."""

from collections.abc import Callable
from typing import Any, TypeVar

from chronoxis.core.errors import PlanError

T = TypeVar("T")


class MisplacedError(PlanError):
    """A value that cannot be, and the place of the entry that has it."""

    def __init__(self, place: str, why: str) -> None:
        super().__init__(why)
        self.place = place


def each_from(item: dict[str, Any], name: str, read: Callable[[dict[str, Any]], T]) -> tuple[T, ...]:
    """What a list in an entry says; none, if it is not there. Raises MisplacedError with the place in it."""
    return tuple(_read(f"{name}[{number}]", each, read) for number, each in enumerate(item.get(name, [])))


def one_from(item: dict[str, Any], name: str, read: Callable[[dict[str, Any]], T]) -> T:
    """What a group of fields in an entry says; of no fields, if it is not there. Raises likewise."""
    return _read(name, item.get(name) or {}, read)


def _read(place: str, item: dict[str, Any], read: Callable[[dict[str, Any]], T]) -> T:
    try:
        return read(item)
    except MisplacedError as error:
        raise MisplacedError(f"{place}.{error.place}", str(error)) from error
    except PlanError as error:
        raise MisplacedError(place, str(error)) from error
