"""Steadying, lining up, and two results side by side, driven in the real window."""

import time
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np
import pytest
from av.video.frame import VideoFrame
from PySide6.QtCore import QEvent
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from chronoxis.app.bench.detail import grey
from chronoxis.app.main_window import MainWindow
from chronoxis.core.model import pacing
from chronoxis.core.model.project import Place
from chronoxis.core.model.steady import SteadyMode
from chronoxis.core.picture.picture_format import PictureFormat
from chronoxis.core.traces.camera_steps import Grey, looked_at
from chronoxis.core.traces.trace_kinds import CAMERA
from chronoxis.demo.larkfield import draw_walk
from tests.app.driving import planned
from tests.app.test_joins_window import click, pair

assert pair is not None  # the fixture

_LOOKED_AT = "chronoxis.core.traces.camera_path.looked_at"


@pytest.fixture(autouse=True)
def nothing_measured_yet(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))


def test_a_shot_is_steadied_and_lined_up_on_its_page(pair: MainWindow, qtbot: QtBot) -> None:
    document, choices = pair.document, pair.bench.picture.steady
    before = document.project
    pair.show_bench_page(2)
    click(choices.modes[SteadyMode.SMOOTH])
    assert document.project.shots[0].steady.mode is SteadyMode.SMOOTH
    assert document.project.shots[1].steady == before.shots[1].steady
    choices.crop.setValue(6)
    click(choices.line_up)
    assert document.project.passage(Place(0, 0)).making.line_up == 0.5
    plan = planned(qtbot, pair)
    assert plan.unmeasured
    qtbot.waitUntil(lambda: "nothing to steady" in choices.words.text(), timeout=60_000)
    plan = planned(qtbot, pair)
    assert not plan.unmeasured
    course = plan.steadied[0]
    assert course is not None
    assert course.crop <= 0.06
    assert plan.steadied[1] is None
    click(choices.modes[SteadyMode.OFF])
    click(choices.line_up)
    choices.crop.setValue(10)
    assert document.project == before


@pytest.mark.thorough
def test_following_is_estimated_stopped_and_gone_on_with(
    pair: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    document, choices = pair.document, pair.bench.picture.steady
    pair.show_bench_page(2)
    qtbot.waitUntil(lambda: choices.words.text().startswith("Following the camera takes about"))
    assert not choices.act.isVisible()

    def slowly(frame: VideoFrame, picture: PictureFormat) -> Grey:
        time.sleep(0.1)
        return looked_at(frame, picture)

    monkeypatch.setattr(_LOOKED_AT, slowly)
    click(choices.modes[SteadyMode.STILL])
    qtbot.waitUntil(lambda: choices.words.text().startswith("Following the camera:"), timeout=20_000)
    assert choices.act.isVisible()
    click(choices.act)
    assert choices.words.text() == "Stopped: it is shown as filmed."
    click(choices.act)  # one may change one's mind before it has stopped
    click(choices.act)
    qtbot.waitUntil(lambda: not pair.camera_paths.is_busy, timeout=20_000)
    plan = planned(qtbot, pair)
    assert plan.unmeasured
    assert plan.steadied[0] is None
    document.apply("", lambda p: pacing.set_speed(p, [Place(0, 0)], Fraction(3)))
    planned(qtbot, pair)
    assert choices.words.text() == "Stopped: it is shown as filmed."  # no other edit begins it again
    monkeypatch.setattr(_LOOKED_AT, looked_at)
    click(choices.act)
    qtbot.waitUntil(lambda: "nothing to steady" in choices.words.text(), timeout=60_000)
    assert not choices.act.isVisible()
    assert pair.camera_paths.takes(0) == 0


def restless(images: list[QImage]) -> float:
    """Second differences of the way from picture to picture, in pixels."""
    greys = [grey(image) for image in images]
    steps = [cv2.phaseCorrelate(one, other)[0] for one, other in pairwise(greys)]
    return float(np.abs(np.diff(np.array(steps), axis=0)).mean())


@pytest.mark.thorough
def test_a_mode_under_the_pointer_moves_beside_as_filmed(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    path = tmp_path / "Walk-down-the-line.mp4"
    draw_walk(path, size=(320, 180), seconds=8)
    window.loading.bring_in(path)
    qtbot.waitUntil(lambda: window.document.plan is not None, timeout=10_000)
    window.show_bench_page(2)
    document, choices = window.document, window.bench.picture.steady
    document.move_playhead(Fraction(3))
    planned(qtbot, window)
    pictures, smooth = choices.pictures, choices.modes[SteadyMode.SMOOTH]
    qtbot.waitUntil(lambda: len(pictures.live.images) == len(SteadyMode), timeout=20_000)
    before = document.project

    def shown() -> QImage:
        return smooth.grab().toImage()

    at_rest = shown()
    QApplication.sendEvent(smooth, QEvent(QEvent.Type.Enter))
    qtbot.waitUntil(lambda: pictures.is_moving, timeout=30_000)
    assert restless(pictures.moving[SteadyMode.SMOOTH]) < 0.6 * restless(pictures.moving[SteadyMode.OFF])
    followed = window.measuring.trace(CAMERA, document.project.footage[0].origin)
    assert followed is not None
    assert 0 < followed.known.sum() < 0.8 * len(followed)  # no more than is shown
    one = shown()
    qtbot.waitUntil(lambda: shown() != one)
    window.transport.set_shuttle(1)
    assert not pictures.is_moving
    window.transport.rest()
    document.move_playhead(Fraction(3))
    qtbot.waitUntil(lambda: pictures.is_moving, timeout=30_000)
    QApplication.sendEvent(smooth, QEvent(QEvent.Type.Leave))
    assert not pictures.is_moving
    qtbot.waitUntil(lambda: shown() == at_rest, timeout=20_000)
    assert document.project == before
