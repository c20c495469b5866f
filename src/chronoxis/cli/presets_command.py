"""`chronoxis presets`: the treatments that have names."""

import json
from typing import Any

import click

from chronoxis.core.files.preset_file import preset_json
from chronoxis.core.files.presets import own_presets, preset_named, shipped_presets
from chronoxis.core.model.preset_words import PART_NAMES, in_words


@click.group()
def presets() -> None:
    """Treatments with names, which --preset gives to footage."""


@presets.command("list")
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def list_(as_json: bool) -> None:
    """List those that you keep, and those that ship with the program."""
    own, wrong = own_presets()
    for line in wrong:
        click.echo(line, err=True)
    known = [*own, *shipped_presets()]
    if as_json:
        rows = [{"name": kept.preset.name, "about": kept.preset.about, "own": kept.is_own} for kept in known]
        click.echo(json.dumps(rows, indent=1, ensure_ascii=False))
        return
    width = max(len(kept.preset.name) for kept in known)
    for kept in known:
        mark = "yours" if kept.is_own else ""
        click.echo(f"{kept.preset.name:{width}}  {mark:5}  {kept.preset.about}".rstrip())


@presets.command()
@click.argument("name", metavar="NAME|FILE")
@click.option("--json", "as_json", is_flag=True, help="As the file has it, without its picture.")
def show(name: str, as_json: bool) -> None:
    """Show what a preset says."""
    preset = preset_named(name)
    if as_json:
        told: dict[str, Any] = preset_json(preset)
        told.pop("picture", None)
        click.echo(json.dumps(told, indent=1, ensure_ascii=False))
        return
    click.echo(f"{preset.name}: {preset.about}")
    width = max(map(len, PART_NAMES.values()))
    for part in preset.parts:
        click.echo(f"  {PART_NAMES[part]:{width}}  {in_words(preset, part)}")
