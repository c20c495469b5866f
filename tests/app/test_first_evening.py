"""The first evening: from an intention to a result, what was used lately, and treatments with names."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from av.video.frame import VideoFrame
from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from chronoxis.app.files.recent_projects import Recent, recently_used, remember
from chronoxis.app.footage.demo_drawing import DemoDrawing
from chronoxis.app.help_texts import help_texts
from chronoxis.app.main_window import MainWindow
from chronoxis.core.errors import FootageError
from chronoxis.core.files.preset_file import load_preset, save_preset
from chronoxis.core.files.presets import keep_preset, own_presets, shipped_presets
from chronoxis.core.model import making
from chronoxis.core.model.export_formats import GIF
from chronoxis.core.model.lull_acts import Hurry
from chronoxis.core.model.preset import AtSpeed, EveryNth, Preset, ThroughLulls, ToLength
from chronoxis.core.model.steady import SteadyMode
from chronoxis.core.render import frame_identity
from chronoxis.core.timing.frame_making import EachFrame
from chronoxis.core.timing.lulls import LullsBy, LullWish
from chronoxis.demo import tower_truth, walk_truth
from chronoxis.demo.larkfield import FIELD_NAME, PROJECT_NAME, WALK_NAME, draw_field, draw_walk
from chronoxis.demo.moments import MOMENTS
from tests.app.driving import (
    ONLY,
    assert_nothing_is_cut_now,
    disk_answered,
    planned,
    wear_theme,
    window_with_text,
)
from tests.footage_makers import decode_all
from tests.photo_makers import make_photos

NAMES = [kept.preset.name for kept in shipped_presets()]


@pytest.fixture
def chosen(recording: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Path:
    """What dialogs for files and folders are answered with; the folder of photos."""
    photos = tmp_path / "photos"
    make_photos(photos, range(30))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(recording)], ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(photos))
    return photos


def begin(window: MainWindow, qtbot: QtBot, name: str) -> None:
    """Go through an intention by keys alone, until its questions are asked."""
    card = window.empty.cards[NAMES.index(name)]
    qtbot.waitUntil(card.isVisible)
    card.setFocus()
    qtbot.keyClick(card, Qt.Key.Key_Space)
    qtbot.waitUntil(
        lambda: window.intent_panel.isVisible() and not window.preset_acts.is_waiting, timeout=60_000
    )
    planned(qtbot, window)


@pytest.mark.sampled(2)
@pytest.mark.parametrize("name", NAMES)
def test_each_intention_leads_to_an_export_by_keys(
    window: MainWindow, qtbot: QtBot, chosen: Path, name: str
) -> None:
    begin(window, qtbot, name)
    project, preset = window.document.project, shipped_presets()[NAMES.index(name)].preset
    shot = project.shots[0]
    assert preset.frames in (None, shot.longest.making)
    assert preset.steady in (None, shot.steady)
    assert preset.even_out in (None, shot.even_out)
    assert preset.backwards in (None, shot.backwards)
    assert preset.rate in (None, project.rate)
    match preset.pace:
        case ToLength():
            assert 4 * project.result_length <= project.recorded_length
        case AtSpeed(speed):
            assert shot.longest.speed == speed
        case EveryNth():
            assert len(project.footage[0].files) or project.footage[0].length * project.footage[0].rate == 30
        case ThroughLulls(rest=rest):
            assert min(passage.speed for passage in shot.passages) == rest
    assert window.intent_panel.hasFocus() or window.intent_panel.isAncestorOf(window.focusWidget())
    qtbot.keyClick(window.focusWidget(), Qt.Key.Key_E, Qt.KeyboardModifier.AltModifier)
    if not window.export_panel.isVisible():  # the letter is that of several: the next press goes on
        qtbot.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    assert window.export_panel.isVisible()


def test_answers_show_at_once_and_are_one_step_of_undo(
    window: MainWindow, qtbot: QtBot, chosen: Path
) -> None:
    begin(window, qtbot, "Sky or city from a tripod")
    panel, document = window.intent_panel, window.document
    assert document.project.result_length == 3
    assert document.project.passage(ONLY).making.each == EachFrame.LONG_EXPOSURE
    panel.answers[0].click()
    assert document.project.result_length == 1
    panel.destinations[1].click()
    planned(qtbot, window)
    assert document.project.canvas is not None
    assert document.project.canvas.height > document.project.canvas.width
    panel.destinations[2].click()
    assert document.project.settings.format is GIF
    assert document.project.canvas.width == 320
    assert document.project.result_length == 1
    panel.other.setText("nonsense")
    qtbot.keyClick(panel.other, Qt.Key.Key_Return)
    assert "nonsense" in panel.message.text()
    panel.other.setText("0:02.5")
    qtbot.keyClick(panel.other, Qt.Key.Key_Return)
    assert document.project.result_length == Fraction(5, 2)
    assert not panel.message.isVisible()
    document.undo()
    assert document.project.passage(ONLY).making.each == EachFrame.ONE
    assert document.project.settings.format is not GIF
    document.redo()
    making_by_hand = lambda p: making.set_each_frame(p, [ONLY], EachFrame.DARKEST)  # noqa: E731
    document.apply("By hand", making_by_hand)
    panel.answers[0].click()
    document.undo()  # what was done by hand since is a step of its own
    assert document.project.passage(ONLY).making.each == EachFrame.DARKEST
    window.files.discard_changes()
    window.file_actions.new_project()
    before = document.project
    panel.destinations[1].click()  # of an intention that is over
    assert document.project == before
    assert not panel.isVisible()


def test_an_intention_that_is_thought_better_of_leaves_nothing(
    window: MainWindow, qtbot: QtBot, recording: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([], ""))
    window.empty.cards[0].click()
    (tmp_path / "no film.mp4").write_text("rubbish")
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(tmp_path / "no film.mp4")], ""))
    window.empty.cards[0].click()
    qtbot.waitUntil(lambda: "no film.mp4" in window.empty.message.text(), timeout=10_000)
    window.loading.bring_in(recording)  # by hand, later
    planned(qtbot, window)
    assert not window.intent_panel.isVisible()
    assert window.document.project.passage(ONLY).making.each == EachFrame.ONE


def test_what_was_used_lately_is_offered(window: MainWindow, qtbot: QtBot, recording: Path) -> None:
    gone = recording.parent / "Gone.chronoxis"
    remember(Recent(gone, length=75.0))
    remember(Recent(recording, length=12.0))
    window.hide()
    window.show()
    page = window.empty
    qtbot.waitUntil(lambda: len(page.recent) == 2, timeout=10_000)
    disk_answered(qtbot, window)
    page.show_recent(recently_used())  # answers about the cards before come to nothing
    page.show_recent(recently_used())
    disk_answered(qtbot, window)
    here, missing = page.recent
    assert here.recent.path == recording
    assert here.open.isEnabled()
    assert not missing.open.isEnabled()
    missing.drop.click()
    qtbot.waitUntil(lambda: [each.path for each in recently_used()] == [recording], timeout=10_000)
    qtbot.waitUntil(lambda: len(page.recent) == 1, timeout=10_000)
    page.recent[0].open.click()
    planned(qtbot, window)
    qtbot.waitUntil(lambda: bool(recently_used()[0].picture), timeout=10_000)
    assert gone not in [each.path for each in recently_used()]


def test_a_project_is_remembered_with_its_picture(opened: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    planned(qtbot, opened)
    opened.files.save(tmp_path / "film.chronoxis", lambda: None)
    qtbot.waitUntil(lambda: recently_used()[0].path.name == "film.chronoxis", timeout=10_000)
    qtbot.waitUntil(lambda: bool(recently_used()[0].picture), timeout=10_000)
    assert recently_used()[0].length == pytest.approx(float(opened.document.project.result_length))


def test_presets_are_given_kept_renamed_removed_and_read(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, panel, document = opened, opened.presets, opened.document
    keep_preset(Preset("Mine", pace=AtSpeed(Fraction(3))))
    qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.ShiftModifier)
    assert panel.isVisible()
    assert [row.kept.preset.name for row in panel.rows] == ["Mine", *NAMES]
    panel.rows[0].apply.click()
    assert document.project.passage(ONLY).speed == 3
    panel.rows[1 + NAMES.index("Walk to hyperlapse")].apply.click()
    assert document.project.shots[0].steady.mode is SteadyMode.SMOOTH
    document.undo()
    assert document.project.passage(ONLY).speed == 3
    panel.keep_this.click()
    panel.keep.click()
    assert "needs a name" in panel._message.text()
    panel.form.paces[1].click()
    panel.form.parts["sound"].setChecked(False)
    panel.form.name.setText("Harbour")
    qtbot.keyClick(panel.form.name, Qt.Key.Key_Return)
    kept = own_presets()[0][0].preset
    assert kept.name == "Harbour"
    assert kept.pace == ToLength(Fraction(4))
    assert kept.sound is None
    assert "export" not in kept.parts
    row = panel.rows[0]
    assert row.rename is not None
    row.rename.click()
    assert window.question.field is not None
    window.question.field.setText("Mine")
    window.question.buttons[0].click()
    assert "Another preset" in panel._message.text()
    row = panel.rows[0]
    assert row.remove is not None
    row.remove.click()
    assert [row.kept.preset.name for row in panel.rows] == ["Mine", *NAMES]
    window.question.buttons[0].click()  # put it back
    assert [row.kept.preset.name for row in panel.rows] == ["Harbour", "Mine", *NAMES]
    row = panel.rows[0]
    assert row.write is not None
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "out"), ""))
    row.write.click()
    assert load_preset(tmp_path / "out.chronoxis-preset") == kept
    other = replace(kept, name="Other")
    save_preset(other, tmp_path / "other.chronoxis-preset")
    (tmp_path / "bad.chronoxis-preset").write_text("{}")
    panel.read_files([tmp_path / "other.chronoxis-preset", tmp_path / "bad.chronoxis-preset"])
    assert [row.kept.preset.name for row in panel.rows][:3] == ["Harbour", "Mine", "Other"]
    assert "bad.chronoxis-preset" in panel._message.text()
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert window.bench.isVisible()


def test_a_preset_that_goes_by_lulls_waits_until_they_are_told(opened: MainWindow, qtbot: QtBot) -> None:
    pace = ThroughLulls(LullWish(LullsBy.SPEECH), Hurry(Fraction(6)), rest=Fraction(1))
    opened.measuring.close()  # nothing will be measured
    lulls = Preset("By lulls", pace=pace)
    before = opened.document.project
    assert not opened.preset_acts.apply(lulls) or opened.document.project != before
    if opened.preset_acts.is_waiting:
        assert "Lulls are being found" in opened.message_text
        opened.document.apply("Away", lambda p: replace(p, shots=()))
        assert not opened.preset_acts.is_waiting
        assert not opened.message_text


@pytest.mark.thorough
@pytest.mark.parametrize("scale", [1.25, 1.0, 1.5])
def test_the_pages_have_room(qtbot: QtBot, chosen: Path, scale: float, recording: Path) -> None:
    remember(Recent(recording, length=12.0))
    with window_with_text(scale) as made:
        qtbot.waitUntil(lambda: bool(made.empty.recent), timeout=10_000)
        assert_nothing_is_cut_now(made, qtbot, (1280, 800))
        begin(made, qtbot, "Walk to hyperlapse")
        assert_nothing_is_cut_now(made, qtbot, (1280, 800))
        keep_preset(
            Preset("A name of a preset that is rather long", "and what it is for, in many words " * 4)
        )
        made.show_presets()
        assert_nothing_is_cut_now(made, qtbot, (1280, 800))
        made.presets.show_form()
        assert_nothing_is_cut_now(made, qtbot, (1280, 800))
        made.trials.keep_this()
        made.show_trials()
        assert_nothing_is_cut_now(made, qtbot, (1280, 800))


def test_every_page_is_told_about_by_a_key(opened: MainWindow, qtbot: QtBot) -> None:
    window, told = opened, set[str]()

    def ask() -> None:
        qtbot.keyClick(window, Qt.Key.Key_F1)
        assert window.help_page.isVisible()
        assert window.geometry().contains(window.help_page.geometry())
        told.add(window.help_page.words())
        window.help_page.hide()

    for page in range(len(window.bench.pages)):
        window.show_bench_page(page)
        ask()
    planned(qtbot, window)
    shows = window.show_export, window.show_presets, window.show_trials, window.show_checks
    for show in (*shows, window._show_intent):
        show()
        ask()
    window.files.discard_changes()
    window.file_actions.new_project()
    ask()
    assert len(told) == len(help_texts()) == len(window.bench.pages) + 6


def test_five_things_are_told_of_once_and_brought_back(
    qtbot: QtBot, recording: Path, own_state: Path
) -> None:
    wear_theme()
    window = MainWindow()
    qtbot.addWidget(window)
    window.show()
    notes = window.first_notes
    assert not notes.isVisible()
    window.loading.bring_in(recording)
    planned(qtbot, window)
    read = []
    while notes.isVisible():
        read.append(notes.title.text())
        assert_nothing_is_cut_now(window, qtbot, (1280, 800))
        ring = notes._ring.geometry()
        assert not ring.intersects(QRect(notes.mapTo(window, QPoint()), notes.size()))
        notes.next.click()
    assert read[:4] == ["Threads", "The recorded rail", "The result rail", "The pace curve"]
    window.document.apply("x", lambda p: p)
    assert not notes.isVisible()
    notes.begin_again()
    assert notes.title.text() == "Threads"
    notes.enough.click()
    assert not notes.isVisible()
    window.files.discard_changes()
    window.end()


@pytest.mark.thorough
def test_any_moment_of_the_demo_is_seen_before_it_is_drawn(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    monkeypatch.setattr(DemoDrawing, "_start_next", lambda _: None)  # nothing comes of it for now
    window.file_actions.open_demo(PROJECT_NAME)
    planned_once = lambda: window.document.plan is not None and window.document.planner.is_current  # noqa: E731
    qtbot.waitUntil(planned_once, timeout=20_000)
    document = window.document
    document.move_playhead(Fraction(20))
    number = document.result_frame
    qtbot.waitUntil(lambda: window.preview.image(number) is not None, timeout=20_000)
    image = window.preview.image(number)
    assert image is not None
    assert image.scaled(1, 1).pixelColor(0, 0).lightness() > 60
    field = document.project.footage[0]
    near = window.weave.strips.picture_near
    qtbot.waitUntil(lambda: near(field.course, 100.0) is not None, timeout=20_000)
    assert not window.head.export_button.isEnabled()
    assert document.plan is not None
    with pytest.raises(FootageError):  # nothing of it is kept on the disk
        frame_identity.content_of(document.plan.sources[0])
    draw_field(field.files[0], size=(320, 180), seconds=4)
    window.loading.drawing.drawn.emit(field.origin)
    assert field.origin not in document.known.drawn
    qtbot.waitUntil(lambda: field.origin in document.known.sources, timeout=20_000)
    assert frame_identity.content_of(document.known.sources[field.origin])


@pytest.mark.parametrize(("name", "draw"), [(WALK_NAME, draw_walk), (FIELD_NAME, draw_field)])
def test_a_moment_by_itself_is_that_of_the_footage(
    tmp_path: Path, name: str, draw: Callable[..., None]
) -> None:
    draw(tmp_path / "a.mp4", size=(320, 180), start=20, seconds=1)
    drawn = decode_all(tmp_path / "a.mp4")
    rate = {WALK_NAME: walk_truth.RATE, FIELD_NAME: tower_truth.RATE}[name]
    for number in (0, 11, 23):
        moment = VideoFrame.from_ndarray(MOMENTS[name](20 * rate + number, (320, 180)), "rgb24")
        luma = moment.reformat(format="yuv420p", dst_colorspace="ITU709").to_ndarray()[:180]
        assert np.abs(luma.astype(float) - drawn[number][:180]).mean() < 3
