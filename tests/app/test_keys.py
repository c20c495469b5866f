"""All that can be done with the pointer can be done with keys, and no key has two meanings at a time."""

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from functools import partial

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QComboBox,
    QFileDialog,
    QLabel,
    QLineEdit,
    QMenu,
    QSlider,
    QWidget,
)
from pytestqt.qtbot import QtBot

from chronoxis.app.bench.accents_page import Owner
from chronoxis.app.bench.amount_curve import AmountCurve
from chronoxis.app.main_window import MainWindow
from chronoxis.app.pictures.stage import Mode
from chronoxis.core.model.export_formats import FORMATS
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.timing.frame_making import OWN_EACH_FRAME
from chronoxis.core.timing.reckoner import Quantity

KEY = Qt.Key


def controls(of: QWidget) -> list[QWidget]:
    """What can be pressed, moved or filled in, as far as it is to be seen and may be used."""
    kinds = (QAbstractButton, QSlider, QComboBox, QLineEdit, AmountCurve)
    found = [widget for kind in kinds for widget in of.findChildren(kind)]
    return [widget for widget in found if widget.isVisible() and widget.isEnabled()]


def letters(window: MainWindow, *, menus: bool = True) -> Counter[str]:
    """How often each letter is marked on what can be seen, perhaps the menus among it."""
    marked = [w.text() for w in window.findChildren(QAbstractButton) if w.isVisible()]
    marked += [w.text() for w in window.findChildren(QLabel) if w.isVisible() and w.buddy() is not None]
    marked += [action.text() for action in window.menuBar().actions() if menus]
    return Counter(found[1].upper() for text in marked if (found := re.search(r"&(\w)", text)))


def _group(widget: QWidget) -> QButtonGroup | None:
    return widget.group() if isinstance(widget, QAbstractButton) else None


def _note(pressed: list[str], text: str, *_: object) -> None:
    pressed.append(text)


def _instead(before: Project, _now: Project) -> Project:
    return before


def doubles(window: MainWindow) -> dict[str, int]:
    return {letter: count for letter, count in letters(window).items() if count > 1}


def states(window: MainWindow) -> Iterator[str]:
    """Goes through every page, in every state that it has, and says which one is shown."""
    bench, document = window.bench, window.document
    for number, (name, page) in enumerate(bench.pages):
        if page is not bench.footage:
            document.selection.select([Place(0, 0)])
            window.show_bench_page(number)
            yield name
    document.selection.select([Place(0, 0), Place(0, 1)])
    window.show_bench_page(0)
    yield "several passages"
    for each in OWN_EACH_FRAME:
        bench.frames.choices[each].click()
        window.show_bench_page(1)
        yield f"frames made as {each}"
    for mode in SteadyMode:
        bench.picture.steady.modes[mode].click()
        window.show_bench_page(2)
        yield f"steadied: {mode}"
    document.apply("", lambda p: p.with_shot(0, replace(p.shots[0], steady=Steady())))
    bench.picture.let_move.click()
    yield "a view that moves"
    for number, act in enumerate(bench.beats.acts):
        window.show_bench_page(4)
        act.click()
        yield f"act on beats {number}"
    for owner in Owner:
        window.show_bench_page(5)
        bench.accents.show_owner(owner)
        for look, picture in bench.accents.adds.items():
            picture.click()
            yield f"accent {look.name} on {owner}"
        for kind, chip in bench.accents.amount.follows.items():
            if chip.isVisible() and chip.isEnabled():
                chip.click()
                yield f"accent of {owner} that follows {kind.__name__}"
    for footage in document.project.footage:
        document.selection.choose_footage(footage.key)
        yield f"footage {footage.key}"
    document.selection.select([Place(len(document.project.shots) - 1, 0)])
    for number in range(3):
        window.show_bench_page(number)
        yield f"page {number} of photos"
    planned_in = document.project
    window.trials.keep_this()
    window.show_trials()
    yield "trials"
    window.show_checks()
    yield "checks"
    window.pictures.show_mode(Mode.RESULT)
    window.show_export()
    for form in FORMATS:
        window.export_panel.choices.choose_format(form)
        yield f"export as {form.key}"
    window.show_bench()
    assert document.project == planned_in or document.project.settings != planned_in.settings


