"""The command line: its commands, and how they end.

Commands and what they stand on are loaded once they are asked for: help and version come at once.
"""

import os
import sys
from importlib import import_module
from pathlib import Path

import click
from click.shell_completion import CompletionItem

from chronoxis import __version__
from chronoxis.cli import Loading
from chronoxis.core.errors import Cancelled, ChronoxisError
from chronoxis.core.files import endings
from chronoxis.core.readable import in_a_line

COMMANDS = {
    "condense": (
        "condense_command:condense",
        "Condense a recording, or a folder's photos, into a file.",
    ),
    "convert": (
        "convert_command:convert",
        "Turn a project into an OpenTimelineIO timeline, or back.",
    ),
    "demo": ("demo_command:demo", "Open the Larkfield balloon meet, made by the program itself."),
    "desktop": (
        "desktop_command:desktop",
        "Put Chronoxis among your applications, or take it away.",
    ),
    "extensions": ("extensions_command:extensions", "List what other people's packages add."),
    "facts": ("facts_command:facts", "Say what a recording, a run of photos or music is."),
    "open": ("window_command:open_", "Open the window; with files if they are given."),
    "plan": ("plan_command:plan", "List what makes each result frame, and what to mind."),
    "presets": ("presets_command:presets", "Treatments with names, which --preset gives to footage."),
    "queue": ("queue_command:queue", "Exports that wait for their turn, without the window."),
    "render": ("render_command:render", "Export a project's result."),
    "report": ("report_command:report", "Write a file that helps others to find a fault."),
    "watch": ("watch_command:watch", "Condense what comes into a folder, once it has stopped growing."),
    "worker": ("worker_command:worker", "Make pieces of results for others who export."),
}
"""By name: its module in this folder and its name there, and what it does, in a line."""

_OPENING = (None, "open", "demo")  # these open the window, which sweeps beside itself
_STANDS_ON = ("PySide6-Essentials", "av", "numpy", "scipy", "opencv-python-headless", "imagecodecs", "pillow")


class _OpeningGroup(click.Group):
    """Commands; and a file's name alone opens the window with it."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        module, _, name = COMMANDS[cmd_name][0].partition(":")
        with Loading():
            command: click.Command = getattr(import_module(f"chronoxis.cli.{module}"), name)
        return command

    def shell_complete(self, ctx: click.Context, incomplete: str) -> list[CompletionItem]:
        found = [
            CompletionItem(name, help=about)
            for name, (_, about) in COMMANDS.items()
            if name.startswith(incomplete)
        ]
        return found or [CompletionItem(incomplete, type="file")]

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(name, about) for name, (_, about) in COMMANDS.items()])

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in COMMANDS and _names_a_file(args[0]):
            return "open", self.get_command(ctx, "open"), args
        if args and args[0] not in COMMANDS and (os.sep in args[0] or Path(args[0]).suffix):
            raise ChronoxisError(f"{args[0]} is not there; check the path, or see chronoxis --help.")
        return super().resolve_command(ctx, args)


def _names_a_file(text: str) -> bool:
    return Path(text).suffix.lower() in (endings.PROJECT, endings.TIMELINE) or Path(text).is_file()


def _say_versions(context: click.Context, _: click.Parameter, wished: bool) -> None:
    """Say which version this is, and of what it stands on, and stop."""
    if not wished or context.resilient_parsing:
        return
    from importlib.metadata import version  # noqa: PLC0415 - it takes as long to load as all else here

    click.echo(f"chronoxis {__version__}")
    python = ".".join(map(str, sys.version_info[:3]))
    click.echo(", ".join([f"Python {python}", *(f"{name} {version(name)}" for name in _STANDS_ON)]))
    context.exit()


@click.group(
    cls=_OpeningGroup,
    invoke_without_command=True,
    context_settings={"help_option_names": ["-h", "--help"]},
)
@click.option(
    "--version",
    is_flag=True,
    is_eager=True,
    expose_value=False,
    callback=_say_versions,
    help="Say which version this is, and of what it stands on.",
)
@click.pass_context
def cli(context: click.Context) -> None:
    """Condense long recordings into time-lapses, hyperlapses and fast-forward passages.

    Without a command, the window opens; with a project or a recording alone, it opens with that.
    """
    if context.invoked_subcommand not in _OPENING:
        from chronoxis.core.files.atomic import sweep_unfinished  # noqa: PLC0415 - help does not need it

        sweep_unfinished()
    if context.invoked_subcommand is None:
        from chronoxis.cli.window_command import open_window  # noqa: PLC0415 - nor that

        open_window()


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
