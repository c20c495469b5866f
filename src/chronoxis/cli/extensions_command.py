"""`chronoxis extensions`: what other people's packages add."""

import click

from chronoxis.core.extensions import ACCENTS, TRACES, WAYS, Extension
from chronoxis.core.extensions import extensions as found_in

_WORDS = {WAYS: "way of making a frame", ACCENTS: "accent", TRACES: "trace"}


@click.command()
def extensions() -> None:
    """List what other people's packages add.

    They run with your rights, like anything that you install: take only what you trust.
    """
    found = [each for group in _WORDS for each in found_in(group).values()]
    for each in found:
        click.echo(f"{each.key:32} {_WORDS[each.what]:22} {_told(each)}".rstrip())
    if not found:
        click.echo("Nothing was added. docs/extensions.md tells how that is done.")


def _told(each: Extension) -> str:
    return f"cannot be used: {each.wrong}" if each.wrong else f"of {each.package}"
