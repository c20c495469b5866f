"""Pointing and playing: something at once; what is said of playing is what was seen."""

import time
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from chronoxis.app.main_window import MainWindow
from chronoxis.app.measuring import proxies as app_proxies
from chronoxis.app.measuring.proxies import ProxyChoice
from chronoxis.app.pictures import preview as preview_module
from chronoxis.app.pictures.transport import Phase
from chronoxis.core.model import pacing
from chronoxis.core.model.project import Project
from chronoxis.core.traces import proxies as core_proxies
from chronoxis.core.traces import proxy_store
from tests.app.driving import ONLY, planned


class Shown:
    """What came onto the screen as the result's picture, and when, as an onlooker counts it."""

    def __init__(self, window: MainWindow) -> None:
        self._window = window
        self.moments: list[tuple[float, int]] = []
        window.pictures.result.drawn.connect(self._note)

    def _note(self) -> None:
        number = self._window.document.result_frame
        if not self.moments or self.moments[-1][1] != number:
            self.moments.append((time.monotonic(), number))

    def rate(self) -> float:
        """Pictures over the last second."""
        return sum(at > time.monotonic() - 1 for at, _ in self.moments)


@pytest.fixture
def slowed(opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> MainWindow:
    """Frames come at 12 a second at most, where 25 are due."""
    packed = preview_module._packed

    def slowly(codes: np.ndarray) -> bytes:
        time.sleep(0.08)
        return packed(codes)

    monkeypatch.setattr(preview_module, "_packed", slowly)
    opened.preview.keeps_recorded = False
    opened.document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(1)))
    planned(qtbot, opened)
    return opened


def words(window: MainWindow) -> str:
    return window.pictures.bar.words


def assert_told_as_seen(window: MainWindow, shown: Shown) -> None:
    """However busy the machine is, what is said is what came onto the screen."""
    rates = window.transport.state.rates
    assert rates is not None
    assert rates[1] == pytest.approx(shown.rate(), abs=3)
    every = rates[1] >= rates[0] - 1
    assert words(window) == (
        "real time · every frame"
        if every
        else f"real time · {rates[1]:.0f} of {rates[0]:.0f} frames a second"
    )


