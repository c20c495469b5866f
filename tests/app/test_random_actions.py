"""The window driven at random: no traceback, no long pause, and the document equal to its own history.

``CHRONOXIS_RANDOM_SEEDS`` and ``CHRONOXIS_RANDOM_ACTIONS`` ask for more than the tests do each time.
"""

import os
import random
import sys
import time
import traceback
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any

import pytest
from PySide6.QtCore import QPoint, QSize, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QWidget
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.pictures.stage import Mode
from chronoxis.core.files.autosave import Autosave, autosave_folder
from chronoxis.core.files.project_file import save_project
from chronoxis.core.model import arranging, correcting, pacing
from chronoxis.core.model.even_out import EvenOut
from chronoxis.core.model.music import Music
from chronoxis.core.model.photo_run import PhotoRun
from chronoxis.core.model.project import Project
from chronoxis.core.timing.frame_making import (
    OWN_EACH_FRAME,
    Between,
    Fill,
    FrameMaking,
    PassersBy,
)
from tests.core.test_music import write_sound
from tests.footage_makers import make_recording, recording_of
from tests.photo_makers import make_photos
from tests.tunes import make_tune

_SEEDS = int(os.environ.get("CHRONOXIS_RANDOM_SEEDS", "2"))
_ACTIONS = int(os.environ.get("CHRONOXIS_RANDOM_ACTIONS", "120"))
_PAUSE = 0.2 if "CHRONOXIS_RANDOM_SEEDS" in os.environ else float("inf")
"""Seconds that one action may take, where that is what is asked: a timing decides no everyday test."""


