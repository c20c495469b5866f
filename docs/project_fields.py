"""Writes the tables of fields in `docs/project-file.md` from the schema: `python -m docs.project_fields`."""

import json
from importlib.resources import files
from pathlib import Path
from typing import Any

from chronoxis.core.files.project_file import VERSION
from chronoxis.core.model.accent import LOOKS

PAGE = Path(__file__).with_name("project-file.md")
BEGIN, END = "<!-- fields, from the schema -->\n", "<!-- end of the fields -->\n"

Schema = dict[str, Any]

# How the definitions are called, in the order of the page.
_TITLES = {
    "recording": "Footage: a recording",
    "photo_run": "Footage: a photo run",
    "music": "Footage: music",
    "nested": "Footage: a nested run",
    "marker": "A marker",
    "judged": "What a person said about lulls",
    "shot": "A shot",
    "passage": "A passage",
    "ramp_effect": "An effect with a ramp",
    "join": "A join",
    "side": "A side of a Surge",
    **{f"accent_{look.key}": f"An accent: {look.name}" for look in LOOKS},
    "accent_added": "An accent that a package adds",
    "amount_by_speed": "An amount by speed",
    "amount_by_join": "An amount by join",
    "amount_by_points": "An amount by points",
    "music_piece": "A piece of music under the result",
    "mix": "The mix",
    "effect": "An effect wherever a speed asks for it",
    "canvas": "The canvas",
    "settings": "The settings of an export",
}


def tables(schema: Schema) -> str:
    """All fields, a table for the project and one for each kind of entry."""
    parts = [_table("The project", schema, schema)]
    parts += [_table(title, schema["definitions"][name], schema) for name, title in _TITLES.items()]
    return "\n".join(parts)


def schema() -> Schema:
    """The schema of the newest version."""
    found: Schema = json.loads((files("chronoxis.core.files") / f"project-{VERSION}.schema.json").read_text())
    return found


def page() -> str:
    """The page with its tables as they should be."""
    text = PAGE.read_text()
    before, after = text.split(BEGIN)[0], text.split(END)[1]
    return f"{before}{BEGIN}\n{tables(schema())}\n{END}{after}"


def _table(title: str, entry: Schema, whole: Schema) -> str:
    rows = "\n".join(
        f"| `{path}`{'' if required else ' ?'} | {_kind(field, whole)} | {field.get('description', '')} |"
        for path, field, required in _fields(entry, "")
    )
    return f"### {title}\n\n| field | value | meaning |\n|---|---|---|\n{rows}\n"


def _fields(entry: Schema, before: str) -> list[tuple[str, Schema, bool]]:
    """Of an entry and of the groups of fields in it: the path, the field, and whether it has to be there."""
    found = []
    for name, field in entry.get("properties", {}).items():
        found.append((f"{before}{name}", field, name in entry.get("required", [])))
        inner, path = field, f"{before}{name}."
        if field.get("type") == "array":
            inner, path = field["items"], f"{before}{name}[]."
        inner = inner.get("else", inner) if isinstance(inner, dict) else {}
        found += _fields(inner, path)
    return found


def _kind(field: Schema, whole: Schema) -> str:
    """What values a field has, in words."""
    if "else" in field and field["if"] == {"type": "null"}:
        return f"{_kind(field['else'], whole)}, or null"
    if "$ref" in field:
        name = field["$ref"].removeprefix("#/definitions/")
        return _NAMED.get(name) or (
            _TITLES[name].lower() if name in _TITLES else _kind(whole["definitions"][name], whole)
        )
    if "const" in field:
        return f"`{json.dumps(field['const'])}`"
    if "enum" in field:
        return ", ".join(f"`{each}`" for each in field["enum"])
    kind = field.get("type", "")
    nothing = ", or null" if isinstance(kind, list) else ""
    name = kind[0] if isinstance(kind, list) else kind
    if name == "array":
        items = field["items"] if isinstance(field["items"], list) else [field["items"]]
        return f"a list: {' and '.join(_kind(item, whole) for item in items)}"
    low = field.get("minimum", field.get("exclusiveMinimum"))
    above = "above " if "exclusiveMinimum" in field else ""
    range_ = f", {above}{low:,} to {field['maximum']:,}" if low is not None and "maximum" in field else ""
    range_ = range_ or (f", {low:,} or more" if low is not None else "")
    return f"{_TYPES.get(name, 'a group of fields')}{range_}{nothing}"


_NAMED = {
    "rational": "rational",
    "signed": "rational, perhaps below 0",
    "footage": "footage of one of four kinds",
    "accent": "an accent",
    "amount": "an amount of one of three kinds",
    "state": "the fields of a project, but for `format`, `version` and `trials`",
}
_TYPES = {
    "string": "text",
    "object": "a group of fields",
    "boolean": "true or false",
    "number": "a number",
    "integer": "a whole number",
}


if __name__ == "__main__":
    PAGE.write_text(page())
