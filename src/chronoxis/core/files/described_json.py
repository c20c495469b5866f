"""JSON that a schema describes, read from a file: what is wrong in it is told with its place, in words."""

import json
from collections.abc import Callable
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any, NoReturn

import fastjsonschema

from chronoxis.core.errors import PlanError, ProjectFileError
from chronoxis.core.timing.exact import shortened


def values_of(content: bytes, path: Path, kind: str) -> Any:
    """Values of a file's JSON.

    Args:
        content: of the file.
        path: where it was read.
        kind: what it should be, as the file says of itself: ``chronoxis project``.

    Raises:
        ProjectFileError: it is something else, or damaged; the message says where.
    """
    try:
        return json_values(content)
    except UnicodeDecodeError as error:
        raise ProjectFileError(_is_none(path, kind)) from error
    except RecursionError as error:
        raise ProjectFileError(
            f"{path.name} is damaged: it is nested without end. It was left as it is."
        ) from error
    except json.JSONDecodeError as error:
        if kind.encode() not in content[:200]:
            raise ProjectFileError(_is_none(path, kind)) from error
        raise ProjectFileError(
            f"{path.name} is damaged in line {error.lineno}: {error.msg}. It was left as it is; "
            "take an earlier copy."
        ) from error
    except PlanError as error:
        raise ProjectFileError(f"{path.name} is damaged: {error} It was left as it is.") from error
    except ValueError as error:  # a number of thousands of digits
        raise ProjectFileError(
            f"{path.name} is damaged: a number in it is far too long. It was left as it is."
        ) from error


def version_of(data: Any, path: Path, kind: str, newest: int, what: str, advice: str) -> Any:
    """The version that values say they are of, which a schema has yet to hold.

    Args:
        data: as a file has them.
        path: where they were read.
        kind: what the file should say of itself.
        newest: the version that can be read.
        what: whose version it is, in a word.
        advice: what to do with a newer one, in a sentence.

    Raises:
        ProjectFileError: it is something else, or of a newer version.
    """
    if not isinstance(data, dict) or data.get("format") != kind:
        raise ProjectFileError(_is_none(path, kind))
    version = data.get("version")
    if isinstance(version, int) and version > newest:
        raise ProjectFileError(
            f"{path.name} was saved by a newer Chronoxis ({what} version {version}; this one reads up to "
            f"{newest}). {advice}"
        )
    return version


def _is_none(path: Path, kind: str) -> str:
    """That a file is not of a kind."""
    return f"{path.name} is not a {kind.capitalize()}."


def check(data: Any, schema: str, path: Path) -> None:
    """Hold values that were read from a file to a schema beside this module.

    Raises:
        ProjectFileError: they do not keep to it; the message says where.
    """
    try:
        _validator(schema)(data)
    except fastjsonschema.JsonSchemaValueException as error:
        raise ProjectFileError(
            f"{path.name} is damaged: {_in_words(error)}. It was left as it is."
        ) from error


def read_whole(path: Path) -> bytes:
    """All of a file. Raises ProjectFileError if it cannot be opened, or is none."""
    try:
        if path.exists() and not path.is_file():
            raise ProjectFileError(f"{path.name} is not a file.")
        return path.read_bytes()
    except OSError as error:
        raise ProjectFileError(f"{path.name} cannot be opened: {error.strerror}.") from error


def json_values(content: str | bytes) -> Any:
    """Values of JSON. Raises ValueError, or PlanError for fields and numbers that make no sense."""
    return json.loads(content, object_pairs_hook=_fields, parse_constant=_refuse_constant)


def _fields(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """An object's fields, of which there is one of each name. Raises PlanError otherwise."""
    fields = dict(pairs)
    if len(fields) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise PlanError(f"“{shortened(twice)}” stands twice in one group of fields.")
    return fields


def _refuse_constant(name: str) -> NoReturn:
    raise PlanError(f"{name} is no number.")


@cache
def _validator(schema: str) -> Callable[[Any], Any]:
    compiled: Callable[[Any], Any] = fastjsonschema.compile(
        json.loads((files("chronoxis.core.files") / schema).read_text())
    )
    return compiled


def _in_words(error: fastjsonschema.JsonSchemaValueException) -> str:
    """What is wrong where, without the schema's own language."""
    where = str(error.name).removeprefix("data").removeprefix(".") or "the file"
    return f"{where} {_WRONG.get(str(error.rule), lambda _: 'is out of range')(error)}"


_TYPES = {
    "string": "text",
    "array": "a list",
    "object": "a group of fields",
    "boolean": "true or false",
    "number": "a number",
    "integer": "a whole number",
    "null": "nothing",
}


def _type_words(wanted: str | list[str]) -> str:
    kinds = [wanted] if isinstance(wanted, str) else wanted
    return " or ".join(_TYPES.get(kind, kind) for kind in kinds)


def _unknown(error: fastjsonschema.JsonSchemaValueException) -> str:
    """The fields of a value that its schema does not have."""
    known = error.definition.get("properties", {})
    return ", ".join(f"“{shortened(name)}”" for name in error.value if name not in known)


_WRONG: dict[str, Callable[[Any], str]] = {
    "const": lambda error: f"should be “{error.rule_definition}”",
    "enum": lambda error: f"should be one of {', '.join(map(str, error.rule_definition))}",
    "pattern": lambda _: 'should be a number as text, such as "25" or "30000/1001"',
    "oneOf": lambda _: 'should be a number as text, such as "25" or "30000/1001"',
    "maxLength": lambda _: "is longer than any such value can be",
    "type": lambda error: f"should be {_type_words(error.rule_definition)}",
    "required": lambda error: f"lacks {', '.join(n for n in error.rule_definition if n not in error.value)}",
    "additionalProperties": lambda error: f"has {_unknown(error)}, which is not known here",
    "minimum": lambda error: f"is below {error.rule_definition:g}",
    "maximum": lambda error: f"is above {error.rule_definition:g}",
    "exclusiveMinimum": lambda error: f"is not above {error.rule_definition:g}",
    "minItems": lambda _: "is empty",
    "minLength": lambda _: "is empty",
}
