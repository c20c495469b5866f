"""The page *Footage*: what one footage is, and what can be done with all of it."""

from fractions import Fraction

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from chronoxis.app.bench.music_choices import MusicChoices
from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.page import Page, label_for, line
from chronoxis.app.bench.photo_choices import PhotoChoices
from chronoxis.app.document.document import Document
from chronoxis.app.elided_label import ElidedLabel
from chronoxis.app.footage.shelf import Shelf
from chronoxis.app.measuring.sound_traces import SoundTraces
from chronoxis.app.picture_card import Thumbnail
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.errors import PlanError
from chronoxis.core.model import arranging, composing
from chronoxis.core.model.footage import Footage
from chronoxis.core.model.music import Music
from chronoxis.core.model.photo_run import PhotoRun
from chronoxis.core.model.project import Project
from chronoxis.core.model.recording import Recording, set_capture_rate
from chronoxis.core.timing.rates import format_rate, parse_rate
from chronoxis.core.timing.timecode import format_time


class FootagePage(Page):
    """Shows what is chosen on the shelf.

    Signals:
        locate_wanted: a person wants to say where it is; its key.
        open_wanted: a person wants to go inside it; its key.
    """

    locate_wanted = Signal(str)
    open_wanted = Signal(str)

    def __init__(self, document: Document, shelf: Shelf, sounds: SoundTraces) -> None:
        super().__init__(document)
        self._shelf = shelf
        self._picture = Thumbnail(QSize(85, 48))
        self.name, self._uses = ElidedLabel(), TextLabel()
        self.name.setFont(font(11, 600))
        self._uses.setProperty("dim", True)
        self._names, self._values = TextLabel(), ElidedLabel(Qt.TextElideMode.ElideMiddle)
        self._names.setProperty("dim", True)
        for label in (self._names, self._values):
            label.setFont(font(9))
        self.capture = NumberField(
            "Capture rate", "Frames per second as they were shot, if not as stored: then 1× is real time", 84
        )
        self.capture.editingFinished.connect(self._enter_capture)
        self._shot_at = label_for("Shot a&t", self.capture)
        self.photos = PhotoChoices(document)
        self.photos.refused.connect(self.refused)
        self.photos.hide()
        self.music = MusicChoices(document, sounds)
        self.music.refused.connect(self.refused)
        self.music.hide()
        self.use = push_button("Add sh&ot", "Put all of this footage at the end of the result, as a new shot")
        self.use.clicked.connect(self._add_shot)
        self.locate = push_button("Lo&cate…", "Say where this footage is now")
        self.locate.clicked.connect(lambda: self.locate_wanted.emit(document.selection.footage or ""))
        self.open = push_button("Ope&n", "Go inside this nested run to change it (Ctrl+Return)")
        self.open.clicked.connect(lambda: self.open_wanted.emit(document.selection.footage or ""))
        self.canvas = push_button("Use its si&ze", "Give the result this footage's size and colour")
        self.canvas.clicked.connect(self._set_canvas)
        self.remove = push_button("Re&move", "Take this footage and its shots out of the project")
        self.remove.clicked.connect(self._remove)
        self._lay_out()
        for signal in (document.footage_changed, document.selection.footage_chosen):
            signal.connect(self.show_project)

    def _lay_out(self) -> None:
        words = QVBoxLayout()
        for widget in (self.name, self._uses):
            words.addWidget(widget)
        top = QHBoxLayout()
        top.setSpacing(10)
        top.addWidget(self._picture, 0, Qt.AlignmentFlag.AlignTop)
        top.addLayout(words, 1)
        top.setAlignment(words, Qt.AlignmentFlag.AlignTop)
        rate, deeds = QHBoxLayout(), QHBoxLayout()
        rate.addWidget(self._shot_at)
        rate.addWidget(self.capture)
        rate.addStretch()
        for button in (self.use, self.open, self.locate, self.canvas, self.remove):
            button.setProperty("small", True)
            deeds.addWidget(button)
        deeds.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(top)
        facts = QHBoxLayout()
        facts.setSpacing(14)
        facts.addWidget(self._names)
        facts.addWidget(self._values, 1)
        layout.addLayout(facts)
        layout.addWidget(line())
        layout.addLayout(rate)
        layout.addWidget(self.photos, 1)
        layout.addWidget(self.music)
        layout.addLayout(deeds)
        layout.addStretch()

    @property
    def footage(self) -> Footage | None:
        """The footage that is chosen on the shelf."""
        key = self._document.selection.footage
        return self._document.project.footage_named(key) if key is not None else None

    def show_project(self) -> None:
        """Show what is chosen as it is now."""
        footage = self.footage
        if footage is None:
            return
        facts, project = self._document.known.facts.get(footage.origin), self._document.project
        self._picture.show_image(self._shelf.thumbnail(footage.origin))
        self.name.show_text(footage.name)
        self._uses.setText(_uses_in_words(sum(shot.footage == footage.key for shot in project.shots)))
        rows = facts.rows() if facts else [("length", format_time(footage.length, 2))]
        for widget in (self._picture, self.name, self._uses):
            widget.setVisible(footage.has_pictures)
        if not footage.has_pictures:  # its choices need the room, and its title stands among them
            rows = [("music", _laid_in_words(project, footage, self._document.selection.music))]
        self._names.setText("\n".join(name for name, _ in rows))
        self._values.show_text("\n".join(value for _, value in rows))
        is_recording = isinstance(footage, Recording)
        self._shot_at.setVisible(is_recording)
        self.capture.setVisible(is_recording)
        self.capture.show_number(f"{format_rate(footage.rate)} fps")
        self.photos.setVisible(isinstance(footage, PhotoRun))
        if isinstance(footage, PhotoRun):
            self.photos.show_run(footage)
        is_music = isinstance(footage, Music)
        self.music.setVisible(is_music)
        if isinstance(footage, Music):
            self.music.show_music(footage)
        self.use.setText("La&y under the result" if is_music else "Add sh&ot")
        self.canvas.setVisible(not is_music)
        self.use.setEnabled(facts is not None)
        self.open.setVisible(bool(footage.made_of))
        self.canvas.setVisible(not footage.made_of)
        canvas = project.canvas
        self.canvas.setEnabled(facts is not None and facts.picture.canvas != canvas)

    def _add_shot(self) -> None:
        footage = self.footage
        if footage is not None:
            if footage.has_pictures:
                self._apply("Add shot", lambda p: arranging.add_shot(p, footage.key))
            else:
                self._apply("Lay music", lambda p: arranging.lay_music(p, footage.key))

    def _set_canvas(self) -> None:
        footage = self.footage
        facts = self._document.known.facts.get(footage.origin) if footage is not None else None
        if facts is not None:
            self._apply("Set the size", lambda p: composing.set_canvas(p, facts.picture.canvas))

    def _remove(self) -> None:
        footage = self.footage
        if footage is not None:
            self._apply("Remove footage", lambda p: arranging.drop_footage(p, footage.key))

    def _enter_capture(self) -> None:
        text, footage = self.capture.take_text(), self.footage
        if text is None or footage is None:
            return
        try:
            rate: Fraction | None = parse_rate(text) if text.strip() else None
        except PlanError as error:
            self.show_project()
            self.refused.emit(str(error))
            return
        self._apply("Capture rate", lambda p: set_capture_rate(p, footage.key, rate))
        self.show_project()


def _uses_in_words(count: int) -> str:
    """How often footage is used."""
    return f"in {count} shots" if count > 1 else "in one shot" if count else "in no shot"


def _laid_in_words(project: Project, music: Footage, chosen: int | None) -> str:
    """How long music is, and how often it lies under the result."""
    pieces = [number for number, piece in enumerate(project.music) if piece.footage == music.key]
    if not pieces:
        return f"{music.in_brief} · not under the result"
    if len(pieces) == 1:
        return f"{music.in_brief} · laid once under the result"
    which = pieces.index(chosen) + 1 if chosen in pieces else 1
    return f"{music.in_brief} · laid {len(pieces)} times; shown here is number {which}"
