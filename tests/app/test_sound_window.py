"""The window with sound: played in step, seen on its lane, shaped to beats."""

import time
from fractions import Fraction

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.sound.devices import SimulatedDevice
from chronoxis.core.model import pacing
from chronoxis.core.sound.mixing import as_int16, mixed
from chronoxis.core.sound.samples import RATE
from tests.app.driving import ONLY, planned


@pytest.fixture
def device(monkeypatch: pytest.MonkeyPatch) -> SimulatedDevice:
    made = SimulatedDevice()
    monkeypatch.setattr("chronoxis.app.main_window.open_device", lambda: made)
    return made


@pytest.fixture
def sounding(device: SimulatedDevice, opened: MainWindow, qtbot: QtBot) -> MainWindow:
    """The window with a recording at 2×, all of whose sound and pictures are made."""
    opened.document.apply("Change speed", lambda p: pacing.set_speed(p, [ONLY], Fraction(2)))
    count = len(planned(qtbot, opened).schedule)
    qtbot.waitUntil(lambda: len(opened.preview.made()) == count, timeout=20_000)
    qtbot.waitUntil(lambda: not opened.sound.is_silent, timeout=20_000)
    qtbot.waitUntil(lambda: opened.sound.has(0, 60), timeout=20_000)
    return opened


def test_what_is_heard_is_what_is_exported_and_in_step(
    sounding: MainWindow, device: SimulatedDevice, qtbot: QtBot
) -> None:
    window = sounding
    plan = planned(qtbot, window)
    shown: list[tuple[float, float]] = []
    window.document.playhead_moved.connect(lambda at: shown.append((time.monotonic(), at)))
    window.transport.set_shuttle(1)
    qtbot.waitUntil(lambda: float(window.document.playhead) > 2, timeout=15_000)
    began = device.kept[0][0]
    window.transport.set_shuttle(0)
    heard = device.sound
    whole = np.concatenate([as_int16(block) for block in mixed(plan.sound, plan.sounds())])
    assert len(heard) > RATE
    assert np.array_equal(heard, whole[: len(heard)])
    # The picture lies within two frames of what the device has let be heard.
    late = [at - (moment - began) for moment, at in shown[5:]]
    assert abs(float(np.median(late))) < 0.08
