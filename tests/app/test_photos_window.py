"""Photos in the real window: brought in, timed, mended, framed on the picture, handed over."""

from fractions import Fraction
from functools import partial
from pathlib import Path

import pytest
from platformdirs import user_config_path
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from chronoxis.app.bench.photo_choices import PhotoChoices
from chronoxis.app.main_window import MainWindow
from chronoxis.app.pictures.stage import Mode
from chronoxis.core.files.kept_choices import kept_choices
from chronoxis.core.model.export_formats import H265_10, JPEG, MP4
from chronoxis.core.model.framing import Fit, View
from chronoxis.core.model.photo_run import POSSIBLE_HANDLINGS, Clock, FlawKind, Handling, PhotoRun
from chronoxis.core.timing.reckoner import Quantity
from tests.app.driving import (
    ONLY,
    assert_nothing_is_cut,
    disk_answered,
    enter,
    exports_ended,
    open_project,
    planned,
    window_with_text,
)
from tests.photo_makers import make_photos

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def photos(tmp_path: Path) -> Path:
    return make_photos(tmp_path / "First light", [n for n in range(30) if n not in (7, 8)], size=(240, 160))


@pytest.fixture
def dawn(window: MainWindow, photos: Path, qtbot: QtBot) -> MainWindow:
    drop(window, photos)
    qtbot.waitUntil(
        lambda: window.document.plan is not None and window.document.planner.is_current, timeout=10_000
    )
    return window


