"""Run with ``make bench``, or ``python -m bench [AREA]... [--runs N]``."""

import argparse
import os

AREAS = (
    *("frames", "ways", "accents", "steady", "photos", "sound", "pace"),
    *("weave", "pauses", "opening", "seeing", "machines", "lulls"),
)


def main() -> None:
    """Measure what is asked for, a few times over."""
    parser = argparse.ArgumentParser(prog="python -m bench", description=__doc__)
    parser.add_argument("areas", nargs="*", metavar="AREA", help="; ".join(AREAS))
    parser.add_argument("--runs", type=int, default=3)
    asked = parser.parse_args()
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from bench import (  # noqa: PLC0415 - Qt reads the platform on import
        accents,
        frame_making,
        lulls,
        machines,
        opening,
        pace,
        pauses,
        photos,
        seeing,
        sound,
        steady,
        ways,
        weave,
    )

    modules = (
        frame_making,
        ways,
        accents,
        steady,
        photos,
        sound,
        pace,
        weave,
        pauses,
        opening,
        seeing,
        machines,
        lulls,
    )
    measures = {area: module.measure for area, module in zip(AREAS, modules, strict=True)}
    for area in asked.areas or AREAS:
        if area not in measures:
            parser.error(f"{area} is none of {', '.join(AREAS)}")
        measures[area](asked.runs)


if __name__ == "__main__":
    main()
