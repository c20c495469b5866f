"""Take the pictures in docs/screenshots/ from the demo data."""

import os
import sys
import tempfile
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np
from bench.report import settle, wait
from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget
from tqdm import tqdm

from chronoxis.app.first_notes import mark_all_read
from chronoxis.app.main_window import MainWindow
from chronoxis.app.pictures.frame_images import image_from
from chronoxis.app.pictures.stage import Mode
from chronoxis.app.theme.theme import GROUND, TEXT, apply_theme, font
from chronoxis.core.model import correcting, making, pacing
from chronoxis.core.model.accent import LOOKS, Accent, Stutter
from chronoxis.core.model.playing import result_span
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.steady import Steady, SteadyMode
from chronoxis.core.queue.export_queue import ExportQueue
from chronoxis.core.queue.jobs import JobState
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.in_step import Step
from chronoxis.core.render.measuring import by_key
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.target import preview_target
from chronoxis.core.timing.frame_making import EachFrame, Fill, FrameMaking
from chronoxis.core.traces.trace_kinds import CAMERA
from chronoxis.demo.larkfield import BEAT_PROJECT_NAME, CREW_NAME, PHOTO_PROJECT_NAME, PLAN_NAME, ensure_demo

FOLDER = Path(__file__).parent / "screenshots"


def open_project(window: MainWindow, path: Path) -> None:
    """Open a project in place of what is open; it is read beside the window."""
    window.files.discard_changes()
    before = window.files.begun
    window.file_actions.open_project(path)
    wait(lambda: window.files.begun > before)


def main() -> None:
    """Walk through the job and take a picture at each station."""
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else FOLDER
    scale = float(sys.argv[2]) if len(sys.argv) > 2 else 1.0
    project = ensure_demo(None, lambda text, total: tqdm(total=total, desc=text))
    application = QApplication([])
    apply_theme(application, scale)
    with tempfile.TemporaryDirectory() as scratch:
        os.environ["XDG_STATE_HOME"] = scratch
        mark_all_read()
        window = MainWindow()
        window.show()
        open_project(window, project)
        wait(lambda: window.document.plan is not None)
        shoot_the_weave(window, folder)
        shoot_the_pictures(window, folder)
        shoot_the_ways(window, folder)
        shoot_steady(window, folder)
        shoot_trials(window, folder)
        shoot_joins(window, folder)
        shoot_accents(window, folder)
        shoot_the_sound(window, folder)
        shoot_an_export(window, folder, Path(scratch))
        shoot_beats(window, folder, project.parent / BEAT_PROJECT_NAME)
        shoot_photos(window, folder, project.parent / PHOTO_PROJECT_NAME)
        shoot_lulls(window, folder, project.parent)
        shoot_happening(window, folder, project.parent)
        shoot_an_intention(window, folder)
        window.files.discard_changes()
        window.close()


def shoot_the_weave(window: MainWindow, folder: Path) -> None:
    """The finished piece whole, at a passage, at single frames, in a drag."""
    document, weave = window.document, window.weave
    document.selection.select([Place(0, 1)])
    document.move_playhead(Fraction(147, 25))
    wait(lambda: window.preview.has(document.result_frame + 40), 60)
    settle(3)
    take(window, folder / "demo-open.png")
    document.selection.select([Place(0, 3)])
    document.move_playhead(Fraction(11))
    weave.views.zoom_to_selection()
    settle(3)
    rails = weave.rails()
    assert rails is not None
    x = round(rails.result_x(result_span(document.project, Place(0, 3))[1]))
    y = round(rails.result.center().y())
    QTest.mousePress(weave, Qt.MouseButton.LeftButton, pos=QPoint(x, y))
    for part in range(1, 9):
        QTest.mouseMove(weave, QPoint(x - 22 * part, y))
    take(window, folder / "weave-drag.png")
    QTest.keyClick(weave, Qt.Key.Key_Escape)
    QTest.mouseRelease(weave, Qt.MouseButton.LeftButton, pos=QPoint(x, y))
    weave.views.show_all()
    document.selection.select([Place(0, 1)])


def shoot_the_pictures(window: MainWindow, folder: Path) -> None:
    """A long exposure with what it gathers, beside the page of its frames."""
    document = window.document
    document.selection.select([Place(0, 2)])
    document.move_playhead(Fraction(8))
    window.show_bench_page(1)
    wait(lambda: window.preview.has(document.result_frame), 60)
    wait(lambda: len(window.bench.frames.between.details.images) >= len(Fill), 60)
    settle(5)
    take(window, folder / "frames-page.png")
    window.show_bench_page(0)


