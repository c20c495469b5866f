"""The guide keeps to the program: commands run, keys, menus and labels are there, links resolve."""

import re
import shlex
from collections.abc import Iterator
from pathlib import Path

import click
import pytest
from docs.guide_build import PARTS, PICTURE, SCREENSHOTS, WHOLE
from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QAction, QDesktopServices, QKeySequence
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QMenu, QWidget
from pytestqt.qtbot import QtBot

from chronoxis.app.guide import CHAPTERS
from chronoxis.app.help_texts import help_texts
from chronoxis.app.main_window import MainWindow
from chronoxis.cli.main import cli
from chronoxis.core.files.presets import shipped_presets
from chronoxis.core.files.project_file import save_project
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.frame_making import EachFrame, PassersBy
from tests.app.driving import planned
from tests.command_line import chronoxis
from tests.core.test_music import write_sound
from tests.footage_makers import make_recording, write_pictures
from tests.photo_makers import make_photos, photo_pixels
from tests.tunes import make_tune

ROOT = Path(__file__).parents[2]
PAGES = sorted((ROOT / "docs" / "guide").glob("*.md"))


def commands() -> Iterator[str]:
    for page in PAGES:
        for block in re.findall(r"```sh\n(.*?)```", page.read_text(), re.S):
            yield from (line.strip() for line in block.splitlines() if line.strip())


