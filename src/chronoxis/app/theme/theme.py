"""The look: colours, type and icons."""

from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from functools import cache
from importlib.resources import files
from math import exp2, log, log2
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication

GROUND, PANEL, RAISED, LINE = QColor("#16181B"), QColor("#1E2125"), QColor("#282C31"), QColor("#353A40")
TEXT, DIM, LIVE = QColor("#ECE8DF"), QColor("#9B9D97"), QColor("#7AD3BE")
SOUND, SOUND_GROUND = QColor("#B9A7F0"), QColor("#3E5753")
CAUTION, CAUTION_GROUND = QColor("#F0C987"), QColor("#33291B")

_SPEED_COLOURS = (
    (1 / 8, QColor("#6C5CE0")),
    (1 / 2, QColor("#5C93E8")),
    (1.0, QColor("#A9A598")),
    (4.0, QColor("#DDB04C")),
    (20.0, QColor("#E8773A")),
    (100.0, QColor("#DB3F60")),
    (1000.0, QColor("#A52A90")),
)
_COLOURS_PER_OCTAVE = 96  # of colour in each doubling of speed: more than can be told apart
_FAMILY = "IBM Plex Sans"
_BASE_SIZE = 10


def apply_theme(application: QApplication, text_scale: float = 1.0) -> None:
    """Give the application its type, palette and style sheet; ``text_scale`` 1.25 is 125% text."""
    folder = files("chronoxis") / "fonts"
    for font_file in sorted(folder.iterdir(), key=lambda entry: entry.name):
        if font_file.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(QByteArray(font_file.read_bytes()))
    application.setStyle("Fusion")
    application.setFont(font(text_scale=text_scale))
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, colour in (
        (roles.Window, GROUND), (roles.Base, GROUND), (roles.AlternateBase, PANEL), (roles.Button, RAISED),
        (roles.WindowText, TEXT), (roles.Text, TEXT), (roles.ButtonText, TEXT), (roles.BrightText, TEXT),
        (roles.Highlight, LIVE), (roles.HighlightedText, GROUND), (roles.ToolTipBase, RAISED),
        (roles.ToolTipText, TEXT), (roles.PlaceholderText, DIM), (roles.Link, LIVE),
    ):  # fmt: skip
        palette.setColor(role, colour)
    palette.setColor(QPalette.ColorGroup.Disabled, roles.Text, DIM)
    palette.setColor(QPalette.ColorGroup.Disabled, roles.ButtonText, DIM)
    application.setPalette(palette)
    theme = files("chronoxis.app.theme")
    style = (theme / "theme.qss").read_text()
    application.setStyleSheet(style.replace("@icons", Path(str(theme / "icons")).as_posix()))


@contextmanager
def built_plainly() -> Iterator[None]:
    """Build many widgets without the style sheet, and have them wear it at the end.

    Qt looks all rules up anew for all widgets inside one that gets another parent; of a window with many
    layers, that takes half a second.
    """
    application = QApplication.instance()
    assert isinstance(application, QApplication)
    style = application.styleSheet()
    application.setStyleSheet("")
    try:
        yield
    finally:
        application.setStyleSheet(style)


def font(size: float = _BASE_SIZE, weight: int = 400, text_scale: float | None = None) -> QFont:
    """Our type; with a scale of its own, or in proportion to the application's text size."""
    return _font(size * (text_scale or _text_scale()), weight)


def scaled(pixels: int) -> int:
    """A width that holds text, in proportion to the application's text size."""
    return round(pixels * _text_scale())


def _text_scale() -> float:
    return QApplication.font().pointSizeF() / _BASE_SIZE


@cache
def _font(points: float, weight: int) -> QFont:
    chosen = QFont(_FAMILY)
    chosen.setPointSizeF(points)
    chosen.setWeight(QFont.Weight(weight))
    chosen.setFeature(QFont.Tag("tnum"), 1)
    return chosen


def speed_colour(speed: Fraction | float) -> QColor:
    """The colour of a speed, on a log scale between the named ones."""
    return QColor(_colour_at(round(log2(speed) * _COLOURS_PER_OCTAVE)))


@cache
def _colour_at(step: int) -> QColor:
    value = exp2(step / _COLOURS_PER_OCTAVE)
    previous, colour = _SPEED_COLOURS[0]
    for limit, next_colour in _SPEED_COLOURS[1:]:
        if value <= limit:
            share = log(max(value, previous) / previous) / log(limit / previous)
            return mixed(colour, next_colour, share)
        previous, colour = limit, next_colour
    return colour


def icon(name: str, colour: QColor = TEXT, size: int = 16) -> QIcon:
    """One of our own vector icons, in a colour."""
    source = (files("chronoxis.app.theme") / "icons" / f"{name}.svg").read_text()
    renderer = QSvgRenderer(QByteArray(source.replace("currentColor", colour.name()).encode()))
    picture = QPixmap(size * 2, size * 2)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    renderer.render(painter, QRectF(picture.rect()))
    painter.end()
    picture.setDevicePixelRatio(2)
    return QIcon(picture)


def mixed(a: QColor, b: QColor, share: float) -> QColor:
    """A colour a share of the way from one to another, in code values."""
    return QColor.fromRgbF(
        *(x + (y - x) * share for x, y in zip(a.getRgbF()[:3], b.getRgbF()[:3], strict=True))  # type: ignore[index]
    )
