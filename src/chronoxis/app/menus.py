"""The menus, and with them all keys."""

from collections.abc import Callable
from fractions import Fraction
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu
from shiboken6 import isValid

from chronoxis.app.bench.bench import key_of_page
from chronoxis.app.files.recent_projects import recent_projects
from chronoxis.app.pictures.pictures import PICTURE_MODES
from chronoxis.app.proxy_menu import ProxyMenu
from chronoxis.app.text_label import menu_text, plain_tip
from chronoxis.core.timing.frame_making import PassersBy
from chronoxis.core.timing.timecode import format_time

if TYPE_CHECKING:
    from chronoxis.app.main_window import MainWindow


def _show_whether_there(entry: QAction, there: bool) -> None:
    if isValid(entry):  # the menu may have been filled anew
        entry.setEnabled(there)


Entry = tuple[str, str | QKeySequence.StandardKey, Callable[[], object]]
"""Of a menu: text, keys and what it does."""


class Menus:
    """The menu bar of a window, and the menu at the pointer.

    Attributes:
        undo, redo, save, export: the actions of these names.
        recent: the menu of projects used lately.
    """

    def __init__(self, window: "MainWindow") -> None:
        self._window = window
        self._for_shots: list[QAction] = []
        bar = window.menuBar()
        file, edit, shot, passage = (bar.addMenu(n) for n in ("&File", "&Edit", "&Shot", "&Passage"))
        join = bar.addMenu("&Join")
        view, play, help_ = (bar.addMenu(name) for name in ("&View", "P&lay", "&Help"))
        self._fill_file(file)
        self._fill_edit(edit)
        self._fill_shot(shot)
        self._fill_passage(passage)
        self._fill_join(join)
        self._fill_view(view)
        self._fill_play(play)
        self._add(help_, "&Keys", "?", window.shortcuts_page.show_beside)
        self._add(help_, "&About this page", "F1", window.show_help)
        self._add(help_, "&Guide", "Ctrl+F1", window.show_guide)
        self._add(help_, "&First steps", "Shift+F1", window.first_notes.begin_again)
        escape = QAction(window, shortcut=QKeySequence("Esc"))
        escape.triggered.connect(window.step_back)
        window.addAction(escape)
        self._at_pointer = (shot, passage, join)

    def follow_document(self) -> None:
        """Enable what makes sense now, and say what undo and redo would do."""
        document = self._window.document
        for action in self._for_shots:
            action.setEnabled(bool(document.project.shots))
        for action, verb, label in (
            (self.undo, "&Undo", document.history.undo_label),
            (self.redo, "&Redo", document.history.redo_label),
        ):
            action.setEnabled(label is not None)
            action.setText(f"{verb} {label.lower()}" if label else verb)

    def show_at_pointer(self, at: QPoint) -> None:
        """Show what can be done with the passage there."""
        menu = QMenu(self._window)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for source in self._at_pointer:
            menu.addActions(source.actions())
            menu.addSeparator()
        menu.popup(at)

    def _fill_file(self, menu: QMenu) -> None:
        keys, window = QKeySequence.StandardKey, self._window
        files = window.file_actions
        self._add(menu, "&New project", keys.New, files.new_project)
        self._add(menu, "Open &project…", "Ctrl+Shift+O", files.choose_project)
        self.recent = menu.addMenu("Open &recent")
        self.recent.aboutToShow.connect(self.list_recent)
        self._add(menu, "&Bring in footage…", keys.Open, files.choose_footage)
        self._add(menu, "Bring in a &folder…", "Ctrl+Shift+P", files.choose_folder)
        self._add(menu, "Bring in &music…", "Ctrl+M", files.choose_music)
        menu.addSeparator()
        self.save = self._add(menu, "&Save", keys.Save, files.save)
        self._add_for_shots(
            menu,
            ("Save &as…", "Ctrl+Shift+S", files.save_as),
            ("Write a &timeline…", "Ctrl+T", files.save_timeline),
        )
        self.export = self._add(menu, "&Export…", "Ctrl+E", window.show_export)
        self._add(menu, "All e&xports", "Ctrl+Shift+E", window.show_exports)
        menu.addSeparator()
        self._add(menu, "&Quit", keys.Quit, window.close)

    def list_recent(self) -> None:
        """Fill the menu of projects used lately."""
        self.recent.clear()
        for path in recent_projects():
            open_it = partial(self._window.file_actions.open_project, path)
            entry = self.recent.addAction(menu_text(path.name), open_it)
            entry.setToolTip(plain_tip(str(path)))
            self._window.disk.ask(path.exists, partial(_show_whether_there, entry))
        if self.recent.isEmpty():
            self.recent.addAction("none yet").setEnabled(False)

    def _fill_edit(self, menu: QMenu) -> None:
        keys, do = QKeySequence.StandardKey, self._window.commands
        document = self._window.document
        self.undo = self._add(menu, "&Undo", keys.Undo, document.undo)
        self.redo = self._add(menu, "&Redo", keys.Redo, document.redo)
        menu.addSeparator()
        self._add_for_shots(
            menu,
            ("&Copy pace", keys.Copy, do.copy_pace),
            ("&Paste pace", keys.Paste, do.paste_pace),
            ("Select &all passages", keys.SelectAll, do.select_all),
        )

    def _fill_shot(self, menu: QMenu) -> None:
        do = self._window.commands
        self._add_for_shots(
            menu,
            ("Set &in point here", "I", lambda: do.set_point(begin=True)),
            ("Set &out point here", "O", lambda: do.set_point(begin=False)),
            ("Use &all of the recording", "Shift+A", do.use_all),
            ("&Cut in two here", "X", do.cut),
            ("&Reverse", "R", do.reverse),
            ("About the &passer-by here…", "Shift+E", self._offer_passer_here),
            ("Move &earlier", "Ctrl+Shift+Left", lambda: do.move_shot(-1)),
            ("Move &later", "Ctrl+Shift+Right", lambda: do.move_shot(1)),
            ("&Duplicate", "Ctrl+D", do.duplicate),
            ("Dele&te", QKeySequence.StandardKey.Delete, do.delete),
        )
        menu.addSeparator()
        self._add_for_shots(menu, ("Pre&sets…", "Shift+T", self._window.show_presets))

    def _fill_join(self, menu: QMenu) -> None:
        joins = self._window.joins
        self._add_for_shots(
            menu,
            ("&Surge at the cut, or a plain cut", "U", joins.toggle_surge),
            ("Slide the cut &earlier", "Ctrl+,", lambda: joins.slide_cut(-1)),
            ("Slide the cut &later", "Ctrl+.", lambda: joins.slide_cut(1)),
        )
        menu.addSeparator()
        self._add_for_shots(
            menu,
            ("&Take shots together as one", "G", joins.take_together),
            ("&Open the run", "Ctrl+Return", joins.open_run),
            ("Come &back out of the run", "Ctrl+Backspace", joins.come_back),
            ("&Dissolve the run", "Shift+G", joins.dissolve),
        )

    def _fill_passage(self, menu: QMenu) -> None:
        do = self._window.commands
        self._add_for_shots(
            menu,
            ("&Divide here", "D", do.divide),
            ("&Merge", "Shift+D", do.merge),
            ("&Previous", "PgUp", lambda: do.select_next(-1)),
            ("&Next", "PgDown", lambda: do.select_next(1)),
            ("Pre&vious as well", "Shift+PgUp", lambda: do.select_next(-1, add=True)),
            ("Ne&xt as well", "Shift+PgDown", lambda: do.select_next(1, add=True)),
            ("&Faster", "Ctrl+Up", lambda: do.nudge_speed(1)),
            ("&Slower", "Ctrl+Down", lambda: do.nudge_speed(-1)),
            ("Ramps l&onger", ".", lambda: do.nudge_ramps(1)),
            ("Ramps sho&rter", ",", lambda: do.nudge_ramps(-1)),
            ("&Hold speed, or let go", "H", do.hold_speed),
            ("Fit the whole to len&gth", "Ctrl+F", self._window.head.enter_fit),
        )
        self._fill_lulls(menu.addMenu("L&ulls"))

    def _fill_lulls(self, menu: QMenu) -> None:
        lulls = self._window.lull_commands
        self._add_for_shots(
            menu,
            ("&Next lull", "]", lambda: lulls.walk(1)),
            ("&Previous lull", "[", lambda: lulls.walk(-1)),
            ("Play from &lull to lull", "Shift+Space", lulls.play),
            ("&Begins here, or draw one", "Shift+I", lulls.begin_here),
            ("&Ends here", "Shift+O", lulls.end_here),
            ("&Split here", "Shift+X", lulls.split),
            ("&Refuse, or take that back", "Backspace", lulls.refuse),
        )

    def _fill_view(self, menu: QMenu) -> None:
        keys, do, weave = QKeySequence.StandardKey, self._window.commands, self._window.weave
        self._add_for_shots(
            menu,
            ("Zoom &in", keys.ZoomIn, lambda: weave.views.zoom(0.5)),
            ("Zoom &out", keys.ZoomOut, lambda: weave.views.zoom(2.0)),
            ("Zoom to &selection", "Z", weave.views.zoom_to_selection),
            ("Zoom to single &frames", "F", weave.views.zoom_to_frames),
            ("Show &all", "Shift+Z", weave.views.show_all),
            ("&Mark the result here", "M", do.mark_result),
            ("Mark the &recording here", "Shift+M", do.mark_recording),
            ("&Name the nearest mark…", "N", self._window.name_marker),
        )
        menu.addSeparator()
        pictures, window = self._window.pictures, self._window
        for name, key, mode in PICTURE_MODES:
            self._add(menu, name, key, partial(pictures.show_mode, mode))
        self._add_for_shots(
            menu,
            ("&Keep a trial", "Shift+4", window.trials.keep_this),
            ("&Trials…", "Ctrl+4", window.show_trials),
        )
        self._add(menu, "Full scr&een", "F11", window.toggle_full_screen)
        self._add(menu, "Picture at &1:1, or fitted", "0", pictures.toggle_exact)
        menu.addSeparator()
        for number, (name, _) in enumerate(window.bench.pages):
            self._add(
                menu,
                f"Bench page {name}",
                f"Alt+{key_of_page(number)}",
                partial(window.show_bench_page, number),
            )
        self._add(menu, "Fold the &lanes, or open them", "Shift+W", weave.fold_lane)
        self._add(menu, "Fold the &Bench, or open it", "Shift+B", window.fold_bench)
        self._add(menu, "Fold the Foota&ge, or open it", "Shift+F", window.fold_shelf)

    def _fill_play(self, menu: QMenu) -> None:
        window, pictures = self._window, self._window.pictures
        document, transport = window.document, window.transport
        self._add_for_shots(
            menu,
            ("&Play or pause", "Space", transport.toggle),
            ("Play &backwards", "J", lambda: transport.faster(-1)),
            ("&Rest", "K", lambda: transport.set_shuttle(0)),
            ("Play &forwards", "L", lambda: transport.faster(1)),
            ("One frame bac&k", "Left", lambda: transport.step(-1)),
            ("One frame &on", "Right", lambda: transport.step(1)),
            ("One second ba&ck", "Shift+Left", lambda: transport.step_seconds(-1)),
            ("One secon&d on", "Shift+Right", lambda: transport.step_seconds(1)),
            ("To the ed&ge before", "Up", lambda: window.commands.go_to_edge(-1)),
            ("To the edge &after", "Down", lambda: window.commands.go_to_edge(1)),
            ("To the b&eginning", "Home", lambda: document.move_playhead(Fraction(0))),
            ("To the e&nd", "End", lambda: document.move_playhead(Fraction(10**9))),
            ("&Loop", "Ctrl+L", pictures.bar.loop_button.toggle),
            ("Loop the &selection", "Shift+L", pictures.loop_selection),
            ("The ne&xt Check", "Ctrl+K", pictures.checks.show_next),
            ("Re&view all Checks", "Ctrl+Shift+K", window.show_checks),
            ("Loop the nearest &joint", "Shift+J", pictures.loop_joint),
            ("&Make first, then play", "Shift+P", pictures.bar.first_button.toggle),
            ("Play fe&wer frames where they come late", "Shift+K", pictures.bar.fewer_button.toggle),
            ("&Tap a beat", "T", lambda: window.commands.tap_beat(transport.heard_at)),
        )
        self.proxies = ProxyMenu(document, window.proxies, menu)
        menu.addMenu(self.proxies)
        self._add(menu, "Make these pict&ures again", "Ctrl+Shift+U", window.preview.make_anew)
        scrubbing = self._add(menu, "&Hear while scrubbing", "Shift+S", lambda: None)
        scrubbing.setCheckable(True)
        scrubbing.setChecked(window.player.scrubs)
        scrubbing.toggled.connect(window.player.set_scrubs)

    def offer_passer(self, shot: int, moment: tuple[float, float], at: QPoint) -> None:
        """Offer what can be done about one passer-by, or about all of the shot."""
        commands, menu = self._window.commands, QMenu(self._window)
        menu.addSection(f"Passer-by at {format_time(moment[0], 1)}")
        entries: tuple[tuple[str, PassersBy | None], ...] = (
            ("&Leave", PassersBy.LEAVE),
            ("&Skip: neighbouring frames serve", PassersBy.SKIP),
            ("&Clear: the median around it", PassersBy.CLEAR),
            ("As &all of this shot", None),
        )
        now = self._window.document.project.shots[shot].handles_passer_by(*moment)
        for text, wish in entries:
            action = menu.addAction(text)
            action.setCheckable(wish is not None)
            action.setChecked(wish is now)
            action.triggered.connect(lambda _, wish=wish: commands.set_passer_by(shot, moment, wish))
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(at)

    def _offer_passer_here(self) -> None:
        """The same about the passer-by at the playhead."""
        weave = self._window.weave
        found = weave.passer_at_playhead()
        if found is not None:
            self.offer_passer(*found, weave.mapToGlobal(QPoint(40, 40)))

    def _add_for_shots(self, menu: QMenu, *entries: Entry) -> None:
        """Entries that make sense only where there is a shot."""
        self._for_shots += [self._add(menu, *entry) for entry in entries]

    def _add(
        self, menu: QMenu, text: str, keys: str | QKeySequence.StandardKey, act: Callable[[], object]
    ) -> QAction:
        action = QAction(text, self._window)
        action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _checked: act())
        menu.addAction(action)
        self._window.addAction(action)  # so that its keys work where the menus are hidden, in full screen
        return action