class Person:
    """Somebody who does anything at any moment."""

    def __init__(self, window: MainWindow, folder: Path, seed: int) -> None:
        self.window, self.folder, self.rng = window, folder, random.Random(seed)
        self.longest = (0.0, "")
        self._takes = [
            make_recording(folder / "one.mkv", frames=80),
            make_recording(folder / "two.mp4", frames=60, rotation=90, sound=True),
            make_recording(folder / "three.mkv", frames=50, rate=Fraction(50), size=(64, 48)),
        ]
        self._tune = write_sound(folder / "tune.flac", make_tune(140, seconds=9).sound, "flac")
        self._photos = make_photos(folder / "photos", [0, 1, 2, 3, 6, 7], turned=[2])
        (self._photos / "IMG_0003.png").write_bytes(b"")
        (folder / "not.mp4").write_text("no film")
        (folder / "damaged.chronoxis").write_text('{"format": "chronoxis project", "version": 2')
        project = arranging.begin_with(
            Project(), recording_of(self._takes[0], Fraction(25), Fraction(80, 25))
        )
        save_project(project, folder / "film.chronoxis")
        self.deeds: list[Callable[[], object]] = [
            self.load, self.load, self.new, self.open, self.save, self.drag, self.drag, self.drag,
            self.key, self.key, self.key, self.edit, self.edit, self.export, self.cancel, self.recover,
            self.answer, self.answer, self.give_up, self.page, self.play, self.frame, self.choose,
            self.sound, self.sound, self.beats, self.lane, self.join, self.join, self.accent, self.accent,
            self.steady, self.steady, self.lull, self.lull,
        ]  # fmt: skip

    def act(self) -> None:
        deed = self.rng.choice(self.deeds)
        begun = time.perf_counter()
        deed()
        took = time.perf_counter() - begun
        self.longest = max(self.longest, (took, deed.__name__))

    def load(self) -> None:
        self.window.loading.bring_in(
            self.rng.choice(
                [
                    *self._takes,
                    self._tune,
                    self._photos,
                    self._photos / "IMG_0001.png",
                    self.folder / "not.mp4",
                    self.folder / "gone.mkv",
                ]
            )
        )

    def new(self) -> None:
        self.window.file_actions.new_project()

    def open(self) -> None:
        name = self.rng.choice(["film.chronoxis", "damaged.chronoxis", "none.chronoxis"])
        self.window.file_actions.open_project(self.folder / name)

    def save(self) -> None:
        self.window.files.save(self.folder / f"saved-{self.rng.randrange(3)}.chronoxis")

    def drag(self) -> None:
        weave = self.window.weave
        self.press_and_drag(weave, QSize(80, 30), lambda: QTest.keyClick(weave, Qt.Key.Key_Escape))

    def press_and_drag(self, widget: QWidget, furthest: QSize, disturb: Callable[[], object]) -> None:
        """A drag of up to three moves; of five, one is disturbed before the button goes up."""
        rng = self.rng
        at = QPoint(rng.randrange(max(widget.width(), 1)), rng.randrange(max(widget.height(), 1)))
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=at)
        for _ in range(rng.randrange(4)):
            x, y = furthest.toTuple()
            at += QPoint(rng.randrange(-x, x), rng.randrange(-y, y))
            QTest.mouseMove(widget, at)
        if rng.random() < 0.2:
            disturb()
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=at)

    def key(self) -> None:
        keys: list[Any] = QKeySequence.listFromString(
            "D; X; I; O; R; M; Right; Down; Del; Z; F; 1; 3; 0; PgDown; H; .; Esc; "
            "U; G; Shift+G; Ctrl+Return; Ctrl+Backspace; Ctrl+.; Ctrl+K"
        )
        chosen = self.rng.choice(keys)[0]
        QTest.keyClick(self.window.weave, chosen.key(), chosen.keyboardModifiers())

    def edit(self) -> None:
        document, rng = self.window.document, self.rng
        places = document.project.places()
        if rng.random() < 0.4 or not places:
            rng.choice([document.undo, document.redo])()
            return
        place = rng.choice(places)
        speed = Fraction(rng.choice([1, 2, 7, 40]), rng.choice([1, 3]))
        document.apply("Speed", lambda p: pacing.set_speed(p, [place], speed))
        chosen = FrameMaking(
            rng.choice(list(OWN_EACH_FRAME)),
            rng.choice([0.0, 180.0, 360.0, 720.0]),
            rng.random() < 0.5,
            rng.choice([None, Fraction(1, 2), Fraction(30)]),
            rng.choice([Fill.NONE, Fill.QUICK, Fill.GOOD]),
            rng.choice(list(Between)),
        )
        document.apply("Way", lambda p: p.with_passage(place, replace(p.passage(place), making=chosen)))
        even, handled = EvenOut(rng.choice([0.0, 0.5, 1.0])), rng.choice(list(PassersBy))
        document.apply("Even out", lambda p: correcting.set_even_out(p, [place.shot], even))
        document.apply("Passers-by", lambda p: correcting.set_passers_by(p, [place.shot], handled))

    def export(self) -> None:
        self.window.show_export()
        panel = self.window.export_panel
        panel.choices.output.setText(str(self.folder / f"out-{self.rng.randrange(3)}.mp4"))
        panel.start()

    def cancel(self) -> None:
        for job in self.window.exports.jobs:
            self.rng.choice([self.window.exports.cancel, self.window.exports.to_top])(job.id)

    def recover(self) -> None:
        other = Autosave(autosave_folder())
        other.keep(Project(), None)
        other._lock.close()
        self.window.file_actions.offer_recovery()

    def answer(self) -> None:
        if self.window.question.buttons:
            button = self.rng.choice(self.window.question.buttons)
            if "close" not in button.text().lower() or "saving" in button.text().lower():
                button.click()

    def give_up(self) -> None:
        if self.window.shelf.cards:
            card = self.rng.choice(list(self.window.shelf.cards.values()))
            self.rng.choice(
                [card.give_up.click, lambda: self.window.document.selection.choose_footage(card.footage.key)]
            )()

    def page(self) -> None:
        self.window.show_bench_page(self.rng.randrange(8))

    def frame(self) -> None:
        """Something of the page Picture, or a drag on the recorded picture."""
        page, view, rng = self.window.bench.picture, self.window.pictures.recorded, self.rng
        if rng.random() < 0.5:
            buttons = [*page.shapes.values(), *page.fits.values(), page.let_move, page.add, page.still]
            rng.choice([*buttons, *page.steps]).click()
            return
        self.press_and_drag(view, QSize(60, 60), self.window.document.undo)

    def steady(self) -> None:
        """Something of steadying, or of results side by side."""
        choices, pictures, rng = self.window.bench.picture.steady, self.window.pictures, self.rng
        panel = self.window.trials
        rows = [getattr(row, name) for row in panel.rows for name in ("beside", "take", "remove")]
        kept = [panel.keep, panel.tiles, panel.line, pictures.stage.trials, *panel.steps.values(), *rows]
        buttons = [*choices.modes.values(), choices.level, choices.line_up, choices.act, *kept]
        if rng.random() < 0.3:
            pictures.show_mode(rng.choice(list(Mode)))
        else:
            rng.choice([button for button in buttons if button.isEnabled()]).click()

    def choose(self) -> None:
        """Something about a run of photos."""
        document, rng = self.window.document, self.rng
        runs = [f for f in document.project.footage if isinstance(f, PhotoRun)]
        if not runs:
            return
        document.selection.choose_footage(rng.choice(runs).key)
        page = self.window.bench.footage.photos
        if page.flaws and rng.random() < 0.5:
            _, box = rng.choice(page.flaws)
            box.setCurrentIndex(rng.randrange(box.count()))
            box.activated.emit(box.currentIndex())
        else:
            rng.choice(list(page.clocks.values())).click()

    def play(self) -> None:
        rng, transport = self.rng, self.window.transport
        rng.choice(
            [transport.toggle, lambda: transport.faster(rng.choice([-1, 1])), self.window.pictures.loop_joint]
        )()

    def sound(self) -> None:
        """Something of the page Sound, or of music."""
        page, music, rng = self.window.bench.sound, self.window.bench.footage.music, self.rng
        if rng.random() < 0.5:
            rng.choice([*page.manners.values(), *page.ramp_effects.values(), *page.rules.values()]).click()
            return
        keys = [f.key for f in self.window.document.project.footage if isinstance(f, Music)]
        if keys:
            self.window.document.selection.choose_footage(rng.choice(keys))
            rng.choice([music.halve, music.double, music.later, music.bar, music.reset, music.loops]).click()

    def beats(self) -> None:
        page, rng = self.window.bench.beats, self.rng
        rng.choice(page.acts).click()
        page.do.click()
        self.window.commands.tap_beat(rng.random() * 5)

    def join(self) -> None:
        """Something of the page Join."""
        page, rng = self.window.bench.join, self.rng
        buttons = [page.surge, page.plain, page.linked, page.everywhere, page.open_beyond, *page.slides]
        camera = [*page.camera.reversals, *page.camera.whips, self.window.pictures.checks.mend]
        rng.choice([button for button in (*buttons, *camera) if button.isEnabled()] or [page.plain]).click()

    def lull(self) -> None:
        """Something of the pages of lulls and of what happens."""
        lulls, happening, rng = self.window.bench.lulls, self.window.bench.happening, self.rng
        self.window.show_page(rng.choice([lulls, lulls, happening]))
        for _ in range(rng.randrange(1, 4)):
            choice: Callable[[], object] = rng.choice(
                [
                    rng.choice(list(lulls.bys.values())).click,
                    lambda: lulls.nothing.setValue(rng.randrange(101)),
                    rng.choice([lulls.hurries, lulls.leaves_out]).click,
                    rng.choice([lulls.do, lulls.take_back, lulls.before, lulls.after, lulls.plays]).click,
                    rng.choice(list(happening.follows.values())).click,
                    happening.do.click,
                    self._lull_key,
                    self._lull_key,
                ]
            )
            choice()

    def _lull_key(self) -> None:
        keys: list[Any] = QKeySequence.listFromString(
            "]; [; Shift+I; Shift+O; Shift+X; Backspace; Shift+Space"
        )
        chosen = self.rng.choice(keys)[0]
        QTest.keyClick(self.window.weave, chosen.key(), chosen.keyboardModifiers())

    def accent(self) -> None:
        """Something of the page Accents."""
        page, rng = self.window.bench.accents, self.rng
        choice: Callable[[], object] = rng.choice(
            [
                rng.choice(list(page.adds.values())).click,
                rng.choice(list(page.owners.values())).click,
                rng.choice(list(page.amount.follows.values())).click,
                *(rng.choice([r.remove, r.earlier, r.on, r.name]).click for r in page.list.rows),
                *(each.click for each in page.look.switches if not each.isHidden()),
                lambda: page.looks.box.activated.emit(rng.randrange(max(1, page.looks.box.count()))),
            ]
        )
        choice()

    def lane(self) -> None:
        """A drag on the sound lane, wherever that is just now."""
        rails, weave, rng = self.window.weave.rails(), self.window.weave, self.rng
        if rails is None or not rails.lane:
            return
        at = QPoint(rng.randrange(weave.width()), round(rails.sound.top()) + rng.randrange(rails.lane))
        QTest.mousePress(weave, Qt.MouseButton.LeftButton, pos=at)
        QTest.mouseMove(weave, at + QPoint(rng.randrange(-90, 90), 0))
        rng.choice(
            [self.window.document.undo, lambda: QTest.keyClick(weave, Qt.Key.Key_Escape), lambda: None]
        )()
        QTest.mouseRelease(weave, Qt.MouseButton.LeftButton, pos=at)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("seed", range(_SEEDS))