def test_no_letter_stands_twice_in_any_state_and_none_is_that_of_a_menu(
    rich: MainWindow, qtbot: QtBot
) -> None:
    found = {state: doubles(rich) for state in states(rich)}
    assert len(found) > 60
    assert {state: which for state, which in found.items() if which} == {}
    for menu in rich.menuBar().findChildren(QMenu):
        marked = [re.search(r"&(\w)", action.text()) for action in menu.actions()]
        inside = Counter(letter[1].upper() for letter in marked if letter)
        assert [letter for letter, count in inside.items() if count > 1] == [], menu.title()


@pytest.mark.thorough
def test_alt_and_a_letter_opens_the_menu_on_every_page(rich: MainWindow, qtbot: QtBot) -> None:
    menus = {m.text().split("&")[1][0].upper() for m in rich.menuBar().actions()}
    for state in states(rich):
        assert not {letter for letter, count in letters(rich, menus=False).items() if letter in menus}, state


def test_every_control_is_reached_by_tab(rich: MainWindow, qtbot: QtBot) -> None:
    for number in range(len(rich.bench.pages)):
        rich.show_bench_page(number)
        rich.weave.setFocus()
        reached = set[int]()
        for _ in range(200):
            QTest.keyClick(rich.focusWidget(), KEY.Key_Tab)
            reached.add(id(rich.focusWidget()))
        groups = {id(_group(w)) for w in controls(rich) if id(w) in reached and _group(w) is not None}
        # Of choices that exclude each other Tab reaches one, and arrows the others.
        left = [w for w in controls(rich) if id(w) not in reached and id(_group(w)) not in groups]
        assert [(type(w).__name__, w.accessibleName(), w.toolTip()) for w in left] == []


@pytest.mark.thorough
def test_every_button_of_every_page_is_pressed_by_space_and_by_return(
    rich: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: ("", ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([], ""))
    document, pressed = rich.document, list[str]()
    for number in range(len(rich.bench.pages)):
        for key in (KEY.Key_Space, KEY.Key_Return):
            rich.show_bench_page(number)
            for button in [w for w in controls(rich.bench) if isinstance(w, QAbstractButton)]:
                before, selection, chosen = (
                    document.project,
                    document.selection.places,
                    document.selection.footage,
                )
                rich.show_bench_page(number)
                if not (button.isVisible() and button.isEnabled()):
                    continue
                button.setFocus()
                was = len(pressed)
                connection = button.clicked.connect(partial(_note, pressed, button.text()))
                QTest.keyClick(button, key)
                assert len(pressed) == was + 1, (number, button.text(), button.toolTip())
                plays = button is rich.bench.lulls.plays
                assert rich.transport.playing is plays, button.text()
                rich.transport.rest()
                button.clicked.disconnect(connection)
                rich.question.drop()
                document.apply("", partial(_instead, before))
                document.selection.select(selection)
                if chosen is not None:
                    document.selection.choose_footage(chosen)
    assert len(pressed) > 150


def test_sliders_lists_and_curves_have_their_keys_and_the_rest_is_the_windows(
    rich: MainWindow, qtbot: QtBot
) -> None:
    slid = list[str]()
    for number in range(len(rich.bench.pages)):
        rich.show_bench_page(number)
        for widget in controls(rich.bench):
            playhead = rich.document.playhead
            if isinstance(widget, QSlider):
                widget.setFocus()
                before = widget.value()
                QTest.keyClick(widget, KEY.Key_Right)
                QTest.keyClick(widget, KEY.Key_PageUp)
                QTest.keyClick(widget, KEY.Key_Left)
                assert widget.value() != before
                slid.append(widget.accessibleName())
            elif isinstance(widget, QComboBox) and widget.count() > 1:
                widget.setFocus()
                row = widget.currentIndex()
                QTest.keyClick(widget, KEY.Key_Up if row == widget.count() - 1 else KEY.Key_Down)
                assert widget.currentIndex() != row or widget.count() == 1, widget.accessibleName()
                slid.append(widget.accessibleName())
            assert rich.document.playhead == playhead
    assert len(slid) > 6
    rich.weave.setFocus()
    QTest.keyClick(rich.weave, KEY.Key_Right)
    assert rich.document.result_frame == 1
    button = rich.bench.pace.holds[Quantity.SPEED]
    QTest.keyClick(button, KEY.Key_Right)  # of no group: arrows are the window's
    assert rich.document.result_frame == 2
    first, second = (rich.pictures.mode_buttons[mode] for mode in (Mode.RECORDED, Mode.RESULT))
    first.setFocus()
    QTest.keyClick(first, KEY.Key_Right)  # of a group: they go to the next one
    focused = rich.focusWidget()
    assert focused is second, focused.text() if isinstance(focused, QAbstractButton) else focused
    assert rich.document.result_frame == 2
