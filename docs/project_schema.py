"""Writes into the newest schemas what the program's own lists tell: `python -m docs.project_schema`.

Looks with their parameters, and ways of making a frame, are entries in one place each; the schema is a file
of its own all the same, for it is what others read. A preset has the entries of a project, in
a schema of its own.
"""

import json
import re
from pathlib import Path
from typing import Any

from chronoxis.core.extensions import KEY
from chronoxis.core.files import preset_file, project_file
from chronoxis.core.model import preset
from chronoxis.core.model.accent import LOOKS, MOST_STRENGTH, Look
from chronoxis.core.parameters import parameters_of
from chronoxis.core.timing.frame_making import OWN_WAYS

Schema = dict[str, Any]

SCHEMA = Path(project_file.__file__).with_name(f"project-{project_file.VERSION}.schema.json")
PRESET_SCHEMA = SCHEMA.with_name(preset_file.SCHEMA)
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
            definitions |= {f"accent_{look.key}": _accent(look.key, _own_fields(look)) for look in LOOKS}
            definitions["accent_added"] = _accent("", _ADDED_FIELDS)
    definitions["accent"] |= {
        "properties": {
            "look": {"if": {"pattern": ADDED_KEY}, "else": {"enum": [look.key for look in LOOKS]}}
        },
        "if": {"properties": {"look": {"pattern": ADDED_KEY}}},
        "then": {"$ref": "#/definitions/accent_added"},
        "else": _one_of([look.key for look in LOOKS]),
    }
    making = definitions["passage"]["properties"]["making"]["properties"]
    making["each"] = {
        "if": {"pattern": ADDED_KEY},
        "else": {"enum": [entry.key for entry in OWN_WAYS]},
        "description": making["each"]["description"],
    }
    making["settings"] = {
        "type": "object",
        "description": "What a way that a package adds is set to, as the package knows it.",
    }
    return {**schema, "definitions": definitions}


def of_presets(project: Schema) -> Schema:
    """The schema of presets, whose parts are described as in projects."""
    definitions = project["definitions"]
    passage, shot = (definitions[name]["properties"] for name in ("passage", "shot"))
    parts: Schema = {
        "pace": {
            "type": "object",
            "minProperties": 1,
            "maxProperties": 1,
            "additionalProperties": False,
            "properties": {
                "speed": {**passage["speed"], "description": "All at one speed."},
                "length": {"$ref": "#/definitions/rational", "description": "Result seconds; above 0."},
                "every": {"$ref": "#/definitions/rational", "description": "The step; above 0."},
                "lulls": _lulls_pace(project["properties"]["lulls"], passage),
            },
            "description": "How fast: one of these.",
        },
        "ramp": {**passage["ramp"], "description": "The change of speed from passage to passage."},
        "frames": {**passage["making"], "description": "How result frames are made."},
        "even_out": {**shot["even_out"], "description": "How light is evened out."},
        "passers_by": {
            **shot["passers_by"]["properties"]["all"],
            "description": "What is done about who crosses near the lens.",
        },
        "steady": shot["steady"],
        "backwards": {"type": "boolean", "description": "Whether shots play from their end."},
        "sound": passage["sound"],
        "accents": {**shot["accents"], "description": "Looks on the shots, in place of theirs."},
        "mix": project["properties"]["mix"],
        "rate": project["properties"]["rate"],
        "export": {**definitions["settings"], "description": "What the file should be like."},
    }
    told: Schema = {
        "format": {"const": "chronoxis preset", "description": "What the file is."},
        "version": {"const": preset_file.VERSION, "description": "Of this description."},
        "name": {
            "type": "string",
            "minLength": 1,
            "maxLength": preset.LONGEST_NAME,
            "description": "By which a person knows it.",
        },
        "about": {
            "type": "string",
            "maxLength": preset.LONGEST_ABOUT,
            "description": "What it is for, in a line.",
        },
        "picture": {"type": "string", "description": "A small picture: a PNG or JPEG file, as base64."},
    }
    whole: Schema = {
        "$schema": project["$schema"],
        "title": f"A Chronoxis preset, version {preset_file.VERSION}",
        "type": "object",
        "required": ["format", "version", "name", "about"],
        "additionalProperties": False,
        "properties": {**told, **parts},
    }
    return {**whole, "definitions": _referred_to(whole, definitions)}


def _lulls_pace(wish: Schema, passage: Schema) -> Schema:
    hurry = {
        "type": "object",
        "required": ["speed", "ramp"],
        "additionalProperties": False,
        "properties": {
            "speed": {**passage["speed"], "description": "Of Lulls."},
            "ramp": {**passage["ramp"], "description": "The change of speed at either end of a lull."},
        },
    }
    return {
        "type": "object",
        "required": ["wish", "hurry", "length", "rest"],
        "additionalProperties": False,
        "properties": {
            "wish": wish,
            "hurry": {"if": {"type": "null"}, "else": hurry, "description": "Null leaves Lulls out."},
            "length": {
                "if": {"type": "null"},
                "else": {"$ref": "#/definitions/rational"},
                "description": "Result seconds that the speed of Lulls makes; null: as hurry says.",
            },
            "rest": {
                "if": {"type": "null"},
                "else": passage["speed"],
                "description": "Speed of what is no lull; null leaves it.",
            },
        },
        "description": "By Lulls alone.",
    }


def _referred_to(schema: Schema, definitions: Schema) -> Schema:
    """Those of some definitions that a schema refers to, and that they refer to."""
    found: set[str] = set()
    left = [json.dumps(schema)]
    while left:
        new = set(re.findall(r"#/definitions/(\w+)", left.pop())) - found
        found |= new
        left += [json.dumps(definitions[name]) for name in new]
    return {name: definition for name, definition in definitions.items() if name in found}


def text(schema: Schema) -> str:
    """A schema as its file has it."""
    return _written(schema, 0, 0) + "\n"


ADDED_KEY = f"^{KEY.pattern}$"

_ADDED_FIELDS: Schema = {
    "settings": {"type": "object", "description": "What it is set to, as the package knows it."}
}


def _own_fields(look: type[Look]) -> Schema:
    return {name: {**told.schema(), "description": told.about} for name, told in parameters_of(look).items()}


def _accent(key: str, own: Schema) -> Schema:
    """An accent of a look; of one that a package adds, where the key is empty."""
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
    choice: Schema = {"on": {"type": "boolean", "description": "Whether it shows; else it keeps its place."}}
    named: Schema = {"const": key} if key else {"pattern": ADDED_KEY}
    return {
        "type": "object",
        "required": ["look", *common],
        "additionalProperties": False,
        "properties": {
            "look": {**named, "description": "What it does to a picture."},
            **own,
            **common,
            **choice,
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
    project = filled(json.loads(SCHEMA.read_text()))
    SCHEMA.write_text(text(project))
    PRESET_SCHEMA.write_text(text(of_presets(project)))
