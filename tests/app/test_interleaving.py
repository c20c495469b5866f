"""What a person does while something is under way: nothing lands where it no longer belongs."""

import time
from fractions import Fraction
from functools import partial
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from chronoxis.app.ends import DEADLINE
from chronoxis.app.files.recent_projects import recent_projects
from chronoxis.app.main_window import MainWindow
from chronoxis.app.workers import NewestWorker
from chronoxis.core.files.autosave import Autosave, LeftBehind, autosave_folder
from chronoxis.core.files.project_file import save_project
from chronoxis.core.model import arranging, pacing
from chronoxis.core.model.project import Project
from chronoxis.demo.larkfield import FIELD_NAME, PARTS, WALK_NAME, demo_parts, demo_project
from tests.app.driving import disk_answered, open_project, planned
from tests.footage_makers import make_long_recording, make_recording, recording_of


@pytest.fixture
def long(tmp_path: Path) -> Path:
    return make_long_recording(tmp_path / "long.mkv", frames=4000, size=(32, 32))


def test_what_loads_does_not_land_in_the_next_project(
    window: MainWindow, qtbot: QtBot, long: Path, recording: Path
) -> None:
    window.loading.bring_in(long)
    window.file_actions.new_project()
    qtbot.wait(400)
    assert not window.document.project.footage
    with qtbot.waitSignal(window.loading.loader.opened, timeout=5000):
        window.loading.bring_in(long)
    window.files.discard_changes()
    window.file_actions.new_project()  # while its frames are counted
    window.loading.bring_in(recording)
    planned(qtbot, window)
    qtbot.wait(400)
    assert [footage.key for footage in window.document.project.footage] == ["field-from-the-tower"]
    assert not window.document.known.pending


def test_a_damaged_project_leaves_what_is_open_as_it_was(
    window: MainWindow, qtbot: QtBot, long: Path, tmp_path: Path
) -> None:
    with qtbot.waitSignal(window.loading.loader.opened, timeout=5000):
        window.loading.bring_in(long)
    window.files.discard_changes()
    (tmp_path / "broken.chronoxis").write_text('{"format": "chronoxis project", "version": 2,')
    window.file_actions.open_project(tmp_path / "broken.chronoxis")
    qtbot.waitUntil(lambda: "damaged" in window.message_text, timeout=5000)
    planned(qtbot, window)  # its frames are counted to the end
    assert window.document.project.footage[0].length == 160