_WAYS = (
    ("one frame", 0, FrameMaking()),
    ("long exposure", 0, FrameMaking(EachFrame.LONG_EXPOSURE)),
    ("brightest", 0, FrameMaking(EachFrame.BRIGHTEST)),
    ("darkest", 0, FrameMaking(EachFrame.DARKEST)),
    ("clear", 0, FrameMaking(EachFrame.CLEAR, window=Fraction(4))),
    ("one frame", 1, FrameMaking()),
    ("long exposure, no fill steps", 1, FrameMaking(EachFrame.LONG_EXPOSURE)),
    ("fill steps: finest", 1, FrameMaking(EachFrame.LONG_EXPOSURE, fill=Fill.FINEST)),
    ("one frame with blur", 1, FrameMaking(fill=Fill.FINEST)),
)


def shoot_the_ways(window: MainWindow, folder: Path) -> None:
    """One moment of the meet, made in every way; and one of the walk, without and with fill steps."""
    document, (wide, high) = window.document, (420, 236)
    sheet = QPixmap(3 * wide, 3 * (high + 24))
    sheet.fill(GROUND)
    painter = QPainter(sheet)
    painter.setFont(font(10, 500))
    for number, (name, shot, chosen) in enumerate(_WAYS):
        project, span = document.project, len(document.project.shots[shot].passages)
        for place in (Place(shot, passage) for passage in range(span)):
            passage = replace(project.passage(place), making=chosen, speed=Fraction((20, 12)[shot]))
            project = project.with_passage(place, passage)
        opened = {f.key: s for f in project.footage if not f.made_of and (s := document.known.opened(f))}
        plan = make_plan(project, opened)
        first, stop = plan.frames_of(shot)
        at = first + round((stop - first) * (119.6 / 240, 0.6)[shot])
        (frame,) = result_frames(plan, replace(preview_target(plan, 720), gather_small=False), at, at + 1)
        left, top = number % 3 * wide, number // 3 * (high + 24)
        painter.drawImage(
            QRect(left, top, wide - 6, high - 4), image_from(np.asarray(frame.to_ndarray(), np.uint8))
        )
        painter.setPen(TEXT)
        painter.drawText(QRect(left, top + high - 4, wide, 24), Qt.AlignmentFlag.AlignVCenter, name)
    painter.end()
    sheet.save(str(folder / "ways.png"))


def shoot_steady(window: MainWindow, folder: Path) -> None:
    """The walk, steadied and lined up, with the line between filmed and steadied."""
    document = window.document
    document.apply("steady", lambda p: correcting.set_steady(p, [1], Steady(SteadyMode.SMOOTH)))
    document.apply("line up", lambda p: making.set_line_up(p, [Place(1, 0)], 0.5))
    document.selection.select([Place(1, 0)])
    document.move_playhead(document.project.starts[1] + Fraction(2))
    window.show_bench_page(2)
    wait(lambda: document.plan is not None and any(document.plan.steadied), 120)
    settle(6)
    take(window, folder / "steady.png")
    for _ in range(2):
        document.undo()
    window.show_bench_page(0)


def tried(project: Project, speed: int, each: EachFrame) -> Project:
    """The first shot in another way, its beginning at another speed."""
    project = pacing.set_speed(project, project.places()[:1], Fraction(speed))
    return making.set_each_frame(project, project.places()[:5], each)


def shoot_trials(window: MainWindow, folder: Path) -> None:
    """Three trials in step with the result, and what Checks say of it."""
    document, before = window.document, window.document.project
    window.trials.keep_this()
    for speed, each in ((8, EachFrame.LONG_EXPOSURE), (20, EachFrame.ONE)):
        document.apply("try", partial(tried, speed=speed, each=each))
        window.trials.keep_this()
    document.apply("fit", lambda p: pacing.fit_to_length(p, Fraction(20)))
    document.move_playhead(Fraction(8))
    window.show_trials()
    for row in window.trials.rows:
        if row.beside is not None and not row.beside.isChecked():
            row.beside.click()
    window.trials.steps[Step.MOMENT].click()
    wait(lambda: all("…" not in row.words for row in window.trials.rows), 180)
    settle(3)
    take(window, folder / "trials.png")
    window.pictures.show_mode(Mode.RESULT)
    window.show_checks()
    wait(lambda: len(window.checks.rows) > 2, 60)
    window.checks.rows[-1].aside.click()
    settle(3)
    take(window, folder / "checks.png")
    while document.project != before:
        document.undo()
    window.show_bench_page(0)


