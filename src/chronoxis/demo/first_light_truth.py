"""*First light*: photos of the field at dawn, and what is true of them."""

import json
from datetime import datetime, timedelta

import numpy as np

from chronoxis.demo import tower_truth

COUNT = 242
"""Photos that were taken; two of them are missing."""

MISSING = (97, 98)
TURNED = 160
"""The photo that the camera was held upright for; its tag says so."""

INTERVAL = 5
SIZE = (2400, 1600)
START = datetime(2026, 5, 9, 4, 48, 10)
FIRST_NUMBER = 1201
FLICKER = 0.04
"""By how much light jumps from photo to photo at most, as a share of it."""

_SPAN = 150.0  # seconds of the meet, as its light goes, that the photos cover


def photo_name(number: int) -> str:
    """The name of a photo's file, as a camera counts."""
    return f"LARK{FIRST_NUMBER + number:04d}.JPG"


def taken(number: int) -> datetime:
    """When a photo was taken."""
    return START + timedelta(seconds=INTERVAL * number)


def there() -> list[int]:
    """Numbers of the photos that are there."""
    return [number for number in range(COUNT) if number not in MISSING]


def moment(number: int) -> float:
    """The second of the meet whose light and balloons a photo shows."""
    return _SPAN * number / COUNT


def jump(number: int) -> float:
    """By how much more light a photo has than the dawn gives, as a share."""
    return float(np.random.default_rng(1000 + number).uniform(-FLICKER, FLICKER))


def truth_json() -> str:
    """All of it for a program to read."""
    return json.dumps(
        {
            "count": len(there()),
            "missing": [photo_name(number) for number in MISSING],
            "turned": photo_name(TURNED),
            "interval": INTERVAL,
            "photos": [
                {
                    "name": photo_name(number),
                    "taken": taken(number).isoformat(),
                    "daylight": tower_truth.daylight(moment(number)),
                    "jump": jump(number),
                }
                for number in there()
            ],
        },
        indent=1,
    )
