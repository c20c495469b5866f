"""The command line: its commands, and how they end."""

import os
import sys
from pathlib import Path

import click

from chronoxis import __version__
from chronoxis.cli.condense_command import condense
from chronoxis.cli.convert_command import convert
from chronoxis.cli.demo_command import demo
from chronoxis.cli.facts_command import facts
from chronoxis.cli.plan_command import plan
from chronoxis.cli.presets_command import presets
from chronoxis.cli.queue_command import queue
from chronoxis.cli.render_command import render
from chronoxis.cli.watch_command import watch
from chronoxis.cli.window_command import open_, open_window
from chronoxis.cli.worker_command import worker
from chronoxis.core.errors import Cancelled, ChronoxisError
from chronoxis.core.files import endings
from chronoxis.core.files.atomic import sweep_unfinished
from chronoxis.core.readable import in_a_line


class _OpeningGroup(click.Group):
    """Commands; and a file's name alone opens the window with it."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in self.commands and _names_a_file(args[0]):
            return "open", self.commands["open"], args
        if args and args[0] not in self.commands and (os.sep in args[0] or Path(args[0]).suffix):
            raise ChronoxisError(f"{args[0]} is not there; check the path, or see chronoxis --help.")
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
    if context.invoked_subcommand not in (None, "open", "demo"):  # the window does so beside itself
        sweep_unfinished()
    if context.invoked_subcommand is None:
        open_window()


for _command in (open_, demo, facts, condense, render, queue, watch, worker, presets, plan, convert):
    cli.add_command(_command)


def run() -> int:
    """Run the command that the arguments name, and return the exit status."""
    try:
        ended_with = cli(standalone_mode=False)
        sys.stdout.flush()
        return ended_with if isinstance(ended_with, int) else 0
    except click.exceptions.Exit as ended:
        return ended.exit_code
    except click.ClickException as wrong:
        wrong.show()
        return wrong.exit_code
    except (Cancelled, click.Abort):
        raise KeyboardInterrupt from None
    except ChronoxisError as error:
        click.echo(in_a_line(str(error)), err=True)
    except BrokenPipeError:
        _give_up_output()
    except OSError as error:
        _give_up_output()
        click.echo(f"The output cannot be written: {error.strerror}.", err=True)
    except MemoryError:
        click.echo(
            "There is not enough memory for that; choose a shorter stretch or a smaller size.", err=True
        )
    return 1


def _give_up_output() -> None:
    """Send what is still to be written nowhere; the interpreter would complain at its end."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