def shoot_joins(window: MainWindow, folder: Path) -> None:
    """A Surge just before its peak."""
    document = window.document
    document.move_playhead(document.project.starts[1] - Fraction(3, 25))
    window.bench.show_join(0)
    wait(lambda: not window.camera_paths.is_busy, 120)
    settle(5)
    take(window, folder / "join.png")
    window.show_bench_page(0)


def shoot_accents(window: MainWindow, folder: Path) -> None:
    """Three moments of the Surge, and each look at half and at full on one moment of the walk."""
    document, (wide, high) = window.document, (320, 180)
    looks = [look for look in LOOKS if look is not Stutter]
    sheet = QPixmap(3 * wide, 5 * (high + 22))
    sheet.fill(GROUND)
    painter = QPainter(sheet)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.setFont(font(9.5, 500))
    cut = round(float(document.project.starts[1] * document.project.rate))
    plain = replace(document.project, shots=document.project.shots[1:2])
    tiles = [(words, document.project, cut + by) for words, by in
             (("before the cut", -12), ("at the cut", 0), ("after it", 12))]  # fmt: skip
    for look in looks:
        for strength in (0.5, 1.0):
            accents = (Accent(look(), strength=strength),)
            tiles.append((f"{look.name}, {strength:.0%}", replace(plain, accents=accents), 40))
    cameras = by_key(document.project, document.known.measured[CAMERA])
    for number, (words, project, at) in enumerate(tiles):
        opened = {f.key: s for f in project.footage if not f.made_of and (s := document.known.opened(f))}
        plan = make_plan(project, opened, None, cameras)
        (frame,) = result_frames(plan, replace(preview_target(plan, 720), gather_small=False), at, at + 1)
        left, top = number % 3 * wide, number // 3 * (high + 22)
        smooth = Qt.TransformationMode.SmoothTransformation
        image = image_from(np.asarray(frame.to_ndarray(), np.uint8)).scaledToHeight(high - 4, smooth)
        painter.drawImage(left, top, image)
        painter.setPen(TEXT)
        painter.drawText(QRect(left, top + high - 4, wide, 22), Qt.AlignmentFlag.AlignVCenter, words)
    painter.end()
    sheet.save(str(folder / "accents.png"))


def shoot_the_sound(window: MainWindow, folder: Path) -> None:
    """What is heard of a passage."""
    document = window.document
    heard = [f for f in document.project.footage if f.files and f.key != "walk-down-the-line"]
    wait(lambda: all(window.sound_traces.trace(f.origin).is_whole for f in heard), 60)
    document.selection.select([Place(0, 1)])
    document.move_playhead(Fraction(5))
    window.show_bench_page(3)
    wait(lambda: window.sound.has(0, 30), 60)
    settle(2)
    take(window, folder / "sound-page.png")
    window.show_bench_page(0)
    document.selection.select([Place(0, 1)])


def shoot_beats(window: MainWindow, folder: Path, project: Path) -> None:
    """Bursts of speed, being set on the beats of a tune."""
    document = window.document
    window.show_bench()
    open_project(window, project)
    wait(lambda: document.plan is not None and document.plan.is_whole and document.planner.is_current, 60)
    wait(lambda: len(window.sound_traces.beats) > 0, 60)
    document.selection.select([Place(0, 3)])
    document.move_playhead(Fraction(8))
    window.show_bench_page(4)
    settle(6)
    take(window, folder / "beats.png")
    window.show_bench_page(0)