def drop(window: MainWindow, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    action, none = Qt.DropAction.CopyAction, Qt.KeyboardModifier.NoModifier
    window.dropEvent(QDropEvent(QPointF(5, 5), action, data, LEFT, none))


def run_of(window: MainWindow) -> PhotoRun:
    run = window.document.project.footage[0]
    assert isinstance(run, PhotoRun)
    return run


def choices(window: MainWindow) -> PhotoChoices:
    window.document.selection.choose_footage(window.document.project.footage[0].key)
    return window.bench.footage.photos


def test_a_folder_becomes_a_run_of_one_photo_for_each_frame(dawn: MainWindow, qtbot: QtBot) -> None:
    project = dawn.document.project
    assert run_of(dawn).time.clock is Clock.DATES
    assert project.passage(ONLY).speed == 5 * project.rate
    assert project.result_length == Fraction(30) / project.rate
    fields = dawn.bench.pace.fields
    assert fields[Quantity.RECORDED_LENGTH].text() == "30 places"
    assert fields[Quantity.STEP].text() == "25 a second"
    assert dawn.bench.pace.meaning.text().startswith("one per 5 s, shown at 25 a second: 125×\n")
    enter(qtbot, dawn, Quantity.STEP, "10")
    assert dawn.document.project.result_length == 3
    enter(qtbot, dawn, Quantity.RATE, "30")
    assert dawn.document.project.result_length == 3  # the rate alone does not change how long it lasts
    enter(qtbot, dawn, Quantity.RECORDED_LENGTH, "20 photos")
    assert dawn.document.project.shots[0].recorded_length == 100
    card = dawn.shelf.card_of(run_of(dawn).origin)
    assert "2 numbers are missing" in card.caution.text()


def test_one_photo_offers_its_run(window: MainWindow, photos: Path, qtbot: QtBot) -> None:
    for answer, count in ((1, 1), (0, 28)):
        drop(window, photos / "IMG_0003.png")
        qtbot.waitUntil(window.question.isVisible, timeout=5000)
        assert "IMG_0003.png is one of 28 photos" in window.question.text.text()
        qtbot.mouseClick(window.question.buttons[answer], LEFT)
        with_count = partial(has_photos, window, count)
        qtbot.waitUntil(with_count, timeout=10_000)
        window.document.undo()
    drop(window, *sorted(photos.iterdir())[3:9])
    qtbot.waitUntil(lambda: len(run_names(window)) == 6, timeout=10_000)


def has_photos(window: MainWindow, count: int) -> bool:
    return len(run_names(window)) == count


def run_names(window: MainWindow) -> tuple[str, ...]:
    footage = window.document.project.footage
    return footage[-1].photos.names if footage and isinstance(footage[-1], PhotoRun) else ()


def test_photos_larger_than_any_result_make_one_that_can_be_seen(
    window: MainWindow, tmp_path: Path, qtbot: QtBot
) -> None:
    drop(window, make_photos(tmp_path / "vast", range(2), size=(9000, 400), interval=None, ending=".jpg"))
    qtbot.waitUntil(lambda: window.document.plan is not None, timeout=20_000)
    assert window.document.plan is not None
    assert window.document.plan.size == (3840, 170)
    assert not window.document.planner.refusal


def test_what_is_no_photo_is_said(window: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    (tmp_path / "nothing").mkdir()
    drop(window, tmp_path / "nothing")
    qtbot.waitUntil(lambda: "holds neither photos, recordings nor music" in window.message_text, timeout=5000)
    (tmp_path / "nothing" / "a.jpg").write_bytes(b"")
    drop(window, tmp_path / "nothing")
    qtbot.waitUntil(lambda: "a.jpg is empty" in window.message_text, timeout=5000)


def test_clocks_and_handlings_are_chosen_and_undone(dawn: MainWindow, qtbot: QtBot) -> None:
    first = dawn.document.project
    page = choices(dawn)
    qtbot.mouseClick(page.clocks[Clock.INTERVAL], LEFT)
    type_into(qtbot, page.value, "8")
    assert run_of(dawn).rate == Fraction(1, 8)
    assert dawn.document.project.passage(ONLY).speed == 200  # it lasts as long as before
    assert dawn.document.project.result_length == first.result_length
    qtbot.mouseClick(page.clocks[Clock.RATE], LEFT)
    assert dawn.document.project.passage(ONLY).speed == 1
    type_into(qtbot, page.value, "12")
    assert dawn.document.project.result_length == Fraction(30, 12)
    type_into(qtbot, page.value, "soon")
    assert "soon" in dawn.bench.caution.text()
    ((flaw, box),) = page.flaws
    assert flaw.kind is FlawKind.MISSING
    box.setCurrentIndex(POSSIBLE_HANDLINGS[flaw.kind].index(Handling.LEAVE_OUT))
    box.activated.emit(box.currentIndex())
    assert dawn.document.project.result_length == Fraction(28, 12)
    assert len(planned(qtbot, dawn).sources[0].edges) == 29
    for _ in range(5):
        dawn.menus.undo.trigger()
    assert dawn.document.project == first


def type_into(qtbot: QtBot, field: QLineEdit, text: str) -> None:
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


@pytest.mark.thorough
@pytest.mark.parametrize("scale", [1.0, 1.25])
def test_a_run_with_many_flaws_and_an_uneven_cadence_has_room(
    photos: Path, qtbot: QtBot, scale: float
) -> None:
    (photos / "IMG_0004.png").write_bytes(b"")
    make_photos(photos, [12], size=(200, 300))
    with window_with_text(scale) as window:
        drop(window, photos)
        planned(qtbot, window)
        assert "cannot be read" in window.shelf.card_of(run_of(window).origin).caution.text()
        enter(qtbot, window, Quantity.STEP, "12")
        assert_nothing_is_cut(window, qtbot, (1280, 800))


def test_an_uneven_cadence_is_shown_and_mended(dawn: MainWindow, qtbot: QtBot) -> None:
    enter(qtbot, dawn, Quantity.STEP, "12")
    assert "unevenly" in dawn.bench.caution.text()
    dawn.bench.show_page(1)
    view = dawn.bench.frames.cadence
    assert view.isVisible()
    assert [offer.text() for offer in view.even.menu().actions()] == [
        "8.333 photos a second: lasts 0:03.60",
        "12.5 photos a second: lasts 0:02.40",
        "result at 24 fps: lasts as long as now",
        "result at 36 fps: lasts as long as now",
    ]
    assert view.words.text() == "Photos stand unevenly: 3, 11 × 2 result frames."
    view.even.menu().actions()[2].trigger()
    assert dawn.document.project.rate == 24
    assert view.words.text() == "Each photo stands 2 result frames."
    assert not view.even.isVisible()
    dawn.menus.undo.trigger()
    view.even.menu().actions()[1].trigger()
    assert dawn.document.project.passage(ONLY).speed * run_of(dawn).rate == Fraction(25, 2)


def test_a_framing_is_drawn_on_the_picture(dawn: MainWindow, qtbot: QtBot) -> None:
    dawn.bench.show_page(2)
    page = dawn.bench.picture
    qtbot.mouseClick(page.shapes["16:9"], LEFT)
    framing = dawn.document.project.shots[0].framing
    assert framing.steps[0].view == View(Fraction(0), Fraction(25, 2), Fraction(240), Fraction(135))
    assert dawn.document.project.canvas is not None
    assert dawn.document.project.canvas.size == (240, 135)
    qtbot.mouseClick(page.let_move, LEFT)
    assert dawn.pictures.stage.mode is Mode.RECORDED
    assert len(dawn.document.project.shots[0].framing.steps) == 2
    qtbot.waitUntil(lambda: dawn.pictures.recorded.image is not None, timeout=5000)
    qtbot.mouseClick(page.steps[1], LEFT)
    assert page.marks.share == 1
    planned(qtbot, dawn)
    before = dawn.document.project
    end = before.shots[0].framing.steps[1].view
    view = dawn.pictures.recorded
    middle = view.rect().center()
    qtbot.waitUntil(lambda: page.marks.shot is not None, timeout=5000)
    qtbot.mousePress(view, LEFT, pos=QPoint(middle.x(), middle.y() - 30))
    for share in (10, 25, 40):
        qtbot.mouseMove(view, QPoint(middle.x() - share, middle.y() - 30))
    qtbot.mouseRelease(view, LEFT, pos=QPoint(middle.x() - 40, middle.y() - 30))
    dragged = dawn.document.project.shots[0].framing
    assert dragged.steps[0] == before.shots[0].framing.steps[0]
    assert dragged.steps[1].view.left < end.left
    assert (dragged.steps[1].view.top, dragged.steps[1].view.width) == (end.top, end.width)
    dawn.menus.undo.trigger()
    assert dawn.document.project == before
    dawn.document.move_playhead(Fraction(10, 25))
    qtbot.mouseClick(page.add, LEFT)
    assert len(dawn.document.project.shots[0].framing.steps) == 3
    qtbot.mouseClick(page.fits[Fit.BARS], LEFT)
    qtbot.mouseClick(page.still, LEFT)
    assert len(dawn.document.project.shots[0].framing.steps) == 1
    qtbot.mouseClick(page.shapes["As it is"], LEFT)
    assert dawn.document.project.shots[0].framing.steps == ()
    type_into(qtbot, page.shape, "2:1")
    assert dawn.document.project.shots[0].framing.steps[0].view.shape == 2
    type_into(qtbot, page.shape, "square")
    assert "square" in dawn.bench.caution.text()


@pytest.mark.thorough
def test_stills_go_into_a_folder_and_choices_are_kept(dawn: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    dawn.show_export()
    panel = dawn.export_panel
    expected = str(tmp_path / "First light-condensed.mp4")
    qtbot.waitUntil(lambda: panel.choices.output.text() == expected, timeout=2000)
    panel.choices.choose_format(JPEG)
    qtbot.waitUntil(lambda: "folder of their own" in panel.choices.purpose.text(), timeout=5000)
    assert not panel.choices.sound.isEnabled()
    qtbot.waitUntil(lambda: not Path(panel.choices.output.text()).suffix, timeout=2000)
    qtbot.waitUntil(lambda: "about" in panel.choices.expected.text(), timeout=20_000)
    qtbot.mouseClick(panel.choices.start, LEFT)
    exports_ended(qtbot, dawn)
    assert len(list((tmp_path / "First light-condensed").iterdir())) == 30
    panel.show_choices()
    panel.choices.choose_format(H265_10)
    panel.choices.hold_box.setCurrentIndex(2)
    panel.choices.hold_box.activated.emit(2)
    assert dawn.document.project.settings.at_most == 25_000_000
    panel.choices.hold_value.setText("nonsense")
    panel.choices.hold_value.editingFinished.emit()
    assert "nonsense" in panel.message_text
    qtbot.mouseClick(panel.choices.keep, LEFT)
    assert dawn.question.field is not None
    type_into(qtbot, dawn.question.field, "For the club")
    assert kept_choices()["For the club"] == dawn.document.project.settings
    panel.choices.choose_format(MP4)
    panel.choices.kept_box.setCurrentIndex(1)
    panel.choices.kept_box.activated.emit(1)
    assert dawn.document.project.settings.format is H265_10
    assert dawn.document.project.settings.at_most == 25_000_000
    (user_config_path("chronoxis") / "exports.json").write_text('{"a": {"format": "tape"}, "b": 3}')
    assert kept_choices() == {}


def test_photos_that_vanish_are_missing_and_found_again(
    dawn: MainWindow, photos: Path, tmp_path: Path, qtbot: QtBot
) -> None:
    dawn.files.save(tmp_path / "dawn.chronoxis")
    qtbot.waitUntil(lambda: not dawn.document.is_modified, timeout=5000)
    photos.rename(tmp_path / "Moved")
    open_project(qtbot, dawn, tmp_path / "dawn.chronoxis")
    key = dawn.document.project.footage[0].key
    qtbot.waitUntil(lambda: bool(dawn.document.known.missing), timeout=10_000)
    assert dawn.shelf.card_of(run_of(dawn).origin).locate.isVisible()
    dawn.loading.found(key, tmp_path / "Moved" / "IMG_0000.png")
    disk_answered(qtbot, dawn)
    qtbot.waitUntil(lambda: dawn.document.plan is not None and dawn.document.plan.is_whole, timeout=10_000)
    assert run_of(dawn).origin not in dawn.document.known.missing
