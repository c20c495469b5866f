"""Exports with accents, as ratios to the same export without; and how fast the preview makes them."""

import tempfile
from dataclasses import replace
from functools import partial
from pathlib import Path

from bench.frame_making import make_footage
from bench.report import report, run, timed
from chronoxis.core.render.plan import Plan

_SECONDS = 12
_BARS = (("flash and grain", ("flash", "grain"), 0.5), ("streak", ("streak",), 0.25),
         ("all seven", ("flash", "streak", "wobble", "grain", "lines", "stutter", "badge"), 0.1),
         ("an amount of zero", ("grain:0", "streak:0"), 1.0))  # fmt: skip
_PREVIEW = 360  # lines, of the frames that are made ahead of the playhead


def measure(runs: int) -> None:
    """Make the footage, then measure everything a few times."""
    with tempfile.TemporaryDirectory(prefix="chronoxis-bench-") as name:
        folder = Path(name)
        footage = make_footage(folder / "bench.mp4", _SECONDS)
        for number in range(1, runs + 1):
            with run(f"accents, run {number}"):
                _measure(footage, folder, number)


def _measure(footage: Path, folder: Path, number: int) -> None:
    plain = timed(partial(_exported, footage, (), folder / f"plain-{number}.mp4"))
    report("1080p, plain export", _SECONDS * 25 / 2 / plain, "fps")
    for name, looks, bar in _BARS:
        own = timed(partial(_exported, footage, looks, folder / f"{looks[0][:4]}-{len(looks)}-{number}.mp4"))
        report(f"plain export / {name} (at least {bar})", plain / own, "×")
    for look in _BARS[2][1]:
        count, seconds = _previewed(footage, look)
        report(f"preview at {_PREVIEW} lines, {look} (at least 25)", count / seconds, "fps")


def _exported(footage: Path, looks: tuple[str, ...], out: Path) -> None:
    from chronoxis.core.render.export import export  # noqa: PLC0415 - so that its import is not timed

    export(_plan(footage, looks), out)


def _previewed(footage: Path, look: str) -> tuple[int, float]:
    from chronoxis.core.render.chain import result_frames  # noqa: PLC0415
    from chronoxis.core.render.target import preview_target  # noqa: PLC0415

    plan = _plan(footage, (look,))
    target = preview_target(plan, _PREVIEW)
    count = min(len(plan.schedule), 120)
    return count, timed(lambda: sum(1 for _ in result_frames(plan, target, 0, count)))


def _plan(footage: Path, looks: tuple[str, ...]) -> Plan:
    from chronoxis.core.footage.kinds import footage_of, open_source  # noqa: PLC0415
    from chronoxis.core.model import arranging, pacing  # noqa: PLC0415
    from chronoxis.core.model.accent import parse_accent  # noqa: PLC0415
    from chronoxis.core.model.project import Place, Project  # noqa: PLC0415
    from chronoxis.core.render.planning import make_plan  # noqa: PLC0415
    from chronoxis.core.timing.speed import parse_speed  # noqa: PLC0415

    source = open_source(footage)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    project = pacing.set_speed(project, [Place(0, 0)], parse_speed("2"))
    project = replace(project, accents=tuple(parse_accent(look) for look in looks))
    return make_plan(project, {project.footage[0].key: source})
