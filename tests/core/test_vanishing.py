"""How long *clear* looks, so that whoever passes by vanishes and nothing is waited for in vain."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest

from chronoxis.core.errors import Cancelled
from chronoxis.core.footage.kinds import open_source
from chronoxis.core.traces.vanishing import WINDOWS, vanishing_window
from tests.footage_makers import make_recording, write_pictures

RATE, SECONDS, SIZE = 10, 40, (128, 72)
Grey = npt.NDArray[np.float64]


def street(paint: Callable[[Grey, float], None], tmp_path: Path) -> Path:
    """A noisy street, on which somebody is painted at each moment."""
    noise, texture = np.random.default_rng(4), np.random.default_rng(1).uniform(90, 150, (72, 128))

    def picture(number: int) -> Grey:
        grey = texture + noise.normal(0, 2.5, texture.shape)
        paint(grey, number / RATE)
        return grey

    return write_pictures(tmp_path / "street.mkv", map(picture, range(RATE * SECONDS)), size=SIZE, rate=RATE)


def nobody(_grey: Grey, _time: float) -> None:
    """An empty street."""


def walker(grey: Grey, time: float) -> None:
    """Crosses in 8 s, every 16; a shoe stands for 1.4 s at each step."""
    at = time % 16
    if at < 8:
        body, shoe = int(16 * at), int(16 * (at // 1.4) * 1.4)
        grey[20:60, max(0, body - 5) : body + 5] = 20
        grey[60:68, max(0, shoe - 6) : shoe + 6] = 240


@pytest.mark.parametrize(
    ("paint", "low", "high"), [(nobody, WINDOWS[0], WINDOWS[0]), (walker, WINDOWS[2], WINDOWS[5])]
)
def test_the_window_is_as_long_as_it_has_to_be(
    tmp_path: Path, paint: Callable[[Grey, float], None], low: float, high: float
) -> None:
    source = open_source(street(paint, tmp_path))
    for moment in (3.0, 20.0, 37.0):
        window = vanishing_window(source, moment)
        assert window is not None
        assert low <= window <= high or moment != 3.0


def test_footage_that_is_too_short_to_tell_has_no_window(tmp_path: Path) -> None:
    make_recording(tmp_path / "short.mkv", frames=20)
    assert vanishing_window(open_source(tmp_path / "short.mkv"), 0.4) is None


def test_it_is_given_up_at_once(tmp_path: Path) -> None:
    def check() -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        vanishing_window(open_source(street(nobody, tmp_path)), 20.0, check)
