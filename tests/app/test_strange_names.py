"""Names that look like markup, turn the direction of writing, or go on for ever are shown as they are."""

import html
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import Qt as Gui
from PySide6.QtWidgets import QAbstractButton, QLabel, QWidget
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.text_label import menu_text, plain_tip
from chronoxis.core.files.project_file import save_project
from chronoxis.core.model import arranging, keeping, nesting
from chronoxis.core.model.join import Join, Side, Surge
from chronoxis.core.model.project import Project
from chronoxis.core.readable import in_a_line, readable
from tests.app.driving import open_project, planned, window_with_text
from tests.command_line import chronoxis
from tests.footage_makers import make_recording, recording_of

MARKUP = "<img src='/dev/zero'><b>&bold</b>"
STEERING = "\u202eback\x1b[31m\x07 red\u2029"
LONG = "Larkfield" * 22
STRANGE = pytest.mark.parametrize("name", [MARKUP, STEERING, LONG], ids=["markup", "steering", "long"])


def named_so(name: str, folder: Path) -> Project:
    """A project in which everything that can have a name has this one."""
    stem = name.replace("/", "_")[:200]
    take, gone = make_recording(folder / f"{stem}.mkv", frames=60), folder / f"{stem}-lost.mkv"
    here = recording_of(take, Fraction(25), Fraction(60, 25), counted=True)
    lost = replace(recording_of(gone, Fraction(25), Fraction(2), counted=True), key="lost")
    project = arranging.begin_with(Project(), here)
    project = arranging.begin_with(project, lost)
    project = arranging.begin_with(project, replace(lost, key="again"))
    project = nesting.nest(project, [2], name)
    for key in (None, here.key):
        project = arranging.add_marker(project, key, Fraction(1, 2), name)
    return keeping.keep_look(project, name, Join(Surge(Fraction(20), Side(Fraction(1)), Side(Fraction(1)))))


@pytest.mark.sampled(1)
@STRANGE
def test_names_are_shown_as_they_are_everywhere(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, name: str
) -> None:
    film = tmp_path / f"{name.replace('/', '_')[:200]}.chronoxis"
    save_project(named_so(name, tmp_path), film)
    open_project(qtbot, window, film)
    qtbot.waitUntil(lambda: len(window.document.known.missing) == 1, timeout=10_000)
    window.document.selection.choose_footage(window.document.project.footage[0].key)
    window._say(f"{name} is not there.")
    window.question.ask(f"Where is {name}?", [("Here", lambda: None)])
    window.menus.list_recent()
    for page in range(len(window.bench.pages)):
        window.show_bench_page(page)
        qtbot.wait(20)
        assert (window.width(), window.height()) == (1280, 800)
    for widget in window.findChildren(QWidget):
        if isinstance(widget, QLabel):
            assert widget.textFormat() is Qt.TextFormat.PlainText, widget.text()
        tip = widget.toolTip()
        assert not Gui.mightBeRichText(tip) or (tip.startswith("<qt>") and "<img" not in tip), tip
        shown = [tip, *([widget.text()] if isinstance(widget, QLabel | QAbstractButton) else [])]
        assert not [text for text in shown if "\x1b" in text or "\u202e" in text]
    for action in window.menus.recent.actions():
        assert len(action.text()) < 130
        assert action.text().count("&") == 2 * action.text().count("&&")
    assert window.width() == 1280


@pytest.mark.sampled(1)
@pytest.mark.parametrize("scale", [1.25, 1.0, 1.5])
def test_long_names_leave_the_window_its_size(qtbot: QtBot, tmp_path: Path, scale: float) -> None:
    save_project(named_so(LONG, tmp_path), tmp_path / f"{LONG[:200]}.chronoxis")
    with window_with_text(scale) as large:
        open_project(qtbot, large, tmp_path / f"{LONG[:200]}.chronoxis")
        planned(qtbot, large)
        for footage in large.document.project.footage:
            large.document.selection.choose_footage(footage.key)
            qtbot.wait(50)
            assert (large.width(), large.height()) == (1280, 800)
        large.pictures.bar.first_button.show()  # as where frames come late
        qtbot.wait(50)
        assert large.minimumSizeHint().width() < 1270
        assert (large.width(), large.height()) == (1280, 800)
        assert large.bench.footage.name.toolTip() == readable(large.document.project.footage[-1].name)


def test_plain_words() -> None:
    assert plain_tip("2 < 3") == "<qt>2 &lt; 3</qt>"
    assert html.unescape(plain_tip(MARKUP)) == f"<qt>{MARKUP}</qt>"
    assert readable("a\x00b\u202ec\td\n") == "a\ufffdb\ufffdc\td\n"
    assert in_a_line("one\ntwo\x1b[0m") == "one two\ufffd[0m"
    assert menu_text("Larks & fields") == "Larks && fields"


def test_a_terminal_is_not_steered_by_a_name(tmp_path: Path) -> None:
    lost = chronoxis("facts", str(tmp_path / f"{STEERING.strip()}.mkv"))
    assert lost.returncode == 1
    assert len(lost.stderr.strip().splitlines()) == 1
    assert "\x1b" not in lost.stderr
    take = make_recording(tmp_path / "a\x1b[31m.mkv", frames=4)
    assert "\x1b" not in chronoxis("facts", str(take)).stdout
