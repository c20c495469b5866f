"""The documents say what the program does."""

import json
import re
from dataclasses import fields
from pathlib import Path
from typing import Any

import click
import pytest
from docs import project_fields, project_schema
from PySide6.QtGui import QAction, QKeySequence

from chronoxis.app.main_window import MainWindow
from chronoxis.cli.main import COMMANDS, cli
from chronoxis.core.errors import ProjectFileError
from chronoxis.core.files.project_file import from_json, load_project, save_project
from chronoxis.core.model import joining
from chronoxis.core.model.accent import LOOKS, Accent
from tests.core.test_joining import two_shots

README = project_fields.PAGE.parent.parent / "README.md"
OPTION = re.compile(r"(?<![\w-])(--[a-z][a-z-]+|-o\b)")


def test_the_tables_of_fields_are_those_of_the_schema() -> None:
    written = project_schema.SCHEMA.read_text()
    assert project_schema.text(project_schema.filled(project_fields.schema())) == written
    assert project_fields.page() == project_fields.PAGE.read_text(), "run python -m docs.project_fields"
    rows = re.findall(r"^\| `([^`]+)`( \?)? \| (.*?) \| (.*?) \|$", project_fields.PAGE.read_text(), re.M)
    assert len(rows) > 150
    assert not [row for row in rows if not row[2] or not row[3].endswith((".", "Hz"))]


def test_the_project_file_that_is_shown_opens() -> None:
    shown = re.search(r"```json\n(.*?)```", project_fields.PAGE.read_text(), re.S)
    assert shown
    project = from_json(json.loads(shown[1]), Path("shown.chronoxis"))
    assert len(project.footage) == 3
    assert project.shots[0].join.surge is not None


def accented(tmp_path: Path) -> tuple[Path, dict[str, Any]]:
    """A saved project with every accent, and its JSON values."""
    project = joining.set_accents(
        two_shots(), lambda _: tuple(Accent(look()) for look in LOOKS), shots=[0], places=[], joins=[]
    )
    path = tmp_path / "film.chronoxis"
    save_project(project, path)
    return path, json.loads(path.read_text())


def numbers() -> list[tuple[str, str, dict[str, Any]]]:
    """Every field of a look that has a range, with its look."""
    definitions = project_fields.schema()["definitions"]
    return [
        (look.key, field.name, entry)
        for look in LOOKS
        for field in fields(look)
        for entry in (definitions[f"accent_{look.key}"]["properties"][field.name],)
        if "minimum" in entry
    ]


@pytest.mark.parametrize(("look", "name", "entry"), numbers())
def test_ranges_of_the_schema_are_those_of_the_program(
    tmp_path: Path, look: str, name: str, entry: dict[str, Any]
) -> None:
    path, data = accented(tmp_path)
    place = next(n for n, accent in enumerate(data["shots"][0]["accents"]) if accent["look"] == look)
    for value, bound in ((entry["minimum"], None), (entry["maximum"], None)):
        data["shots"][0]["accents"][place][name] = value
        path.write_text(json.dumps(data))
        assert getattr(load_project(path).shots[0].accents[place].look, name) == value, bound
    for value, words in ((entry["minimum"] - 1, "below"), (entry["maximum"] + 1, "above")):
        data["shots"][0]["accents"][place][name] = value
        path.write_text(json.dumps(data))
        with pytest.raises(ProjectFileError, match=rf"shots\[0\]\.accents\[{place}\]\.{name} is {words}"):
            load_project(path)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (
            lambda d: d["shots"][0]["accents"][3].update(corner="top left"),
            r"accents\[3\] has “corner”, which",
        ),
        (
            lambda d: d["shots"][0]["accents"][0].update(
                amount={"by": "join", "response": "late", "points": []}
            ),
            r"accents\[0\]\.amount has “points”, which",
        ),
        (lambda d: d["shots"][1].update(spin=3), r"shots\[1\] has “spin”, which is not known"),
        (
            lambda d: d["shots"][0]["passages"][0].update(effect={"kind": "whirr", "level": 0, "colour": 0}),
            r"passages\[0\]\.effect\.kind should be one of rush, burner",
        ),
        (
            lambda d: d["shots"][0].update(
                join={
                    "surge": {
                        "peak": "60",
                        "run_up": {"length": "61", "shape": "late"},
                        "run_out": {"length": "1", "shape": "late"},
                        "linked": False,
                    },
                    "accents": [],
                }
            ),
            r"shots\[0\]\.join\.surge: .*up to 60 s",
        ),
        (
            lambda d: d["shots"][0]["accents"][0].update(
                amount={"by": "speed", "none_at": "4", "full_at": "4", "response": "even"}
            ),
            r"shots\[0\]\.accents\[0\]\.amount: An accent follows the speed",
        ),
        (
            lambda d: d["shots"][0]["accents"][0].update(
                amount={"by": "points", "points": [["1", 0.5], ["1/2", 1]]}
            ),
            r"shots\[0\]\.accents\[0\]\.amount: The points of an accent lie in order",
        ),
    ],
)
def test_what_is_wrong_is_said_with_its_place(tmp_path: Path, change: Any, words: str) -> None:
    path, data = accented(tmp_path)
    change(data)
    path.write_text(json.dumps(data))
    with pytest.raises(ProjectFileError, match=words):
        load_project(path)


