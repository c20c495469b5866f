"""The window with sound: played in step, seen on its lane, shaped to beats."""

import time
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.sound.devices import SimulatedDevice
from chronoxis.core.model import pacing
from chronoxis.core.model.beat_acts import Which
from chronoxis.core.model.music import Music
from chronoxis.core.model.project import Place
from chronoxis.core.model.sound import Effect, EffectKind, Manner
from chronoxis.core.sound.effects import sample_of
from chronoxis.core.sound.mixing import as_int16, mixed
from chronoxis.core.sound.samples import RATE
from tests.app.driving import ONLY, drag, planned
from tests.core.test_music import write_sound
from tests.tunes import make_tune


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
    qtbot.waitUntil(lambda: len(opened.preview.made()) == count, timeout=60_000)
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


@pytest.mark.thorough
def test_without_a_device_it_plays_by_its_own_clock_and_says_so_once(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("CHRONOXIS_SOUND", "none")
    window = opened
    qtbot.waitUntil(
        lambda: len(window.preview.made()) == len(planned(qtbot, window).schedule), timeout=20_000
    )
    said: list[str] = []
    window.player.said.connect(said.append)
    for _ in range(2):
        window.transport.set_shuttle(1)
        before = time.monotonic()
        qtbot.waitUntil(lambda: float(window.document.playhead) > 0.5, timeout=5000)
        assert time.monotonic() - before >= 0.4
        window.transport.set_shuttle(0)
        window.document.move_playhead(Fraction(0))
    assert len([text for text in said if "without sound" in text]) <= 1


@pytest.mark.thorough
def test_a_device_that_goes_away_leaves_the_picture_playing(
    sounding: MainWindow, device: SimulatedDevice, qtbot: QtBot
) -> None:
    window = sounding
    window.transport.set_shuttle(1)
    qtbot.waitUntil(lambda: float(window.document.playhead) > 0.6, timeout=10_000)
    device.lose()
    qtbot.waitUntil(lambda: float(window.document.playhead) > 1.6, timeout=10_000)
    assert "gone" in window.message_text
    window.transport.set_shuttle(0)


@pytest.mark.thorough
def test_shuttling_and_scrubbing_are_heard(
    sounding: MainWindow, device: SimulatedDevice, qtbot: QtBot
) -> None:
    window = sounding
    window.document.move_playhead(Fraction(4))
    window.transport.faster(-1)
    qtbot.waitUntil(lambda: float(window.document.playhead) < 3.4, timeout=10_000)
    window.transport.set_shuttle(0)
    plan = planned(qtbot, window)
    whole = np.concatenate([as_int16(block) for block in mixed(plan.sound, plan.sounds())])
    heard = device.sound
    start = 4 * RATE
    assert np.array_equal(heard, whole[start - len(heard) : start][::-1])
    window.transport.scrub(Fraction(2))
    qtbot.waitUntil(lambda: len(device.sound) > 0 and bool(np.abs(device.sound).max()), timeout=5000)
    window.player.set_scrubs(False)
    window.player.stop()
    window.transport.scrub(Fraction(3))
    assert not device._going.is_set()


@pytest.fixture
def musical(device: SimulatedDevice, opened: MainWindow, qtbot: QtBot, tmp_path: Path) -> MainWindow:
    """The window with a recording and a tune of 120 beats a minute, whose beats are found."""
    tune = write_sound(tmp_path / "tune.flac", make_tune(120, seconds=20).sound, "flac")
    opened.document.apply("Change speed", lambda p: pacing.set_speed(p, [ONLY], Fraction(1)))
    opened.loading.bring_in(tune)
    qtbot.waitUntil(lambda: len(opened.sound_traces.beats) > 10, timeout=20_000)
    planned(qtbot, opened)
    return opened


def test_music_comes_in_lies_on_the_lane_and_is_dragged_and_credited(
    musical: MainWindow, qtbot: QtBot
) -> None:
    window, document = musical, musical.document
    assert [piece.footage for piece in document.project.music] == ["tune"]
    assert len(document.project.shots) == 1
    rails = window.weave.rails()
    assert rails is not None
    assert rails.lane > 20
    at = QPointF(rails.result_x(5.0), rails.sound.bottom() - 6)
    drag(qtbot, window, at, 80)
    moved = float(document.project.music[0].at)
    assert moved == pytest.approx(80 / rails.result_scale, abs=8 / rails.result_scale)
    assert document.history.undo_label == "Move music"
    assert document.selection.footage == "tune"
    page = window.bench.footage.music
    page.credit["licence"].setText("CC BY 4.0")
    page.credit["licence"].editingFinished.emit()
    footage = document.project.footage_named("tune")
    assert isinstance(footage, Music)
    assert footage.credit.licence == "CC BY 4.0"
    for name, text in (("level", "-9"), ("at", "-1"), ("fade_in", "2"), ("duck", "6")):
        field = page.places[name]
        field.setFocus()
        field.selectAll()
        qtbot.keyClicks(field, text)
        qtbot.keyClick(field, Qt.Key.Key_Return)
    piece = document.project.music[0]
    assert [piece.level, float(piece.at), float(piece.fade_in), piece.duck] == [-9.0, -1.0, 2.0, 6.0]
    assert "title, author or licence" in planned(qtbot, window).remark


def test_beats_are_doubled_dragged_and_tapped(musical: MainWindow, qtbot: QtBot) -> None:
    window, document = musical, musical.document
    document.selection.choose_footage("tune")
    page = window.bench.footage.music
    assert "120" in page.tempo.text()
    count = len(window.sound_traces.beats)
    qtbot.mouseClick(page.double, Qt.MouseButton.LeftButton)
    assert len(window.sound_traces.beats) > 1.8 * count
    document.undo()
    rails = window.weave.rails()
    assert rails is not None
    beat = float(window.sound_traces.beats.times[6])
    drag(qtbot, window, QPointF(rails.result_x(beat), rails.beats.center().y()), 12)
    assert (
        np.abs(window.sound_traces.beats.times - beat - 12 / rails.result_scale).min()
        < 2 / rails.result_scale
    )
    for at in (1.0, 1.5, 2.0):
        window.commands.tap_beat(at)
    assert window.sound_traces.beats.times.tolist() == [1.0, 1.5, 2.0]
    qtbot.mouseClick(page.reset, Qt.MouseButton.LeftButton)
    assert len(window.sound_traces.beats) == count


def test_shots_are_shaped_to_beats_in_one_step_each(musical: MainWindow, qtbot: QtBot) -> None:
    window, document = musical, musical.document
    document.selection.select([ONLY])
    window.show_bench_page(4)
    page, before = window.bench.beats, document.project
    page.speed.setText("3×")
    qtbot.mouseClick(page.whiches[Which.BARS], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(page.do, Qt.MouseButton.LeftButton)
    bars = window.sound_traces.beats.times[window.sound_traces.beats.bars]
    begins = document.project.rows.begins[document.project.rows.speeds == 3]
    assert len(begins) >= len(bars) - 1
    assert np.abs(begins[:, None] - bars).min(axis=1).max() < 0.5 / 25
    assert document.project.result_length == pytest.approx(before.result_length)
    document.selection.select([Place(0, 1)])
    assert page.strength.isEnabled()
    page.strength.setFocus()
    page.strength.selectAll()
    qtbot.keyClicks(page.strength, "5")
    qtbot.keyClick(page.strength, Qt.Key.Key_Return)
    assert document.project.shots[0].passages[1].speed == 5
    document.undo()
    document.undo()
    assert document.project == before
    for number in (1, 3):
        qtbot.mouseClick(page.acts[number], Qt.MouseButton.LeftButton)
        qtbot.mouseClick(page.do, Qt.MouseButton.LeftButton)
        assert document.project != before
        document.undo()
        assert document.project == before
    page.speed.setText("rubbish")
    qtbot.mouseClick(page.acts[0], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(page.do, Qt.MouseButton.LeftButton)
    assert "rubbish" in window.bench.caution.text()


@pytest.mark.thorough
def test_the_page_sound_changes_what_is_heard(sounding: MainWindow, qtbot: QtBot) -> None:
    window, document = sounding, sounding.document
    document.selection.select([ONLY])
    window.show_bench_page(3)
    page = window.bench.sound
    qtbot.mouseClick(page.manners[Manner.FOLLOWS], Qt.MouseButton.LeftButton)
    page.level.setValue(-12)
    page.above.setFocus()
    page.above.selectAll()
    qtbot.keyClicks(page.above, "1.5")
    qtbot.keyClick(page.above, Qt.Key.Key_Return)
    passage = document.project.passage(ONLY)
    assert (passage.sound.manner, passage.sound.level) == (Manner.FOLLOWS, -12)
    assert document.project.mix.silent_above == Fraction(3, 2)
    assert "silent" in window.bench.caution.text()
    qtbot.waitUntil(lambda: window.sound.is_silent, timeout=5000)
    qtbot.mouseClick(page.rules[EffectKind.WHIRR], Qt.MouseButton.LeftButton)
    assert document.project.mix.rule(EffectKind.WHIRR) is not None
    document.undo()
    assert document.project.mix.rule(EffectKind.WHIRR) is None


@pytest.mark.thorough
@pytest.mark.parametrize("kind", list(EffectKind))
def test_an_effect_is_heard_by_itself(
    sounding: MainWindow, device: SimulatedDevice, qtbot: QtBot, kind: EffectKind
) -> None:
    sounding.show_bench_page(3)
    before = sounding.document.project
    sounding.bench.sound.hears[kind].click()
    whole = as_int16(sample_of(Effect(kind)))
    assert 1000 < np.abs(whole).max() < 32767
    qtbot.waitUntil(lambda: np.abs(device.sound).max(initial=0) > 1000, timeout=5000)
    assert sounding.document.project is before
    sounding.transport.set_shuttle(1)
    qtbot.waitUntil(lambda: sounding.transport.playing, timeout=5000)
    sounding.bench.sound.hears[kind].click()  # not into what plays
    sounding.transport.rest()


def test_sound_that_finds_no_room_is_said_and_the_picture_plays(
    device: SimulatedDevice, opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.posix_fallocate", full)
    monkeypatch.setattr("chronoxis.app.sound.sound_ahead._MOST_IN_MEMORY", 1000)
    opened.document.apply("Change speed", lambda p: pacing.set_speed(p, [ONLY], Fraction(1)))
    qtbot.waitUntil(lambda: "no room on the disk" in opened.message_text, timeout=20_000)
    qtbot.waitUntil(lambda: opened.sound.is_known, timeout=5000)
    opened.transport.set_shuttle(1)
    qtbot.waitUntil(lambda: float(opened.document.playhead) > 0.2, timeout=20_000)
