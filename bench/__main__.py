"""Run with ``make bench``, or ``python -m bench [frames|photos|pace|weave|opening]... [--runs N]``."""

import argparse
import os

AREAS = ("frames", "photos", "pace", "weave", "opening")


def main() -> None:
    """Measure what is asked for, a few times over."""
    parser = argparse.ArgumentParser(prog="python -m bench", description=__doc__)
    parser.add_argument("areas", nargs="*", metavar="AREA", help="; ".join(AREAS))
    parser.add_argument("--runs", type=int, default=3)
    asked = parser.parse_args()
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from bench import frame_making, opening, pace, photos, weave  # noqa: PLC0415 - Qt reads the platform on import

    measures = dict(
        zip(
            AREAS,
            (frame_making.measure, photos.measure, pace.measure, weave.measure, opening.measure),
            strict=True,
        )
    )
    for area in asked.areas or AREAS:
        if area not in measures:
            parser.error(f"{area} is none of {', '.join(AREAS)}")
        measures[area](asked.runs)


if __name__ == "__main__":
    main()