@pytest.mark.thorough
def test_where_frames_come_late_it_is_waited_for_enough_of_them(
    slowed: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    bar, shown = slowed.pictures.bar, Shown(slowed)
    slowed.transport.loop_over((4.0, 6.0))
    qtbot.waitUntil(lambda: "begins in" in words(slowed), timeout=10_000)
    assert "of 25 a second" in words(slowed)
    assert bar.first_button.isVisible()
    assert bar.fewer_button.isVisible()
    assert slowed.document.result_frame == 100
    sounded: list[float] = []
    start = slowed.player.start

    def count(at: float, way: int) -> bool:
        sounded.append(at)
        return start(at, way)

    monkeypatch.setattr(slowed.player, "start", count)
    starts: list[Phase] = []
    slowed.transport.changed.connect(lambda: starts.append(slowed.transport.state.phase))
    qtbot.waitUntil(lambda: "every frame" in words(slowed), timeout=20_000)
    qtbot.wait(600)
    played = starts[starts.index(Phase.PLAYS) :]
    stops = sum(one is Phase.PLAYS and other is not one for one, other in pairwise(played))
    assert stops <= 1  # once begun, it goes on; on a busy machine it may have been too hopeful
    assert sum(at != 4.0 for at in sounded) <= stops  # so does its sound; at the beginning it begins anew
    assert_told_as_seen(slowed, shown)


@pytest.mark.thorough
def test_fewer_frames_are_counted_as_they_are_shown(slowed: MainWindow, qtbot: QtBot) -> None:
    shown = Shown(slowed)
    slowed.transport.set_fewer(True)
    slowed.transport.toggle()
    qtbot.waitUntil(lambda: "frames a second" in words(slowed), timeout=10_000)
    begun, since = time.monotonic(), float(slowed.document.playhead)
    said: list[tuple[float, float]] = []
    for _ in range(8):
        qtbot.wait(300)
        rates = slowed.transport.state.rates
        assert rates is not None
        said.append((rates[1], shown.rate()))
    passed = time.monotonic() - begun
    assert float(slowed.document.playhead) - since == pytest.approx(passed, abs=1)  # at the true rate
    for mine, seen in said:
        assert mine == pytest.approx(seen, abs=3)
    assert 5 < np.mean([mine for mine, _ in said]) < 16
    numbers = [number for _, number in shown.moments]
    assert numbers == sorted(numbers)  # it never steps back
    assert f"{slowed.transport.state.rates[1]:.0f} of 2" in words(slowed)  # type: ignore[index]


@pytest.mark.thorough
def test_what_is_made_ahead_plays_every_frame_and_decodes_nothing_else(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    planned(qtbot, opened)
    count = opened.document.frame_count
    qtbot.waitUntil(lambda: len(opened.preview.made()) == count, timeout=20_000)
    qtbot.wait(400)
    asked: list[object] = []
    monkeypatch.setattr(opened.pictures._still, "ask", asked.append)
    lent: list[object] = []
    monkeypatch.setattr(opened.readers, "lend", lambda *given, **_: lent.append(given))
    shown = Shown(opened)
    opened.transport.toggle()
    qtbot.wait(1500)
    assert_told_as_seen(opened, shown)
    assert not asked
    assert not lent
    opened.transport.toggle()
    opened.pictures.toggle_exact()
    qtbot.waitUntil(lambda: bool(asked), timeout=2000)  # at rest, the picture is made finer


@pytest.mark.thorough
def test_who_goes_elsewhere_while_it_plays_is_followed(opened: MainWindow, qtbot: QtBot) -> None:
    planned(qtbot, opened)
    opened.document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(1)))
    planned(qtbot, opened)
    opened.transport.scrub(Fraction(6))
    opened.transport.toggle()
    qtbot.waitUntil(lambda: opened.document.result_frame > 155, timeout=20_000)
    opened.document.move_playhead(Fraction(0))
    qtbot.waitUntil(lambda: 2 < opened.document.result_frame < 140, timeout=20_000)
    assert opened.transport.playing
    # A result that becomes shorter than where it plays.
    opened.document.move_playhead(Fraction(10))
    opened.document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(4)))
    planned(qtbot, opened)
    qtbot.waitUntil(lambda: 2 < opened.document.result_frame < 70, timeout=20_000)
    assert opened.transport.state.phase is not Phase.AT_REST


def test_a_frame_that_cannot_be_made_is_passed_over(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    planned(qtbot, opened)
    packed, wrong = preview_module._packed, [False]

    def broken(codes: np.ndarray) -> bytes:
        if opened.preview._next == 20:
            wrong[0] = True
            raise ValueError("unheard of")
        return packed(codes)

    monkeypatch.setattr(preview_module, "_packed", broken)
    opened.document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(2)))
    planned(qtbot, opened)
    qtbot.waitUntil(lambda: opened.preview.has(30), timeout=10_000)
    assert wrong[0]
    assert opened.preview.image(20) is None
    assert "ValueError" in opened.preview.why_broken(20)
    assert opened.preview.image(21) is not None
    opened.document.move_playhead(Fraction(20, 25))
    assert opened.pictures.result.image is None
    assert "ValueError" in opened.pictures.result.accessibleDescription()


