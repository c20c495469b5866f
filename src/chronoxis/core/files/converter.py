"""Values as entries of files: field by field, after their own types.

A value's dataclass says which fields its entry has, and what they usually are. What an entry calls
otherwise, or puts together otherwise, is told in the modules that `entries` names.
"""

from collections.abc import Callable, Mapping
from fractions import Fraction
from functools import cache, partial
from typing import Any, TypeVar

from cattrs import AttributeValidationNote, BaseValidationError, Converter, IterableValidationNote, override
from cattrs.gen import make_dict_structure_fn, make_dict_unstructure_fn

from chronoxis.core.errors import PlanError

T = TypeVar("T")
Entry = dict[str, Any]


class MisplacedError(PlanError):
    """A value that cannot be, and the place of the entry that has it; no place, if it is the whole."""

    def __init__(self, place: str, why: str) -> None:
        super().__init__(why)
        self.place = place

    @property
    def with_place(self) -> str:
        """What is wrong, behind its place."""
        return f"{self.place}: {self}" if self.place else str(self)


_converter = Converter(unstruct_collection_overrides={tuple: list, frozenset: sorted})
_converter.register_unstructure_hook(Fraction, str)
_converter.register_structure_hook(Fraction, lambda text, _: Fraction(text))

_OTHER_VALUES = (ValueError, TypeError, LookupError, AttributeError, ArithmeticError)
"""What reading a value raises that is of another kind than it should be."""

_entry_names: dict[str, str] = {}  # of fields that entries call otherwise


def written(value: object) -> Any:
    """A value as JSON values."""
    return _converter.unstructure(value)


def read(item: Any, kind: type[T]) -> T:
    """A value of a kind, of JSON values. Raises MisplacedError: a value is out of range, or none at all."""
    try:
        return _converter.structure(item, kind)
    except (BaseValidationError, PlanError, *_OTHER_VALUES) as error:
        raise _misplaced(error) from error


def part(item: Mapping[str, Any], name: str, kind: type[T]) -> T:
    """What a group of fields in an entry says; as usual, if it is not there. Raises as `read`."""
    return at_place(name, lambda: read(item.get(name) or {}, kind))


def parts(item: Mapping[str, Any], name: str, kind: type[T]) -> tuple[T, ...]:
    """What a list in an entry says; nothing, if it is not there. Raises as `read`."""
    return each_of(item, name, lambda each: read(each, kind))


def each_of(item: Mapping[str, Any], name: str, reader: Callable[[Entry], T]) -> tuple[T, ...]:
    """The same of what a function reads."""
    items = enumerate(item.get(name, []))
    return tuple(at_place(f"{name}[{number}]", partial(reader, each)) for number, each in items)


def at_place(place: str, reader: Callable[[], T]) -> T:
    """What a function reads. Raises MisplacedError with the place in it."""
    try:
        return reader()
    except MisplacedError as error:
        raise MisplacedError(_joined(place, error.place), str(error)) from error
    except PlanError as error:
        raise MisplacedError(place, str(error)) from error


def entries_of(
    kind: type[T],
    *,
    names: Mapping[str, str] | None = None,
    left_out: tuple[str, ...] = (),
    told: Callable[[T, Entry], Any] = lambda _, entry: entry,
    fields: Callable[[Any], Entry] = lambda item: item,
    check: Callable[[T], object] = lambda _: None,
    without_usual: bool = False,
) -> None:
    """Tell what is different in the entries of a kind of value.

    Args:
        kind: a dataclass.
        names: of fields that an entry calls otherwise.
        left_out: fields that no entry has.
        told: the entry of a value, out of its fields as JSON values.
        fields: the inverse.
        check: looks at what was read; raises PlanError if that cannot be.
        without_usual: whether fields that are as usual are left out.
    """
    overrides = {name: override(omit=True) for name in left_out}
    overrides |= {name: override(rename=other) for name, other in (names or {}).items()}
    _entry_names.update(names or {})

    @cache  # made once it is needed, when it is known how the kinds of all fields are written and read
    def functions() -> tuple[Callable[[T], Entry], Callable[[Entry, Any], T]]:
        chosen: Any = overrides
        return (
            make_dict_unstructure_fn(kind, _converter, _cattrs_omit_if_default=without_usual, **chosen),
            make_dict_structure_fn(kind, _converter, **chosen),
        )

    def build(item: Any, _kind: object) -> T:
        value = functions()[1](fields(item), kind)
        check(value)
        return value

    _converter.register_unstructure_hook(kind, lambda value: told(value, functions()[0](value)))
    _converter.register_structure_hook(kind, build)


def listed(kind: type) -> None:
    """Tell that the entry of a dataclass is a list of its fields, without their names."""
    _converter.register_unstructure_hook(
        kind, lambda value: list(_converter.unstructure_attrs_astuple(value))
    )
    _converter.register_structure_hook(kind, _converter.structure_attrs_fromtuple)


def named_kinds(union: Any, field: str, kinds: Mapping[str, type]) -> None:
    """Tell that an entry says in a field which of several kinds its value is of."""
    for name, kind in kinds.items():
        entries_of(kind, told=partial(_named, field, name))
    told_apart(union, lambda item: read(item, kinds[item[field]]))


def told_apart(union: Any, reader: Callable[[Any], Any]) -> None:
    """Tell by a function how a value of several kinds is read; it is written as its own kind is."""
    _converter.register_structure_hook(union, lambda item, _: reader(item))


def spelled(kind: type[T], write: Callable[[T], Any], reader: Callable[[Any], T]) -> None:
    """Tell by two functions how a kind of value is written and read."""
    _converter.register_unstructure_hook(kind, write)
    told_apart(kind, reader)


def _named(field: str, name: str, _value: object, entry: Entry) -> Entry:
    return {field: name, **entry}


def _misplaced(error: BaseException) -> MisplacedError:
    """The first thing that is wrong in an entry, with its place."""
    place = ""
    while isinstance(error, BaseValidationError):
        error = error.exceptions[0]
        place = _joined(place, _place_in_notes(error))
    if isinstance(error, MisplacedError):
        return MisplacedError(_joined(place, error.place), str(error))
    return MisplacedError(place, str(error) if isinstance(error, PlanError) else "cannot be read.")


def _place_in_notes(error: BaseException) -> str:
    """Where in what is around it something went wrong, as the converter notes it."""
    for note in getattr(error, "__notes__", []):
        if isinstance(note, AttributeValidationNote):
            return _entry_names.get(note.name, note.name)
        if isinstance(note, IterableValidationNote):
            return f"[{note.index}]"
    return ""


def _joined(place: str, inner: str) -> str:
    """A place and one inside of it, either of which may be nothing."""
    return f"{place}.{inner}" if place and inner and not inner.startswith("[") else place + inner
