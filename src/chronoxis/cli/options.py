"""Options that several commands share."""

from collections.abc import Callable, Sequence
from enum import StrEnum
from pathlib import Path
from typing import Any

import click

from chronoxis.core.errors import PlanError
from chronoxis.core.model.accent import looks, parse_accent
from chronoxis.core.model.even_out import parse_strength
from chronoxis.core.model.export_format import Quality
from chronoxis.core.model.export_formats import FORMATS, endings_in_words
from chronoxis.core.model.framing import parse_crop, parse_steps
from chronoxis.core.model.making import parse_line_up, parse_shutter
from chronoxis.core.model.photo_run import parse_interval, parse_photo_rate
from chronoxis.core.model.settings import SizeWish, parse_bitrate, parse_megabytes
from chronoxis.core.model.sound import parse_level, parse_loudness
from chronoxis.core.model.steady import parse_crop_budget, parse_steady
from chronoxis.core.render.pipe import PIPES
from chronoxis.core.timing.frame_making import Between, EachFrame, Fill, PassersBy, ways
from chronoxis.core.timing.rates import parse_rate
from chronoxis.core.timing.speed import parse_speed
from chronoxis.core.timing.timecode import parse_time

FILE = click.Path(path_type=Path)


class Words(click.ParamType[Any]):
    """A value read by one of the core's parsers, whose message is shown for a wrong one."""

    def __init__(self, name: str, parse: Callable[[str], Any]) -> None:
        self.name = name
        self._parse = parse

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        try:
            return self._parse(value) if isinstance(value, str) else value
        except PlanError as error:
            self.fail(str(error), param, ctx)


Command = Callable[..., None]


def with_options(command: Command, options: Sequence[Callable[[Command], Command]]) -> Command:
    """A command with some options, or groups of them, which its help lists in their order."""
    for option in reversed(options):
        command = option(command)
    return command


def pace_options(command: Callable[..., None]) -> Callable[..., None]:
    """What stretch of the footage, and how fast."""
    return with_options(
        command,
        [
            click.option("--from", "begin", metavar="T", help="In point; the beginning if not given."),
            click.option("--to", "end", metavar="T", help="Out point; the end if not given."),
            click.option("--speed", metavar="S", help="Such as 24×, 24x, 2400%, 1/4× or “every 24th”."),
            click.option("--length", metavar="T", help="Result length."),
            click.option("--every", metavar="N", help="Keep one frame in N."),
            click.option("--fps", type=Words("rate", parse_rate), metavar="R", help="Result frame rate."),
        ],
    )


def frame_options(command: Callable[..., None]) -> Callable[..., None]:
    """How each frame is made and corrected; for a project, of all its passages and shots."""
    return with_options(
        command,
        [
            click.option("--each", type=Words("way", EachFrame.named), metavar="WAY",
                         help=f"How one result frame is made: {', '.join(ways())}; one if not given."),
            click.option("--shutter", type=Words("angle", parse_shutter), metavar="DEG|all",
                         help="How long each result frame is open: 0 to 720; 360, or all, if not given."),
            click.option("--window", type=Words("time", parse_time), metavar="T",
                         help="Recorded time that clear looks at; what the shutter takes in, if not given."),
            click.option("--fill", type=_words(Fill),
                         help="Steps along the motion, of a long exposure, or as blur added to one frame."),
            click.option("--between", type=_words(Between),
                         help="Where there are too few recorded frames: hold, blend, or go by the motion."),
            click.option("--even-out", type=Words("strength", parse_strength), metavar="STRENGTH",
                         help="Even out light that flickers, 0 to 1."),
            click.option("--even-out-span", type=Words("time", parse_time), metavar="T",
                         help="Recorded time below which changes of light are flicker."),
            click.option("--passers-by", type=_words(PassersBy),
                         help="Who crosses near the lens: leave, skip, or clear by the median."),
            click.option("--steady", type=Words("steadying", parse_steady), metavar="MODE[:STRENGTH]",
                         help="What the camera should seem to do: off, smooth, still; a strength of 0 to 1."),
            click.option("--crop-budget", type=Words("percentage", parse_crop_budget), metavar="PERCENT",
                         help="How much of the picture's sides steadying may give up; 10 if not given."),
            click.option("--level", is_flag=True, default=None, help="Steadying takes all turning out."),
            click.option("--line-up", type=Words("reach", parse_line_up), metavar="REACH",
                         is_flag=False, flag_value="0.5",
                         help="Take frames that line up, up to so many steps from the even one; 0.5 alone."),
        ],
    )  # fmt: skip


def look_options(command: Callable[..., None]) -> Callable[..., None]:
    """Which way it plays, and what comes and goes over it."""
    reverse = click.option("--reverse", is_flag=True, help="Play from the end to the beginning.")
    return reverse(accent_options(command))