def test_pointing_shows_something_at_once_and_marks_it_until_the_very_picture_is_there(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    plan = planned(qtbot, opened)
    qtbot.waitUntil(lambda: opened.weave.strips.picture_near(plan.sources[0].facts.origin, 6) is not None)
    pictures, packed = opened.pictures, preview_module._packed

    def slowly(codes: np.ndarray) -> bytes:
        time.sleep(0.1)
        return packed(codes)

    monkeypatch.setattr(preview_module, "_packed", slowly)
    opened.preview.follow(plan)
    opened.transport.scrub(Fraction(opened.document.frame_count * 2 // 3, 25))
    assert pictures.result.is_near
    assert pictures.recorded.is_near
    qtbot.waitUntil(lambda: not pictures.result.is_near and not pictures.recorded.is_near, timeout=10_000)
    assert pictures.result.image == opened.preview.image(opened.document.result_frame)


def test_going_back_a_step_has_those_before_it_made_in_one_pass(opened: MainWindow, qtbot: QtBot) -> None:
    plan = planned(qtbot, opened)
    opened.preview.follow(plan)
    last = opened.document.frame_count - 1
    opened.transport.scrub(Fraction(last, 25))
    qtbot.waitUntil(lambda: opened.preview.has(last), timeout=10_000)
    opened.preview.hold_back(True)
    opened.transport.step(-1)
    qtbot.waitUntil(lambda: opened.preview.has(last - 1), timeout=10_000)
    assert all(opened.preview.has(number) for number in range(last - 7, last))


@pytest.fixture
def heavy(opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> MainWindow:
    """A window that makes proxies of all footage, however small."""
    monkeypatch.setattr(app_proxies, "_WORTH_HEIGHT", 0)
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    for module in (core_proxies, proxy_store):
        monkeypatch.setattr(module, "PART_FRAMES", 50)
    planned(qtbot, opened)
    return opened


def test_proxies_are_made_shown_on_the_card_and_played(heavy: MainWindow, qtbot: QtBot) -> None:
    origin = heavy.document.project.footage[0].origin
    card, menu = heavy.shelf.card_of(origin), heavy.menus.proxies
    menu.choices[ProxyChoice.ALWAYS].trigger()
    qtbot.waitUntil(card.stop_proxy.isVisible, timeout=10_000)
    qtbot.waitUntil(lambda: (p := heavy.proxies.proxy(origin)) is not None and p.is_whole, timeout=30_000)
    qtbot.waitUntil(lambda: not card.stop_proxy.isVisible(), timeout=2000)
    assert "proxy" in card.facts_text
    heavy.document.apply("", lambda p: pacing.set_speed(p, [ONLY], Fraction(3)))
    plan = planned(qtbot, heavy)
    number = len(plan.schedule) // 2
    heavy.document.move_playhead(Fraction(number, 25))
    qtbot.waitUntil(lambda: heavy.preview.has(number), timeout=10_000)
    assert heavy.followed.played is not None
    assert heavy.followed.played.sources != plan.sources
    menu.aboutToShow.emit()
    assert menu.remove.isEnabled()
    menu.remove.trigger()
    qtbot.waitUntil(lambda: not list(proxy_store.ProxyStore()._folders()), timeout=5000)
    assert heavy.followed.played.sources == plan.sources
    qtbot.wait(200)
    assert heavy.proxies.proxy(origin) is None  # it is not made again by itself


@pytest.mark.thorough
def test_a_proxy_that_is_cancelled_stays_as_it_is(
    heavy: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    encoded = core_proxies._encoded

    def slowly(*given: object) -> list[bytes]:
        time.sleep(0.02)
        return encoded(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(core_proxies, "_encoded", slowly)
    origin = heavy.document.project.footage[0].origin
    card = heavy.shelf.card_of(origin)
    heavy.proxies.choose(ProxyChoice.ALWAYS)
    qtbot.waitUntil(
        lambda: (p := heavy.proxies.proxy(origin)) is not None and len(p.lacking()) < 6, timeout=20_000
    )
    card.stop_proxy.click()
    assert not card.stop_proxy.isVisible()
    qtbot.wait(300)
    proxy = heavy.proxies.proxy(origin)
    assert proxy is not None
    left = proxy.lacking()
    assert left
    qtbot.wait(300)
    assert proxy.lacking() == left
    assert not [path for path in proxy.folder.iterdir() if path.name.startswith(".")]
    heavy.document.show_project(Project())
    assert heavy.proxies.proxy(origin) is None
