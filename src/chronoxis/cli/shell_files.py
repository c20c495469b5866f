"""The man page and the completions for shells, made from the commands themselves."""

import re
from collections.abc import Iterator

import click
from click.shell_completion import BashComplete, FishComplete, ShellComplete, ZshComplete

from chronoxis import __version__
from chronoxis.cli.main import COMMANDS, cli

_NAME = "chronoxis"
_ASKING = "_CHRONOXIS_COMPLETE"  # the variable by which a shell asks for completion
_COMPLETIONS: dict[str, type[ShellComplete]] = {
    "bash-completion/completions/chronoxis": BashComplete,
    "zsh/site-functions/_chronoxis": ZshComplete,
    "fish/vendor_completions.d/chronoxis.fish": FishComplete,
}
MAN_PAGE = "man/man1/chronoxis.1"
"""Where the manual page lies, below a folder of shared data."""


def shell_files() -> dict[str, str]:
    """Man page and completions, by their place below a folder of a desktop's data."""
    completions = {place: _completion(shell) for place, shell in _COMPLETIONS.items()}
    return {MAN_PAGE: man_page(), **completions}


def _completion(shell: type[ShellComplete]) -> str:
    # Bash's own asks the bash that runs for its version; what the text needs is the same in all since 4.4.
    maker = shell(cli, {}, _NAME, _ASKING)
    return maker.source_template % maker.source_vars()


def man_page() -> str:
    """The page of section 1, as roff, with all commands and their options."""
    lines = [
        f'.TH CHRONOXIS 1 "" "Chronoxis {__version__}" "User Commands"',
        ".ad l",  # long lists of choices cannot be adjusted
        ".SH NAME",
        r"chronoxis \- condense long recordings and photos into time-lapses",
        ".SH SYNOPSIS",
        ".B chronoxis",
        r"[\fIFILE\fR]...",
        ".br",
        ".B chronoxis",
        r"\fICOMMAND\fR [\fIOPTION\fR]...",
        ".SH DESCRIPTION",
        *_paragraphs(cli.help or ""),
        ".SH COMMANDS",
    ]
    for name, command in _commands():
        lines += [f".SS chronoxis {name}", *_usage(name, command), *_paragraphs(command.help or "")]
        for option in command.params:
            if isinstance(option, click.Option) and not option.hidden:
                lines += [".TP", _heading(option), _roff(option.help or "")]
    lines += [
        ".SH EXIT STATUS",
        "0 done; 1 failed, with one line on standard error; 2 wrong usage; 3 done, with frames standing in "
        "for others that could not be decoded.",
        ".SH FILES",
        *(".TP\n" + f"\\fI{place}\\fR\n{_roff(about)}" for place, about in _PLACES),
    ]
    return "\n".join(lines) + "\n"


_PLACES = (
    ("~/.config/chronoxis", "Presets of your own, choices for exports, limits of places that results go to."),
    ("~/.local/state/chronoxis", "What was open, copies against a crash, the list of exports, the log."),
    (
        "~/.cache/chronoxis",
        "What was measured of footage, made frames, proxies; it can be removed.",
    ),
)


def _commands() -> Iterator[tuple[str, click.Command]]:
    context = click.Context(cli)
    for name in COMMANDS:
        command = cli.get_command(context, name)
        assert command is not None
        if isinstance(command, click.Group):
            yield from ((f"{name} {inner}", each) for inner, each in command.commands.items())
        else:
            yield name, command


def _usage(name: str, command: click.Command) -> list[str]:
    pieces = command.collect_usage_pieces(click.Context(command, info_name=name))
    return [rf"\fBchronoxis {name}\fR {_roff(' '.join(pieces))}"]


def _heading(option: click.Option) -> str:
    names = ", ".join(rf"\fB{_roff(name)}\fR" for name in (*option.opts, *option.secondary_opts))
    if option.is_flag:
        return names
    wanted = option.make_metavar(click.Context(cli))
    return rf"{names} \fI{_roff(wanted)}\fR"


def _paragraphs(text: str) -> list[str]:
    parts = [" ".join(part.split()) for part in re.split(r"\n\s*\n", text.replace("\b", ""))]
    return [line for part in parts if part for line in (".PP", _roff(part))]


def _roff(text: str) -> str:
    text = text.replace("\\", r"\e").replace("-", r"\-")
    return rf"\&{text}" if text.startswith((".", "'")) else text