def test_a_field_that_stands_twice_and_numbers_that_are_none_are_refused(tmp_path: Path) -> None:
    path, _ = accented(tmp_path)
    text = path.read_text()
    path.write_text(text.replace('"version": 8,', '"version": 8,\n "version": 8,'))
    with pytest.raises(ProjectFileError, match="“version” stands twice"):
        load_project(path)
    for number in ("NaN", "Infinity"):
        path.write_text(text.replace('"strength": 1.0', f'"strength": {number}', 1))
        with pytest.raises(ProjectFileError, match=f"{number} is no number"):
            load_project(path)


GROUPS = re.compile(r"^<(\w+)>(.*(?:\n +.*)*)", re.M)


def synopses() -> dict[str, set[str]]:
    """The options that the README gives each command."""
    block = re.search(r"```\n(chronoxis \[FILE\].*?)```", README.read_text(), re.S)
    assert block
    texts = dict(GROUPS.findall(block[1]))

    def of_group(name: str) -> set[str]:
        inner = (of_group(other) for other in re.findall(r"<(\w+)>", texts[name]))
        return set(OPTION.findall(texts[name])).union(*inner)

    found = {}
    for names, rest in re.findall(
        r"^chronoxis ((?:(?:queue|presets|desktop) )?[a-z|]+)(.*)$", block[1], re.M
    ):
        used = re.findall(r"<(\w+)>", rest)
        within, _, commands = names.rpartition(" ")
        for name in commands.split("|"):
            options = set(OPTION.findall(rest)).union(*map(of_group, used))
            found[f"{within} {name}".strip()] = options
    return found


def commands() -> dict[str, click.Command]:
    """All commands by name, those of groups behind that of their group."""
    found: dict[str, click.Command] = {}
    for name in COMMANDS:
        command = cli.get_command(click.Context(cli), name)
        assert command is not None
        inner = command.commands.items() if isinstance(command, click.Group) else ()
        found |= {f"{name} {other}": each for other, each in inner} or {name: command}
    return found


def test_the_readme_and_the_help_name_the_same_options() -> None:
    told = synopses()
    assert set(told) == set(commands())
    for name, command in commands().items():
        options = {max(param.opts, key=len) for param in command.params if isinstance(param, click.Option)}
        assert told[name] == {each if each != "--output" else "-o" for each in options}, name


def test_choices_in_the_readme_are_those_of_the_help() -> None:
    text = README.read_text()
    for param in {p.name: p for command in commands().values() for p in command.params}.values():
        if isinstance(param.type, click.Choice) and param.name != "format_key":
            assert f"{param.opts[0]} {'|'.join(map(str, param.type.choices))}" in text
    for wrong in re.findall(r"chronoxis (?!is\b)([a-z]+) ", " ".join(re.findall(r"`([^`]+)`", text))):
        assert wrong in COMMANDS


@pytest.mark.parametrize("page", ["README.md", "docs/project-file.md", "docs/architecture.md"])
def test_every_option_that_a_page_speaks_of_exists(page: str) -> None:
    known = {opt for command in commands().values() for param in command.params for opt in param.opts}
    known |= {"--help", "--version", "--runs"}
    assert set(OPTION.findall((README.parent / page).read_text())) - known == set()


def test_keys_in_the_readme_are_those_of_the_window(window: MainWindow) -> None:
    known = {key.toString() for action in window.findChildren(QAction) for key in action.shortcuts()}
    told = set(re.findall(r"\b((?:Ctrl|Shift)\+(?:Shift\+)?\w+)\b", README.read_text()))
    assert len(told) > 10
    assert {QKeySequence(key).toString() for key in told} - known == set()