def test_whatever_is_done_in_whatever_order(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, seed: int
) -> None:
    raised: list[str] = []
    monkeypatch.setenv("CHRONOXIS_SOUND", "simulated")

    def catch(_kind: type[BaseException], error: BaseException, _trace: TracebackType | None) -> None:
        raised.append("".join(traceback.format_exception(error)[-4:]))

    monkeypatch.setattr(sys, "excepthook", catch)
    for ask in ("getOpenFileName", "getOpenFileNames", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, ask, lambda *_, **__: ("", ""))  # dialogs are given up
    (tmp_path / "work").mkdir()
    person, document = Person(window, tmp_path / "work", seed), window.document
    for _ in range(_ACTIONS):
        person.act()
        qtbot.wait(person.rng.choice([0, 0, 1, 5, 30]))
        assert window.isVisible()
        assert not [text for text in (window.message_text,) if "went wrong" in text], window.message_text
    window.transport.set_shuttle(0)
    qtbot.waitUntil(lambda: not document.known.pending, timeout=20_000)
    assert not raised
    now, steps = document.project, 0
    while document.history.undo_label is not None:
        document.undo()
        steps += 1
    for _ in range(steps):
        document.redo()
    assert document.project == now
    print(f"seed {seed}: longest {person.longest[0] * 1000:.0f} ms ({person.longest[1]})")
    assert person.longest[0] < _PAUSE, person.longest
    qtbot.waitUntil(lambda: not list((tmp_path / "work").glob(".*")), timeout=5000)  # the last save is done