def accent_options(command: Callable[..., None]) -> Callable[..., None]:
    """What comes and goes over all of the result."""
    return click.option(
        "--accent",
        type=Words("accent", parse_accent),
        multiple=True,
        metavar="NAME[:AMOUNT]",
        help="Such as grain, flash:0.5 or lines:40%; can be given again. There are "
        f"{', '.join(look.key for look in looks())}.",
    )(command)


def _words(choices: type[StrEnum]) -> click.Choice[str]:
    return click.Choice([str(each) for each in choices])


def photo_options(command: Callable[..., None]) -> Callable[..., None]:
    """How a run of photos is read."""
    return with_options(
        command,
        [
            click.option("--photos-per-second", type=Words("rate", parse_photo_rate), metavar="R",
                         help="Photos: how many play in a second at 1×."),
            click.option("--interval", type=Words("time", parse_interval), metavar="T",
                         help="Photos: real time from one to the next, in place of their dates."),
            click.option("--missing", type=click.Choice(["leave-out", "hold", "fill"]),
                         help="Photos that are missing or unreadable: leave out, hold the one before, or "
                              "fill in by the motion between those on both sides."),
        ],
    )  # fmt: skip


def framing_options(command: Callable[..., None]) -> Callable[..., None]:
    """Which part of the pictures is shown."""
    return with_options(
        command,
        [
            click.option("--crop", type=Words("crop", parse_crop), metavar="SHAPE|WxH+X+Y",
                         help="Such as 16:9, 9:16, 1:1, or a part in pixels of the upright picture."),
            click.option("--framing", type=Words("framing", parse_steps), metavar="X,Y,W,H -> X,Y,W,H",
                         help="A move over the picture, from part to part."),
            click.option("--fit", type=click.Choice(["fill", "fit", "bars"]),
                         help="Where shapes differ from --size: fill it, fit into it (the usual), or bars."),
        ],
    )  # fmt: skip


def sound_options(command: Callable[..., None]) -> Callable[..., None]:
    """What is heard."""
    return click.option(
        "--sound",
        type=click.Choice(["none", "held", "follows"]),
        help="Recorded sound: none, its pitch held, or a pitch that follows the speed.",
    )(mix_options(command))


def mix_options(command: Callable[..., None]) -> Callable[..., None]:
    """What goes with recorded sound, and how loud."""
    return with_options(
        command,
        [
            click.option("--silent-above", type=Words("speed", parse_speed), metavar="S",
                         help="The speed above which recorded sound is silent; 4× if not given."),
            click.option("--music", multiple=True, metavar="FILE[@T]",
                         help="Music under the result, perhaps from a result time on; can be given again."),
            click.option("--music-level", type=Words("level", parse_level), metavar="DB",
                         help="Level of the music of --music, such as -6."),
            click.option("--loudness", type=Words("loudness", parse_loudness), metavar="LUFS",
                         help="Bring the whole to a loudness, such as -14."),
        ],
    )  # fmt: skip


def progress_options(command: Callable[..., None]) -> Callable[..., None]:
    """How an export is told of, and what becomes of it where it is interrupted."""
    return with_options(
        command,
        [
            click.option("--resume", is_flag=True,
                         help="Go on with what an export of OUT that was interrupted had made, and keep that "
                              "if this one is."),
            click.option("--progress", type=click.Choice(["bar", "json", "none"]), default="bar",
                         show_default=True),
        ],
    )  # fmt: skip


def file_options(command: Callable[..., None]) -> Callable[..., None]:
    """What the file should be like."""
    return with_options(
        command,
        [
            click.option("-o", "--output", type=FILE, required=True, metavar="OUT",
                         help=f"A file that ends in {endings_in_words()}; a folder, or a name such "
                              "as dawn/%05d.png, for stills; - for frames on standard output."),
            click.option("--format", "format_key",
                         type=click.Choice([each.key for each in (*FORMATS, *PIPES)]),
                         help="Where several formats share an ending; for a folder, jpeg if not given; "
                              "for -, y4m or raw."),
            click.option("--size", type=Words("size", SizeWish.parse), metavar="WxH",
                         help="Such as 1280x720 or 1080p; the recorded aspect is kept."),
            click.option("--stretch", is_flag=True, help="Fill WxH exactly, giving up the aspect."),
            click.option("--quality", type=Words("quality", Quality.parse), metavar="Q",
                         help="draft, sharing, good, high or master; or 1 to 5."),
            click.option("--bitrate", type=Words("bitrate", parse_bitrate), metavar="B",
                         help="Bits per second of the picture, such as 8M, in place of a quality."),
            click.option("--at-most", type=Words("size", parse_megabytes), metavar="MB",
                         help="What the file may have; quality gives way."),
            click.option("--credits", is_flag=True,
                         help="Write whose music it is into a text beside OUT as well."),
            click.option("--overwrite", is_flag=True, help="Replace OUT if it is there."),
        ],
    )  # fmt: skip
