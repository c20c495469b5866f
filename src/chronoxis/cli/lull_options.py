"""Options about lulls: stretches in which nobody speaks, or nothing changes."""

from collections.abc import Callable, Mapping
from fractions import Fraction
from typing import Any

import click

from chronoxis.cli.measuring_bar import measuring
from chronoxis.cli.options import Words, with_options
from chronoxis.core.footage.source import Source
from chronoxis.core.model import lull_acts
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.lull_acts import Hurry, LullsOf
from chronoxis.core.model.project import Project
from chronoxis.core.timing.lulls import Course, Lull, LullsBy, LullWish, lulls
from chronoxis.core.timing.speed import parse_speed
from chronoxis.core.timing.timecode import parse_time
from chronoxis.core.traces.lull_courses import change_course, speech_course
from chronoxis.core.traces.picture_trace import PictureTrace, watch
from chronoxis.core.traces.sound_trace import SoundTrace, listen
from chronoxis.core.traces.store import TraceStore
from chronoxis.core.traces.trace_kinds import PICTURES, SOUND

_FIT = "fit"
_OF_WISH = ("lulls_by", "lulls_nothing", "lulls_least", "lulls_margin")
_BETWEEN_0_AND_1 = click.FloatRange(0, 1)


def lull_options(command: Callable[..., None]) -> Callable[..., None]:
    """What becomes of lulls, and what counts as one."""
    command = with_options(
        command,
        [
            click.option("--lulls", metavar="S|fit",
                         help="Hurry through lulls at a speed; fit: as fast as --length needs."),
            click.option("--lulls-cut", is_flag=True, help="Leave lulls out."),
            click.option("--lulls-ramp", type=Words("time", parse_time), metavar="T",
                         help="Result time in which the speed changes, inside the lull; 0.5 s if not given."),
        ],
    )  # fmt: skip
    return found_lull_options(command)


def found_lull_options(command: Callable[..., None]) -> Callable[..., None]:
    """What counts as a lull."""
    return with_options(
        command,
        [
            click.option("--lulls-by", type=click.Choice([str(by) for by in LullsBy]),
                         help="Nobody speaks (the usual), nothing changes, both of it, or either."),
            click.option("--lulls-nothing", type=_BETWEEN_0_AND_1, metavar="X",
                         help="How much counts as nothing, 0 to 1; 0.5 if not given."),
            click.option("--lulls-least", type=Words("time", parse_time), metavar="T",
                         help="What a lull lasts at least; 2 s if not given."),
            click.option("--lulls-margin", type=Words("time", parse_time), metavar="T",
                         help="What stays as it is before and after it; 0.3 s if not given."),
        ],
    )  # fmt: skip


def lull_wish(options: Mapping[str, Any]) -> LullWish:
    """What the options count as a lull."""
    usual = LullWish()
    by = LullsBy(options["lulls_by"] or usual.by)
    numbers = [
        float(given if (given := options[f"lulls_{name}"]) is not None else getattr(usual, name))
        for name in ("nothing", "least", "margin")
    ]
    return LullWish(by, *numbers)


def hurries(options: Mapping[str, Any]) -> bool:
    """Whether something is to become of lulls. Raises UsageError: options about them have no effect."""
    if options.get("lulls") is not None and options["lulls_cut"]:
        raise click.UsageError("Give one of --lulls and --lulls-cut.")
    wanted = options.get("lulls") is not None or bool(options.get("lulls_cut"))
    for name in (*_OF_WISH, "lulls_ramp"):
        if not wanted and options.get(name) is not None:
            raise click.UsageError(f"--{name.replace('_', '-')} goes with --lulls or --lulls-cut.")
    if options.get("lulls_ramp") is not None and options["lulls_cut"]:
        raise click.UsageError("--lulls-ramp goes with --lulls.")
    if options.get("lulls") == _FIT and options["length"] is None:
        raise click.UsageError("--lulls fit needs a --length.")
    return wanted


def fits(options: Mapping[str, Any]) -> bool:
    """Whether lulls are to be as fast as a length needs."""
    return options.get("lulls") == _FIT


def with_lulls(
    project: Project, source: Source, options: Mapping[str, Any], length: Fraction | None
) -> Project:
    """A project of one shot, with what the options wish of its lulls. Raises ChronoxisError, UsageError."""
    footage, shot = project.footage[0], project.shots[0]
    begin, end = shot.span
    found: LullsOf = {0: lulls(lull_wish(options), *lull_courses(footage, source), begin, end)}
    if options["lulls_cut"]:
        return lull_acts.leave_out(project, found)
    fast = Fraction(8) if fits(options) else parse_speed(options["lulls"], footage.rate / project.rate)
    ramp = options["lulls_ramp"]
    wish = Hurry(fast) if ramp is None else Hurry(fast, ramp)
    if fits(options) and length is not None:
        return lull_acts.hurry_to_length(project, found, length, wish)
    return lull_acts.hurry(project, found, wish)


def lull_courses(footage: Footage, source: Source) -> tuple[Course | None, Course | None]:
    """What tells speech, and what tells change, measured now unless they were before. Raises FootageError."""
    sound, pictures = traces_of(footage, source)
    return speech_course(footage, sound), change_course(footage, source, pictures)


def traces_of(footage: Footage, source: Source) -> tuple[SoundTrace | None, PictureTrace | None]:
    """What is measured of sound and of pictures, as far as there are any. Raises FootageError."""
    store, sound, pictures = TraceStore(), None, None
    with measuring() as told:
        if SOUND.fits(source):
            sound = listen(source, store, lambda _, share: told(footage.label, share))
        if PICTURES.fits(source):
            pictures = watch(source, store, lambda _, share: told(footage.label, share))
    return sound, pictures


def lulls_listed(footage: Footage, source: Source, wish: LullWish) -> list[tuple[Lull, str]]:
    """All lulls of footage, and why each is one."""
    speech, change = lull_courses(footage, source)
    end = float(footage.length)
    why = "both" if wish.by is LullsBy.BOTH else str(wish.by)
    if speech is None or change is None:
        why = "change" if speech is None else "speech"
    found = lulls(wish, speech, change, 0.0, end)
    if wish.by is not LullsBy.EITHER or speech is None or change is None:
        return [(lull, why) for lull in found]
    silent, still = (lulls(LullWish(by, wish.nothing, 0, 0), speech, change, 0.0, end)
                     for by in (LullsBy.SPEECH, LullsBy.CHANGE))  # fmt: skip
    return [(lull, _why(lull, silent, still)) for lull in found]


def _why(lull: Lull, silent: list[Lull], still: list[Lull]) -> str:
    """Whether nobody speaks in all of a lull, nothing changes, or both; or now the one, now the other."""
    names = {"speech": silent, "change": still}
    whole = [
        name
        for name, spans in names.items()
        if any(span.begin <= lull.begin and lull.end <= span.end for span in spans)
    ]
    return {0: "either", 1: "".join(whole), 2: "both"}[len(whole)]
