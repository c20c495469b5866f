"""The command line: its commands, and how they end."""

import sys
from pathlib import Path

import click

from chronoxis import __version__
from chronoxis.cli.condense import condense
from chronoxis.cli.convert import convert
from chronoxis.cli.demo import demo
from chronoxis.cli.facts import facts
from chronoxis.cli.plan import plan
from chronoxis.cli.render import render
from chronoxis.cli.window import open_, open_window
from chronoxis.core.errors import Cancelled, ChronoxisError
from chronoxis.core.files import endings


class _OpeningGroup(click.Group):
    """Commands; and a file's name alone opens the window with it."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in self.commands and _names_a_file(args[0]):
            return "open", self.commands["open"], args
        return super().resolve_command(ctx, args)


def _names_a_file(text: str) -> bool:
    return Path(text).suffix.lower() in (endings.PROJECT, endings.TIMELINE) or Path(text).is_file()


@click.group(
    cls=_OpeningGroup,
    invoke_without_command=True,
    context_settings={"help_option_names": ["-h", "--help"]},
)
@click.version_option(__version__, prog_name="chronoxis")
@click.pass_context
def cli(context: click.Context) -> None:
    """Condense long recordings into time-lapses, hyperlapses and fast-forward passages.

    Without a command, the window opens; with a project or a recording alone, it opens with that.
    """
    if context.invoked_subcommand is None:
        open_window(None)


for _command in (open_, demo, facts, condense, render, plan, convert):
    cli.add_command(_command)


def main() -> None:
    """Run the command line: exit 0 done, 1 failed with one line on standard error, 2 wrong usage."""
    try:
        cli(standalone_mode=False)
    except click.exceptions.Exit as ended:
        sys.exit(ended.exit_code)
    except click.ClickException as wrong:
        wrong.show()
        sys.exit(wrong.exit_code)
    except (Cancelled, click.Abort, KeyboardInterrupt):
        click.echo("Cancelled; nothing was left behind.", err=True)
        sys.exit(1)
    except ChronoxisError as error:
        click.echo(str(error), err=True)
        sys.exit(1)
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(1)