def shoot_an_export(window: MainWindow, folder: Path, scratch: Path) -> None:
    """The choices of an export, and exports that stand in every way."""
    window.show_export()
    panel = window.export_panel
    panel.choices.credits.click()
    wait(lambda: "about" in panel.choices.expected.text(), 60)
    take(window, folder / "export-choices.png")
    queue, whole, exports = ExportQueue(), window.document.project, window.exports
    short = pacing.fit_to_length(whole, Fraction(12))
    first = queue.add(short, scratch / "Larkfield, a first look.mp4")
    paused = queue.add(whole, scratch / "Larkfield for the wall.mkv")
    queue.add(short, scratch / "club" / "Larkfield for the club.mp4")
    last = queue.add(whole, scratch / "Larkfield, whole morning.mp4", expected=64)
    queue.add(whole, scratch / "Larkfield, stills", expected=42)
    window.show_exports()
    exports.go_on_with_all()
    wait(lambda: queue.job(first).state is JobState.DONE, 300)
    wait(lambda: queue.job(paused).done > 60, 120)
    queue.pause(paused)
    wait(lambda: queue.job(last).done > 200, 200)
    settle(1)
    take(window, folder / "exports.png")
    for job in queue.jobs():
        queue.cancel(job.id)
    queue.close()
    wait(lambda: not exports.jobs, 60)
    window.show_bench()


def shoot_photos(window: MainWindow, folder: Path, project: Path) -> None:
    """Photos: a view that moves, and a run with what is wrong with it."""
    document = window.document
    window.show_bench()
    open_project(window, project)
    wait(lambda: document.plan is not None and document.plan.is_whole and document.planner.is_current, 60)
    document.selection.select([Place(0, 0)])
    document.move_playhead(Fraction(150, 24))
    settle(2)
    document.move_playhead(Fraction(100, 24))
    window.show_bench_page(2)
    window.pictures.show_mode(Mode.RECORDED)
    settle(3)
    take(window, folder / "photo-framing.png")
    document.selection.choose_footage("first-light")
    window.pictures.show_mode(Mode.RESULT)
    settle(2)
    take(window, folder / "photo-run.png")


def shoot_lulls(window: MainWindow, folder: Path, footage: Path) -> None:
    """Lulls of a talk, one of which is being dragged."""
    document, weave = window.document, window.weave
    bring_in_alone(window, footage / CREW_NAME)
    document.apply("", lambda p: pacing.set_speed(p, p.places(), Fraction(1)))
    window.show_page(window.bench.lulls)
    document.move_playhead(Fraction(40))
    wait(lambda: not window.lulls.waits, 120)
    settle(2)
    rails = weave.rails()
    lull = window.lulls.at_playhead()
    assert rails is not None and lull is not None
    end = QPoint(round(rails.recorded_x(0, lull.lull.end)), round(rails.traces.center().y()))
    QTest.mousePress(weave, Qt.MouseButton.LeftButton, pos=end)
    for part in range(1, 9):
        QTest.mouseMove(weave, end - QPoint(9 * part, 0))
    settle(1)
    take(window, folder / "lulls.png")
    QTest.mouseRelease(weave, Qt.MouseButton.LeftButton, pos=end - QPoint(72, 0))


def shoot_happening(window: MainWindow, folder: Path, footage: Path) -> None:
    """A pace by change of a screen, before it is taken."""
    bring_in_alone(window, footage / PLAN_NAME)
    page = window.bench.happening
    window.show_page(page)
    page.follows["motion"].setChecked(False)
    page.follows["change"].setChecked(True)
    wait(lambda: "passages" in page.said.text(), 120)
    settle(2)
    take(window, folder / "happening.png")


def shoot_an_intention(window: MainWindow, folder: Path) -> None:
    """The empty window with what was used lately, and what comes of an intention."""
    window.files.discard_changes()
    window.file_actions.new_project()
    page = window.empty
    wait(lambda: len(page.recent) > 0)
    settle(1)
    take(window, folder / "empty.png")
    walk = next(card for card in page.cards if card.preset.name == "Walk to hyperlapse")
    page.with_demo.setChecked(True)
    walk.click()
    wait(window.intent_panel.isVisible, 60)
    wait(lambda: not window.document.known.pending and window.document.planner.is_current, 120)
    settle(6)
    take(window, folder / "intent.png")
    page.with_demo.setChecked(False)


def bring_in_alone(window: MainWindow, path: Path) -> None:
    """A recording in place of what is open."""
    window.files.discard_changes()
    window.file_actions.new_project()
    window.show_bench()
    window.pictures.show_mode(Mode.RESULT)
    window.loading.bring_in(path)
    wait(lambda: window.document.plan is not None and window.document.planner.is_current, 60)


def take(window: QWidget, path: Path) -> None:
    """Save a picture of the window."""
    settle(0.2)
    path.parent.mkdir(parents=True, exist_ok=True)
    window.grab().save(str(path))
    print(path)


if __name__ == "__main__":
    main()
