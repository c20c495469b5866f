"""The presets, in the Bench's place: apply, keep, read and write them."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from chronoxis.app.caution_label import CautionLabel
from chronoxis.app.document.document import Document
from chronoxis.app.presets.keeping_form import KeepingForm
from chronoxis.app.presets.preset_acts import PresetActs
from chronoxis.app.presets.preset_row import PresetRow
from chronoxis.app.push_button import push_button
from chronoxis.app.question_bar import QuestionBar
from chronoxis.app.remembered import last_folder, remember_folder
from chronoxis.app.scroller import Scroller
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.errors import ChronoxisError
from chronoxis.core.files.endings import PRESET
from chronoxis.core.files.preset_file import load_preset, save_preset
from chronoxis.core.files.presets import (
    KeptPreset,
    is_kept,
    keep_preset,
    own_presets,
    remove_preset,
    rename_preset,
    shipped_presets,
)
from chronoxis.core.model.preset import Preset

_KINDS = f"Presets (*{PRESET})"


class PresetPanel(QFrame):
    """Shown in the Bench's place while a person looks for a treatment, or keeps one.

    Signals:
        left: the person goes back to adjust.
    """

    left = Signal()

    def __init__(
        self,
        document: Document,
        acts: PresetActs,
        question: QuestionBar,
        picture: Callable[[], QImage | None],
    ) -> None:
        """``picture`` gives the result's picture at the playhead, if it is there."""
        super().__init__()
        self._document, self._acts, self._question, self._picture = document, acts, question, picture
        self.setProperty("panel", True)
        self.rows: list[PresetRow] = []
        self.form = KeepingForm()
        self._title = TextLabel("Presets")
        self._title.setFont(font(10.5, 600))
        self._message = CautionLabel()
        self.keep_this = push_button(
            "&Keep this one…", "Keep the treatment of the selected shot under a name"
        )
        self.read = push_button("&Read a file…", "Take presets over from files")
        self.keep = push_button("&Keep", "Keep it under this name (Enter)")
        self.keep.setProperty("main", True)
        self._pages = QStackedWidget()
        self._list = QVBoxLayout()
        self._pages.addWidget(self._page(self._listed(), self.read, self.keep_this))
        self._pages.addWidget(self._page(self.form, self.keep))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 12)
        layout.addWidget(self._title)
        layout.addWidget(self._pages, 1)
        layout.addWidget(self._message)
        self.keep_this.clicked.connect(self.show_form)
        self.read.clicked.connect(self._choose_files)
        self.keep.clicked.connect(self._keep)
        self.form.name.returnPressed.connect(self._keep)
        document.eased.connect(self._follow)
        document.selection.changed.connect(self._follow)

    def show_list(self) -> None:
        """Show the presets that there are."""
        own, wrong = own_presets()
        self.say(" ".join(wrong))
        for row in self.rows:
            row.hide()
            row.deleteLater()
        self.rows = [self._row(kept) for kept in (*own, *shipped_presets())]
        for row in self.rows:
            self._list.addWidget(row)
        self._title.setText("Presets")
        self._pages.setCurrentIndex(0)
        self._follow()

    def show_form(self) -> None:
        """Show what of the selected shot's treatment could be kept."""
        self.say("")
        self._title.setText("Keep this treatment")
        self._pages.setCurrentIndex(1)
        self._follow()
        self.form.name.setFocus()

    def go_back(self) -> None:
        """From the form to the list, from there to the Bench."""
        if self._pages.currentIndex():
            self.show_list()
        else:
            self.left.emit()

    def say(self, message: str) -> None:
        """Say something below the list, or nothing."""
        self._message.say(message)

    def _listed(self) -> QWidget:
        rows = QWidget()
        inside = QVBoxLayout(rows)
        inside.setContentsMargins(0, 0, 6, 0)
        inside.setSpacing(6)
        self._list.setSpacing(6)
        inside.addLayout(self._list)
        inside.addStretch()
        return rows

    def _page(self, content: QWidget, *buttons: QWidget) -> QWidget:
        page = QWidget()
        back = push_button("&Back", "Go back (Esc)")
        back.clicked.connect(self.go_back)
        foot = QHBoxLayout()
        foot.addWidget(back)
        foot.addStretch()
        for button in buttons:
            foot.addWidget(button)
        rows = QVBoxLayout(page)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addWidget(Scroller(content), 1)
        rows.addLayout(foot)
        return page

    def _row(self, kept: KeptPreset) -> PresetRow:
        row = PresetRow(kept)
        row.apply.clicked.connect(lambda: self._acts.apply(kept.preset))
        if row.rename is not None and row.remove is not None and row.write is not None:
            row.write.clicked.connect(lambda: self._choose_where(kept.preset))
            row.rename.clicked.connect(lambda: self._rename(kept))
            row.remove.clicked.connect(lambda: self._remove(kept))
        return row

    def _follow(self) -> None:
        """Show what the selected shot has, and whether there is one."""
        there = bool(self._document.project.shots)
        for button in (self.keep_this, self.keep, *(row.apply for row in self.rows)):
            button.setEnabled(there)
        if there and self.isVisible() and self._pages.currentIndex():
            self.form.show_treatment(self._document.project, (self._document.selection.shots or [0])[0])

    def _keep(self) -> None:
        try:
            preset = self.form.preset(self._picture())
        except ChronoxisError as error:
            self.say(str(error))
            return
        if is_kept(preset.name):
            self._question.ask(
                f"There is a preset “{preset.name}” already.",
                [("Replace it", partial(self._store, preset)), ("Keep it", lambda: None)],
            )
        else:
            self._store(preset)

    def _store(self, preset: Preset) -> None:
        if self._done(lambda: keep_preset(preset)):
            self.show_list()

    def _rename(self, kept: KeptPreset) -> None:
        def rename(name: str) -> None:
            if self._done(lambda: rename_preset(kept, name)):
                self.show_list()

        self._question.ask_name(f"Another name for “{kept.preset.name}”", kept.preset.name, rename)

    def _remove(self, kept: KeptPreset) -> None:
        if self._done(lambda: remove_preset(kept)):
            self.show_list()
            self._question.ask(
                f"“{kept.preset.name}” is removed.",
                [("Put it back", lambda: self._store(kept.preset)), ("Fine", lambda: None)],
            )

    def _choose_files(self) -> None:
        paths, _ = QFileDialog.getOpenFileNames(
            self, "Read presets", str(last_folder() or Path.home()), _KINDS
        )
        if paths:
            remember_folder(Path(paths[0]))
            self.read_files([Path(path) for path in paths])

    def read_files(self, paths: list[Path]) -> None:
        """Take presets over from files; one of a name that is kept already is asked about."""
        wrong = []
        for path in paths:
            try:
                preset = load_preset(path)
                if is_kept(preset.name):
                    self._question.ask(
                        f"There is a preset “{preset.name}” already.",
                        [("Replace it", partial(self._store, preset)), ("Keep it", lambda: None)],
                    )
                else:
                    keep_preset(preset)
            except ChronoxisError as error:
                wrong.append(str(error))
        self.show_list()
        if wrong:
            self.say(" ".join(wrong))

    def _choose_where(self, preset: Preset) -> None:
        first = (last_folder() or Path.home()) / f"{preset.name.replace('/', '-')}{PRESET}"
        chosen, _ = QFileDialog.getSaveFileName(self, "Write a preset", str(first), _KINDS)
        if chosen:
            remember_folder(Path(chosen))
            path = Path(chosen) if chosen.endswith(PRESET) else Path(f"{chosen}{PRESET}")
            write = partial(self._done, lambda: save_preset(preset, path))
            if path != Path(chosen) and path.exists():  # the dialog has asked about a shorter name only
                self._question.ask(
                    f"{path.name} is already there.", [("Replace it", write), ("Keep it", lambda: None)]
                )
            else:
                write()

    def _done(self, act: Callable[[], object]) -> bool:
        """Whether an act could be done; if not, why is said."""
        try:
            act()
        except ChronoxisError as error:
            self.say(str(error))
            return False
        self.say("")
        return True
