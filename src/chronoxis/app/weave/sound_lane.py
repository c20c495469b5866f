"""The sound lane: what is heard along the result, and the beats of its music."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QLineF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPen

from chronoxis.app.measuring.sound_traces import SoundTraces
from chronoxis.app.theme.theme import DIM, GROUND, LINE, LIVE, PANEL, SOUND, SOUND_GROUND, TEXT
from chronoxis.app.weave.lettering import width_of, write
from chronoxis.app.weave.rails import Rails
from chronoxis.core.model.beats import turns
from chronoxis.core.model.music import Music
from chronoxis.core.model.playing import played_at
from chronoxis.core.model.project import Project
from chronoxis.core.sound.samples import gain_of
from chronoxis.core.timing.pace import Seconds

_ONE_ROW_PIXELS, _TWO_ROWS_PIXELS = 37, 58  # pixels of the lane with recorded sound or music, and with both
_BAR_WIDTH = 2  # pixels that each bar of a waveform is wide
_LEAST_BOX = 3.0  # pixels that music plays before a frame is drawn around it
_LEAST_LANE = 20  # pixels below which it says nothing
_LEAST_BEAT = 4.0  # pixels between beats for all of them to be drawn
_QUIETEST_DB = 40.0  # dB below the loudest that are still seen

Columns = npt.NDArray[np.float32]


@dataclass(frozen=True)
class LaneRows:
    """Where on the lane recorded sound and music have their rows; None where there is none."""

    recorded: QRectF | None
    music: QRectF | None


def lane_height(project: Project, sounds: SoundTraces, room: int) -> int:
    """Pixels that the lane has, where there is so much room for it."""
    recorded, music = _has_recorded(project, sounds), bool(project.music)
    wish = _TWO_ROWS_PIXELS if recorded and music else _ONE_ROW_PIXELS if recorded or music else 0
    given = min(wish, room)
    return given if given >= _LEAST_LANE else 0


def rows_of(rails: Rails, project: Project, sounds: SoundTraces) -> LaneRows:
    """The rows of the lane."""
    rest = rails.sound.adjusted(0, rails.beats.height(), 0, -2)
    recorded, music = _has_recorded(project, sounds), bool(project.music)
    if recorded and music:
        half = rest.height() / 2
        return LaneRows(rest.adjusted(0, 0, 0, -half), rest.adjusted(0, half, 0, 0))
    return LaneRows(rest if recorded else None, rest if music else None)


def draw_sound(
    painter: QPainter, rails: Rails, project: Project, sounds: SoundTraces, chosen: int | None
) -> None:
    """Draw the lane; ``chosen`` is the number of the music whose settings are shown."""
    if not rails.lane:
        return
    painter.fillRect(rails.sound, PANEL)
    rows = rows_of(rails, project, sounds)
    edges = np.arange(rails.sound.left(), rails.sound.right() + _BAR_WIDTH, _BAR_WIDTH)
    times = rails.result_view.start + (edges - rails.sound.left()) / rails.result_scale
    painter.save()
    painter.setClipRect(rails.sound)
    if rows.recorded is not None:
        levels, heard = _recorded(project, sounds, times)
        _draw_wave(painter, rows.recorded, levels, heard)
    if rows.music is not None:
        for number in range(len(project.music)):
            _draw_music(painter, rails, rows.music, project, number, sounds, chosen == number, times)
    _draw_beats(painter, rails, sounds)
    painter.restore()


def _has_recorded(project: Project, sounds: SoundTraces) -> bool:
    used = {shot.footage for shot in project.shots}
    return any(len(sounds.trace(footage.origin).levels) for footage in project.footage if footage.key in used)


def _recorded(project: Project, sounds: SoundTraces, times: Seconds) -> tuple[Columns, npt.NDArray[np.bool_]]:
    """Between each two times, how loud the recording is there, and whether that is heard."""
    played = played_at(project, np.minimum(times, float(project.result_length)))
    levels = np.zeros(len(times) - 1, np.float32)
    shots, of_footage = played.shots[:-1], project.shot_rows.footage[played.shots[:-1]]
    within = (shots == played.shots[1:]) & (times[:-1] < float(project.result_length))
    for number in np.unique(of_footage).tolist():
        footage = project.footage[number]
        chosen = np.flatnonzero(within & (of_footage == number))
        seconds = played.recorded / float(footage.scale)
        levels[chosen] = sounds.trace(footage.origin).peaks(seconds[chosen], seconds[chosen + 1])
    rows = project.rows
    places = np.clip(np.searchsorted(rows.begins, times[:-1], "right") - 1, 0, len(rows) - 1)
    low, high, gain = np.concatenate([shot.heard for shot in project.shots])[places].T
    scales = np.array([float(footage.scale) for footage in project.footage])[of_footage]
    speeds, most = played.speeds[:-1], float(project.mix.silent_above)
    heard = (speeds >= low * scales * (1 - 1e-9)) & (speeds <= np.minimum(high * scales, most) * (1 + 1e-9))
    return levels * np.where(heard, 10 ** (gain / 20), 1.0).astype(np.float32), heard


def _draw_wave(painter: QPainter, row: QRectF, levels: Columns, heard: npt.NDArray[np.bool_]) -> None:
    """Bars about the middle, lit where they are heard; drawn at once as a picture of its own."""
    height = int(row.height())
    decibels = 20 * np.log10(np.maximum(levels, 1e-6))
    reach = np.where(levels > 0, np.clip(1 + decibels / _QUIETEST_DB, 0.0, 1.0) * (height / 2 - 1), -1.0)
    from_middle = np.abs(np.arange(height) + 0.5 - height / 2)[:, None]
    lit, unlit = np.uint32(SOUND.rgba()), np.uint32(SOUND_GROUND.rgba())
    colours = np.where(from_middle <= np.maximum(reach, 0.6), np.where(heard & (levels > 0), lit, unlit), 0)
    pixels = np.ascontiguousarray(colours, np.uint32)
    image = QImage(pixels.data, pixels.shape[1], height, 4 * pixels.shape[1], QImage.Format.Format_ARGB32)
    painter.drawImage(QRectF(row.left(), row.top(), _BAR_WIDTH * len(levels), height), image)


def _draw_music(
    painter: QPainter,
    rails: Rails,
    row: QRectF,
    project: Project,
    number: int,
    sounds: SoundTraces,
    chosen: bool,
    times: Seconds,
) -> None:
    piece = project.music[number]
    footage = project.footage_named(piece.footage)
    spans = np.array(turns(piece, footage.stored_length, project.result_length)).reshape(-1, 3)
    spans = spans[(spans[:, 1] > times[0]) & (spans[:, 0] < times[-1])]
    if not len(spans):
        return
    begins, ends, sources = spans.T
    left = np.maximum(rails.result_xs(begins), row.left())
    right = np.minimum(rails.result_xs(ends), row.right())
    for x, stop in zip(left.tolist(), right.tolist(), strict=True):
        painter.fillRect(QRectF(x, row.top() + 1, stop - x, row.height() - 2), GROUND)
    turn = np.clip(np.searchsorted(begins, times[:-1], "right") - 1, 0, len(spans) - 1)
    off = sources[turn] - begins[turn]
    inside = (times[:-1] >= begins[turn]) & (times[:-1] < ends[turn])
    levels = sounds.trace(footage.origin).peaks(times[:-1] + off, times[1:] + off)
    levels = np.where(inside, levels * np.float32(gain_of(piece.level)), np.float32(0))
    _draw_wave(painter, row, levels, np.ones(len(levels), np.bool_))
    painter.setPen(QPen(LIVE if chosen else LINE, 1.5 if chosen else 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for x, stop in zip(left.tolist(), right.tolist(), strict=True):
        if stop - x > _LEAST_BOX:
            painter.drawRect(QRectF(x + 0.5, row.top() + 1.5, stop - x - 1, row.height() - 3))
    music = footage if isinstance(footage, Music) else None
    _draw_name(painter, rails, row, footage.name, sounds, music, float(begins[0]))


def _draw_name(
    painter: QPainter,
    rails: Rails,
    row: QRectF,
    name: str,
    sounds: SoundTraces,
    music: Music | None,
    begin: float,
) -> None:
    tempo = sounds.beats_of(music).tempo if music else None
    text = f"{name} · {tempo:.0f} beats a minute" if tempo else name
    left = max(rails.result_x(begin) + 4, row.left() + 2)
    box = QRectF(left, row.bottom() - 13, width_of(text, 7.5) + 8, 12)
    ground = PANEL
    painter.setOpacity(0.8)
    painter.fillRect(box, ground)
    painter.setOpacity(1.0)
    write(painter, box.adjusted(3, 0, 0, 0), text, TEXT, 7.5)


def _draw_beats(painter: QPainter, rails: Rails, sounds: SoundTraces) -> None:
    """Ticks; those that begin bars are taller, and alone where there is no room for all."""
    beats = sounds.beats
    if not len(beats):
        return
    xs = rails.result_xs(beats.times)
    row = rails.beats
    apart = float(np.median(np.diff(xs))) if len(xs) > 1 else row.width()
    shown = (xs >= row.left()) & (xs <= row.right()) & (beats.bars | (apart >= _LEAST_BEAT))
    for bar, colour in ((False, DIM), (True, SOUND)):
        height = row.height() if bar else row.height() * 0.55
        painter.setPen(QPen(colour, 1.4 if bar else 1))
        chosen = xs[shown & (beats.bars == bar)].tolist()
        painter.drawLines([QLineF(x, row.bottom() - height + 1, x, row.bottom()) for x in chosen])