def test_counting_that_ends_in_a_drag_corrects_what_the_drag_began_with(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    take = make_recording(tmp_path / "take.mkv", frames=100)
    longer = recording_of(take, Fraction(25), Fraction(9))  # as a header may claim
    save_project(arranging.begin_with(window.document.project, longer), tmp_path / "film.chronoxis")
    open_project(qtbot, window, tmp_path / "film.chronoxis")
    rails, document = window.weave.rails(), window.document
    assert rails is not None
    end = QPointF(rails.result_x(float(document.project.result_length)) - 2, rails.result.center().y())
    QTest.mousePress(window.weave, Qt.MouseButton.LeftButton, pos=end.toPoint())
    QTest.mouseMove(window.weave, end.toPoint() - QPoint(120, 0))
    qtbot.waitUntil(lambda: bool(document.known.sources), timeout=5000)
    QTest.mouseMove(window.weave, end.toPoint() - QPoint(150, 0))
    QTest.mouseRelease(window.weave, Qt.MouseButton.LeftButton, pos=end.toPoint() - QPoint(150, 0))
    assert document.project.shots[0].out_point == 4
    plan = planned(qtbot, window)
    assert plan.edges[0][-1] == 4
    document.undo()
    assert document.project.shots[0].out_point == 4


def test_edits_of_a_variable_rate_recording_keep_to_its_frames(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    stamps = [0]
    for number in range(79):
        stamps.append(stamps[-1] + 20 + 23 * (number % 3))
    take = make_recording(
        tmp_path / "uneven.mkv", frames=80, stamps=stamps, time_base=Fraction(1, 1000), rate=Fraction(25)
    )
    window.loading.bring_in(take)
    plan, document = planned(qtbot, window), window.document
    edges = plan.edges[0].tolist()
    for key, number in ((Qt.Key.Key_I, 2), (Qt.Key.Key_O, 5)):
        document.move_playhead(Fraction(number) / document.project.rate)
        frame = int(planned(qtbot, window).schedule.sources(number)[0][0])
        qtbot.keyClick(window.weave, key)
        shot = document.project.shots[0]
        point = shot.in_point if key is Qt.Key.Key_I else shot.out_point
        assert float(point) == pytest.approx(edges[frame if key is Qt.Key.Key_I else frame + 1], abs=1e-9)
    shown = planned(qtbot, window).schedule.frames
    first, last = edges.index(float(document.project.shots[0].in_point)), float(shot.out_point)
    assert shown[0] == first
    assert edges[shown[-1]] < last


def test_closing_while_everything_is_under_way(qtbot: QtBot, window: MainWindow, long: Path) -> None:
    window.loading.bring_in(long)
    window.weave.views.zoom(0.5)
    window.files.discard_changes()
    began = time.monotonic()
    window.close()
    assert time.monotonic() - began < DEADLINE
    assert not window.isVisible()
    assert window.left_running == []
    assert window.files.left_behind() == []


@pytest.mark.thorough
def test_the_demo_is_drawn_beside_the_window_and_can_be_given_up(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    folder = tmp_path / "demo"
    project, drawing = demo_project(folder), window.loading.drawing
    assert {part.name for part in demo_parts(folder)} == {part.name for part in PARTS}
    drawing.begin(folder)
    open_project(qtbot, window, project)
    assert window.document.project.result_length == pytest.approx(30)  # all of it can be worked on at once
    walk = window.shelf.card_of(folder / WALK_NAME)
    qtbot.waitUntil(lambda: window.document.known.pending[folder / WALK_NAME].share > 0, timeout=60_000)
    assert walk.give_up.isVisible()
    image = lambda: window.preview.image(window.document.result_frame)  # noqa: E731
    qtbot.waitUntil(lambda: image() is not None, timeout=20_000)  # small, until all of it is drawn
    window.document.apply("", lambda p: pacing.fit_to_length(p, Fraction(20)))
    window.files.discard_changes()
    for card in [card for card in window.shelf.cards.values() if not card.footage.made_of]:
        qtbot.mouseClick(card.give_up, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(window.document.known.missing) == 3, timeout=10_000)
    assert "start the demo again" in walk.caution.text()
    given_up = [path for stem in ("Field", "Walk", "Morning") for path in folder.glob(f"*{stem}*")]
    assert {path.suffix for path in given_up} == {".json"}
    assert len(window.document.project.footage) == 4  # with the run that is made of them


@pytest.mark.thorough
def test_a_demo_that_cannot_be_drawn_says_why(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    folder = tmp_path / "demo"
    project = demo_project(folder)
    (folder / FIELD_NAME).with_suffix(".truth.json").mkdir()  # stands where a file should be
    (folder / WALK_NAME).touch()
    window.loading.drawing.begin(folder)
    open_project(qtbot, window, project)
    qtbot.waitUntil(lambda: len(window.document.known.missing) == 2, timeout=30_000)
    said = {card.footage.key: card.caution.text() for card in window.shelf.cards.values()}
    assert "was not written" in said["field-from-the-tower"]
    assert "is empty" in said["walk-down-the-line"]


def test_recent_projects_are_offered(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, recording: Path
) -> None:
    saved = arranging.begin_with(window.document.project, recording_of(recording, Fraction(25), Fraction(12)))
    save_project(saved, tmp_path / "one.chronoxis")
    open_project(qtbot, window, tmp_path / "one.chronoxis")
    planned(qtbot, window)
    assert recent_projects() == [tmp_path / "one.chronoxis"]
    window.menus.list_recent()
    assert [action.text() for action in window.menus.recent.actions()] == ["one.chronoxis"]


def test_recovery_asks_before_it_replaces_and_lets_go_only_of_what_is_kept(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = autosave_folder()
    other = Autosave(folder)
    left = arranging.begin_with(Project(), recording_of(Path("/lost.mp4"), Fraction(25), Fraction(3)))
    other.keep(left, None)
    other._lock.close()
    here = opened.document.project
    opened.file_actions.offer_recovery()
    disk_answered(qtbot, opened)
    qtbot.mouseClick(opened.question.buttons[0], Qt.MouseButton.LeftButton)
    assert "not saved" in opened.question.text.text()  # the present work comes first
    assert opened.document.project == here
    kept_when: list[int] = []
    discard = LeftBehind.discard

    def watched(found: LeftBehind) -> None:
        kept_when.append(len(list(folder.glob("*.autosave"))))
        discard(found)

    monkeypatch.setattr(LeftBehind, "discard", watched)
    qtbot.mouseClick(opened.question.buttons[1], Qt.MouseButton.LeftButton)
    assert opened.document.project == left
    qtbot.waitUntil(lambda: bool(kept_when), timeout=5000)
    assert kept_when[0] >= 2  # the new one is on the disk while the old one is still there
    assert opened.document.is_modified


def test_saves_follow_one_another_and_none_is_dropped(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    went_on: list[str] = []
    paths = [tmp_path / f"{number}.chronoxis" for number in range(5)]
    for path in paths:
        opened.files.save(path, partial(went_on.append, path.name))
    qtbot.waitUntil(lambda: len(went_on) == 5, timeout=10_000)
    assert went_on == [path.name for path in paths]
    assert all(path.exists() for path in paths)


def test_what_nobody_foresaw_ends_no_worker(qtbot: QtBot) -> None:
    def answer(request: int, _wanted: object) -> float:
        return 1 / request

    worker = NewestWorker(answer, "test")
    said: list[str] = []
    answers: list[float] = []
    worker.failed.connect(said.append)
    worker.answered.connect(lambda _, value: answers.append(value))
    worker.ask(0)
    qtbot.waitUntil(lambda: bool(said), timeout=3000)
    worker.ask(4)
    qtbot.waitUntil(lambda: answers == [0.25], timeout=3000)
    worker.close()
    assert "ZeroDivisionError in test_interleaving.py" in said[0]
    assert "\n" not in said[0]


def test_a_recording_as_narrow_as_a_thread(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    path = make_recording(tmp_path / "thread.mkv", frames=6, size=(10, 8000))
    window.loading.bring_in(path)
    planned(qtbot, window)
    qtbot.waitUntil(lambda: window.pictures.result.image is not None, timeout=10_000)
    window.weave.views.zoom_to_frames()
    rails = window.weave.rails()
    assert rails is not None
    assert rails.recorded_x(0, 1 / 25) - rails.recorded_x(0, 0.0) > 5  # frame by frame

    def shades() -> int:
        image = window.weave.grab().toImage()
        y = round(rails.recorded.center().y())
        return len({image.pixel(x, y) for x in range(40, image.width() - 40, 7)})

    qtbot.waitUntil(lambda: shades() > 6, timeout=10_000)  # six frames, each of a brightness of its own


def test_with_one_footage_missing_the_others_can_be_worked_on(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    project = window.document.project
    for name in ("one.mkv", "two.mkv"):
        take = make_recording(tmp_path / name, frames=60)
        project = arranging.begin_with(
            project, recording_of(take, Fraction(25), Fraction(60, 25), counted=True)
        )
    save_project(project, tmp_path / "film.chronoxis")
    (tmp_path / "two.mkv").rename(tmp_path / "moved.mkv")
    open_project(qtbot, window, tmp_path / "film.chronoxis")
    qtbot.waitUntil(
        lambda: bool(window.document.known.missing) and bool(window.document.known.sources), timeout=10_000
    )
    plan, pictures = planned(qtbot, window), window.pictures
    assert not plan.is_whole
    qtbot.waitUntil(lambda: pictures.result.image is not None, timeout=10_000)
    window.document.move_playhead(Fraction(10**6))  # into the shot that is not there
    assert pictures.result.image is None
    assert "found" in pictures.result.accessibleDescription()
    assert not window.menus.export.isEnabled()
    window.loading.found("two", tmp_path / "moved.mkv")
    qtbot.waitUntil(lambda: planned(qtbot, window).is_whole, timeout=10_000)
    assert window.menus.export.isEnabled()