@pytest.fixture(scope="module")
def meet(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder as the demo's, with small footage of the same names."""
    folder = tmp_path_factory.mktemp("meet")
    for name in ("Field-from-the-tower", "Walk-down-the-line"):
        make_recording(folder / f"{name}.mp4", frames=300)
    paused = [*range(150), *[150] * 400, *range(150, 300)]
    moving = (photo_pixels(number, (96, 64)).mean(axis=2) for number in paused)
    write_pictures(folder / "Flight-plan.mp4", moving, size=(96, 64), rate=10)
    make_photos(folder / "First-light", range(12), size=(240, 160), ending=".jpg")
    make_photos(folder / "large" / "First-light", range(4), size=(2400, 1600), ending=".jpg")
    write_sound(folder / "Morning-tune.flac", make_tune(118, seconds=20).sound, "flac")
    walk = open_source(folder / "Walk-down-the-line.mp4")
    save_project(arranging.begin_with(Project(), footage_of(walk.facts)), folder / "larkfield.chronoxis")
    return folder


@pytest.mark.parametrize("line", sorted(set(commands())))
def test_every_command_of_the_guide_is_understood(
    line: str, meet: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    program, *words = shlex.split(line)
    assert program == "chronoxis"
    monkeypatch.chdir(meet)
    command: click.Command = cli
    while isinstance(command, click.Group):
        _, found, words = command.resolve_command(click.Context(command), words)
        assert found
        command = found
    with command.make_context(command.name, words):
        pass


@pytest.mark.sampled(3)
@pytest.mark.parametrize("line", sorted(set(commands())))
def test_every_command_of_the_guide_runs(line: str, meet: Path, tmp_path: Path) -> None:
    words = shlex.split(line)
    if words[1] == "demo":
        return  # it draws for minutes; the first evening's tests have it drawn
    for path in meet.iterdir():
        (tmp_path / path.name).symlink_to(path)
    if "--framing" in words:  # in pixels of the demo's own photos
        (tmp_path / "First-light").unlink()
        (tmp_path / "First-light").symlink_to(meet / "large" / "First-light")
    done = chronoxis(*words[1:], cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    for option in ("-o", "--csv", "--traces", "--beats"):
        if option in words and "queue" not in words:
            name = words[words.index(option) + 1]
            assert (tmp_path / name.partition("%")[0].rstrip("field-")).exists()


def spoken(pattern: str) -> list[tuple[str, str]]:
    """What pages say, with the page."""
    told = ((page.name, re.sub(r"^ *\* ", "- ", page.read_text(), flags=re.M)) for page in PAGES)
    return [(name, found) for name, text in told for found in re.findall(pattern, text)]


def test_every_key_of_the_guide_is_one_of_the_window(window: MainWindow) -> None:
    keys = {action.shortcut() for action in window.findChildren(QAction) if not action.shortcut().isEmpty()}
    for page, key in spoken(r"<kbd>(.*?)</kbd>"):
        assert QKeySequence(key) in keys, (page, key)


def test_every_menu_and_label_of_the_guide_is_in_the_window(rich: MainWindow, qtbot: QtBot) -> None:
    rich.bench.show_page(0)
    rich.show_export()
    planned(qtbot, rich)
    texts = {text.casefold() for widget in rich.findChildren(QWidget) for text in _texts(widget)}
    texts |= {action.text().replace("&", "").casefold() for action in rich.findChildren(QAction)}
    texts |= {menu.title().replace("&", "").casefold() for menu in rich.findChildren(QMenu)}
    texts |= {quality.casefold() for quality in ("sharing", "good", "auto")}
    texts |= {name.casefold() for name, _ in ((kept.preset.name, kept) for kept in shipped_presets())}
    wrong: list[tuple[str, str]] = []
    for page, label in spoken(r"(?<![*\w])\*([^*\n]+)\*(?!\*)"):
        if label in IDEAS:
            continue
        parts = label.replace("\n", " ").split(" > ")
        wrong += [(page, part) for part in parts if part.casefold() not in texts]
    assert wrong == []


IDEAS = {
    *("recorded time", "result time", "run", "proxies", "hold", "the whole result", "above", "below"),
    *("speed", "rate", "step", "result's", "Flight plan", "recorded", "result", "Lulls", "Cadence"),
}
"""What is in italics for another reason."""


def _texts(widget: QWidget) -> Iterator[str]:
    if isinstance(widget, QAbstractButton | QLabel):
        yield widget.text().replace("&", "").rstrip("…:")
        yield widget.text().replace("&", "")
    if isinstance(widget, QComboBox):
        yield from (widget.itemText(row) for row in range(widget.count()))
    yield widget.accessibleName()


def test_every_link_and_picture_resolves_and_every_chapter_is_listed() -> None:
    names = {page.name for page in PAGES}
    for page, target in spoken(r"\]\(([^)]+)\)"):
        if found := PICTURE.fullmatch(target):
            assert (SCREENSHOTS / f"{found[1]}.png").exists(), (page, target)
            assert found[2] in {WHOLE, *PARTS}, (page, target)
        else:
            assert target.partition("#")[0] in names, (page, target)
    listed = re.findall(r"([a-z-]+\.md)", (ROOT / "mkdocs.yml").read_text())
    assert sorted(listed) == sorted(names)
    assert {f"{chapter}.md" for chapter in CHAPTERS.values()} <= names
    assert set(CHAPTERS) == set(help_texts())


def test_the_guide_is_built_and_opens_at_the_chapter(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    shown: list[str] = []

    def show(url: QUrl) -> bool:
        shown.append(url.toLocalFile())
        return len(shown) < 3

    monkeypatch.setattr(QDesktopServices, "openUrl", show)
    opened.show_bench_page(1)
    qtbot.keyClick(opened, Qt.Key.Key_F1)
    qtbot.keyClick(opened.help_page, Qt.Key.Key_F1)
    assert not opened.help_page.isVisible()
    qtbot.keyClick(opened, Qt.Key.Key_F1, Qt.KeyboardModifier.ControlModifier)
    assert [Path(page).name for page in shown] == ["frames.html", "frames.html"]
    page = Path(shown[0]).read_text()
    assert "<h1" in page
    assert "https:" not in page  # it needs no network
    for target in re.findall(r'(?:src|href)="([^"#]+)', page):
        assert (Path(shown[0]).parent / target).exists(), target
    qtbot.keyClick(opened, Qt.Key.Key_F1)
    qtbot.keyClicks(opened.help_page, "?")
    assert opened.shortcuts_page.isVisible()
    qtbot.keyClick(opened.shortcuts_page, Qt.Key.Key_A)
    assert not opened.shortcuts_page.isVisible()
    opened.show_guide()  # and here is no browser
    assert "No program to show pages was found" in opened._message.words()


def test_ten_minutes_lead_to_a_time_lapse(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The chapter's own keys, in its order."""
    text = (ROOT / "docs" / "guide" / "ten-minutes.md").read_text()
    told = re.findall(r"<kbd>(.*?)</kbd>|(?<!\*)\*([^*\n]+)\*(?!\*)", text)
    said = [key or label for key, label in told]
    for needed in (
        "Ctrl+O",
        "Space",
        "K",
        "Home",
        "I",
        "O",
        "Ctrl+F",
        "Alt+2",
        "Long exposure",
        "clear",
        "Ctrl+E",
    ):
        assert needed in said
    document, control = opened.document, Qt.KeyboardModifier.ControlModifier
    qtbot.keyClick(opened.weave, Qt.Key.Key_Home)
    qtbot.keyClick(opened.weave, Qt.Key.Key_I)
    qtbot.keyClick(opened.weave, Qt.Key.Key_F, control)
    field = opened.head.length if hasattr(opened.head, "length") else opened.focusWidget()
    qtbot.keyClicks(field, "2")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: document.project.result_length == 2, timeout=5_000)
    qtbot.keyClick(opened.weave, Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)
    assert opened.bench.shown_page is opened.bench.frames
    qtbot.mouseClick(opened.bench.frames.choices[EachFrame.LONG_EXPOSURE], Qt.MouseButton.LeftButton)
    qtbot.mouseClick(opened.bench.frames.passers[PassersBy.CLEAR], Qt.MouseButton.LeftButton)
    assert document.project.shots[0].passers_by is PassersBy.CLEAR
    assert document.project.passage(Place(0, 0)).making.each == EachFrame.LONG_EXPOSURE
    planned(qtbot, opened)
    qtbot.keyClick(opened.weave, Qt.Key.Key_E, control)
    assert opened._shown_page == "Export"
