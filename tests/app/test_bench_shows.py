"""What the Bench shows of a choice is what the choice makes."""

from fractions import Fraction
from functools import partial

import cv2
import numpy as np
import numpy.typing as npt
import pytest
from PySide6.QtCore import QRect
from PySide6.QtGui import QImage
from pytestqt.qtbot import QtBot

from chronoxis.app.bench.detail import telling_part
from chronoxis.app.bench.live_pictures import LivePictures
from chronoxis.app.main_window import MainWindow
from chronoxis.app.pictures.frame_images import image_from
from chronoxis.core.model import joining, making, pacing
from chronoxis.core.model.accent import LOOKS, STEADY, Accent, Stutter
from chronoxis.core.model.project import Place, Project
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.target import export_target
from chronoxis.core.timing.frame_making import OWN_EACH_FRAME, Between, EachFrame, Fill
from tests.app.driving import planned

Codes = npt.NDArray[np.float32]


def codes_of(image: QImage) -> Codes:
    rgb = image.convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(rgb.constBits(), np.uint8).reshape(rgb.height(), rgb.bytesPerLine())
    return rows[:, : 3 * rgb.width()].reshape(rgb.height(), rgb.width(), 3).astype(np.float32)


def exported(window: MainWindow, project: Project, number: int, size: tuple[int, int]) -> Codes:
    """A frame as the export has it, scaled to a size."""
    wish = window.document.planner.wish(project)
    assert wish is not None
    plan = make_plan(project, wish.sources, wish.traces, wish.cameras)
    (frame,) = result_frames(plan, export_target(plan), number, number + 1)
    rgb = frame.reformat(format="rgb24", src_colorspace="ITU709", src_color_range="MPEG").to_ndarray()
    return np.asarray(cv2.resize(rgb, size, interpolation=cv2.INTER_AREA), np.float32)


def _these(accents: tuple[Accent, ...], _before: tuple[Accent, ...]) -> tuple[Accent, ...]:
    return accents


def pictures(qtbot: QtBot, live: LivePictures, many: int) -> dict[object, QImage]:
    qtbot.waitUntil(lambda: len(live.images) == many, timeout=20_000)
    return dict(live.images)


@pytest.mark.thorough
@pytest.mark.parametrize("number", [0, 3, 5, 9, 12, 17, 20, 23, 26, 28])
def test_each_way_is_shown_as_it_would_be_exported(opened: MainWindow, qtbot: QtBot, number: int) -> None:
    document = opened.document
    opened.show_bench_page(1)
    document.move_playhead(number / document.project.rate)
    planned(qtbot, opened)
    shown = pictures(qtbot, opened.bench.frames.live, len(OWN_EACH_FRAME))
    for way in OWN_EACH_FRAME:
        image = codes_of(shown[way])
        project = making.set_each_frame(document.project, [Place(0, 0)], way)
        apart = np.abs(image - exported(opened, project, number, (image.shape[1], image.shape[0])))
        assert apart.mean() < 4, way


def test_each_accent_is_shown_as_it_would_be_exported(opened: MainWindow, qtbot: QtBot) -> None:
    document = opened.document
    opened.show_bench_page(5)
    document.move_playhead(20 / document.project.rate)
    planned(qtbot, opened)
    shown = pictures(qtbot, opened.bench.accents.live, len(LOOKS))
    for look in LOOKS:
        accents = (Accent(look(), STEADY),)
        project = joining.set_accents(document.project, partial(_these, accents), shots=[0])
        image = codes_of(shown[look.key])
        apart = image - exported(opened, project, 20, (image.shape[1], image.shape[0]))
        smooth = cv2.GaussianBlur(apart, (0, 0), 3)  # single grains are others in every size
        assert np.abs(smooth).mean() < 5, look
    plain = codes_of(shown[Stutter.key])
    others = [codes_of(shown[look.key]) for look in LOOKS if look is not Stutter]
    assert all(np.abs(other - plain).mean() > 0.3 for other in others)


@pytest.mark.thorough
def test_pictures_are_of_the_present_moment_and_rest_while_it_plays(opened: MainWindow, qtbot: QtBot) -> None:
    document, live = opened.document, opened.bench.frames.live
    opened.show_bench_page(1)
    first = pictures(qtbot, live, len(OWN_EACH_FRAME))
    document.move_playhead(Fraction(1))
    assert live.images == {}
    again = pictures(qtbot, live, len(OWN_EACH_FRAME))
    assert again[EachFrame.ONE] != first[EachFrame.ONE]
    opened.transport.set_shuttle(1)
    made: list[object] = []
    live.made.connect(lambda key, _: made.append(key))
    qtbot.wait(600)
    assert made == []
    assert live.images == {}
    opened.transport.rest()
    pictures(qtbot, live, len(OWN_EACH_FRAME))
    opened.bench.frames.choices[EachFrame.LONG_EXPOSURE].click()
    assert document.project.shots[0].passages[0].making.each == EachFrame.LONG_EXPOSURE


@pytest.mark.thorough
def test_details_show_where_the_choices_differ(opened: MainWindow, qtbot: QtBot) -> None:
    document, page = opened.document, opened.bench.frames
    opened.show_bench_page(1)
    document.apply("slow", lambda p: pacing.set_speed(p, [Place(0, 0)], Fraction(1, 3)))
    document.move_playhead(Fraction(29, 25))
    planned(qtbot, opened)
    assert all(chip.isVisible() for chip in page.between.betweens.values())
    shown = pictures(qtbot, page.between.details, len(Between) + len(Fill))
    part = page.between._detail.part
    assert part is not None
    (hold, blend, _) = (codes_of(shown[each]) for each in Between)
    apart = np.abs(hold - blend).sum(axis=2)
    inside = apart[part.top() : part.bottom() + 1, part.left() : part.right() + 1]
    assert inside.mean() > apart.mean()
    document.apply("fast", lambda p: pacing.set_speed(p, [Place(0, 0)], Fraction(10)))
    document.apply("long", lambda p: making.set_each_frame(p, [Place(0, 0)], EachFrame.LONG_EXPOSURE))
    planned(qtbot, opened)
    assert not any(chip.isVisible() for chip in page.between.betweens.values())
    pictures(qtbot, page.between.details, len(Fill))
    assert "10 of the 20 recorded frames" in page.open_frames.toolTip()
    opened.transport.set_shuttle(1)
    assert page.between.details.images == {}


def test_the_telling_part_is_where_pictures_differ() -> None:
    plain = np.zeros((90, 160, 3), np.uint8)
    marked = plain.copy()
    marked[60:80, 100:130] = 255
    part = telling_part([image_from(plain), image_from(marked)])
    assert part.contains(QRect(100, 60, 30, 20)) or part.intersects(QRect(110, 65, 10, 10))
    middle = telling_part([image_from(plain), image_from(plain)])
    assert abs(middle.center().x() - 80) <= 1
