"""Writes into the newest schema what the program's own lists tell: `python -m docs.project_schema`.

Looks with their parameters, and ways of making a frame, are entries in one place each; the schema is a file
of its own all the same, for it is what others read.
"""

import json
from pathlib import Path
from typing import Any

from chronoxis.core.files import project_file
from chronoxis.core.model.accent import LOOKS, MOST_STRENGTH, Look
from chronoxis.core.model.parameters import parameters_of
from chronoxis.core.timing.frame_making import EachFrame

Schema = dict[str, Any]

SCHEMA = Path(project_file.__file__).with_name(f"project-{project_file.VERSION}.schema.json")
_WIDTH = 110  # columns


def filled(schema: Schema) -> Schema:
    """The schema with what the lists tell."""
    schema = json.loads(json.dumps(schema))
    definitions = {}
    for name, definition in schema["definitions"].items():
        if name.startswith("accent_"):
            continue
        definitions[name] = definition
        if name == "amount":
            definitions |= {f"accent_{look.key}": _accent(look) for look in LOOKS}
    definitions["accent"] |= {
        "properties": {"look": {"enum": [look.key for look in LOOKS]}},
        **_one_of([look.key for look in LOOKS]),
    }
    making = definitions["passage"]["properties"]["making"]["properties"]
    making["each"]["enum"] = [str(each) for each in EachFrame]
    return {**schema, "definitions": definitions}


def text(schema: Schema) -> str:
    """A schema as its file has it."""
    return _written(schema, 0, 0) + "\n"


def _accent(look: type[Look]) -> Schema:
    common: Schema = {
        "amount": {"$ref": "#/definitions/amount", "description": "How much of it, when."},
        "strength": {
            "type": "number",
            "minimum": 0,
            "maximum": int(MOST_STRENGTH),
            "description": "Times the amount; 1 is full.",
        },
        "seed": {
            "type": "integer",
            "minimum": 0,
            "maximum": 2**32 - 1,
            "description": "Of what is random in it.",
        },
    }
    own = {name: {**told.schema(), "description": told.about} for name, told in parameters_of(look).items()}
    return {
        "type": "object",
        "required": ["look", *common],
        "additionalProperties": False,
        "properties": {
            "look": {"const": look.key, "description": "What it does to a picture."},
            **own,
            **common,
        },
    }


def _one_of(keys: list[str]) -> Schema:
    """Which definition holds, by the look: so that an error names the field that is wrong, and no others."""
    first, *others = keys
    last = others[0] if len(others) == 1 else None
    return {
        "if": {"properties": {"look": {"const": first}}},
        "then": {"$ref": f"#/definitions/accent_{first}"},
        "else": {"$ref": f"#/definitions/accent_{last}"} if last else _one_of(others),
    }


def _written(value: Any, indent: int, taken: int) -> str:
    """JSON on one line where it fits behind so many columns, else an entry a line."""
    if not isinstance(value, dict | list) or not value:
        return json.dumps(value, ensure_ascii=False)
    flat = _flat(value)
    if taken and indent + taken + len(flat) <= _WIDTH:
        return flat
    inner = indent + 2
    if isinstance(value, list):
        lines = [_written(each, inner, 1) for each in value]
        opening, closing = "[", "]"
    else:
        names = {name: f"{json.dumps(name)}: " for name in value}
        lines = [names[name] + _written(each, inner, len(names[name]) + 1) for name, each in value.items()]
        opening, closing = "{", "}"
    body = ",\n".join(" " * inner + line for line in lines)
    return f"{opening}\n{body}\n{' ' * indent}{closing}"


def _flat(value: Any) -> str:
    if isinstance(value, dict):
        return (
            "{ " + ", ".join(f"{json.dumps(k)}: {_flat(v)}" for k, v in value.items()) + " }"
            if value
            else "{}"
        )
    if isinstance(value, list):
        return "[" + ", ".join(map(_flat, value)) + "]"
    return json.dumps(value, ensure_ascii=False)


if __name__ == "__main__":
    SCHEMA.write_text(text(filled(json.loads(SCHEMA.read_text()))))
