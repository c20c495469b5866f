"""What can be done with joins and nested runs, by menu and key."""

from fractions import Fraction

from chronoxis.app.document.document import Document
from chronoxis.app.question_bar import QuestionBar
from chronoxis.core.model import joining, nesting
from chronoxis.core.model.nested import Nested
from chronoxis.core.model.project import Place, Project


class JoinCommands:
    """Turns a person's wish into edits of the document."""

    def __init__(self, document: Document, question: QuestionBar) -> None:
        self._document, self._question = document, question

    def toggle_surge(self) -> None:
        """Make Surges of the selected joins, or plain cuts if all of them are one."""
        document, joins = self._document, self._document.selection.joins
        if not joins:
            document.refused.emit("A Surge stands between two shots; there is only one yet.")
            return
        surging = all(document.project.shots[join].join.surge for join in joins)
        change = joining.drop_surges if surging else joining.make_surges
        document.apply("Plain cut" if surging else "Surge", lambda p: change(p, joins))

    def slide_cut(self, frames: int) -> None:
        """Move the selected cuts by so many result frames; all lasts as long."""
        joins = self._document.selection.joins

        def slid(project: Project) -> Project:
            for join in joins:
                project = joining.slide_cut(project, join, frames / project.rate)
            return project

        self._document.apply("Slide the cut", slid)

    def take_together(self) -> None:
        """Make one nested run of the selected shots, under a name that is asked for."""
        document, shots = self._document, self._document.selection.shots
        if not shots:
            document.refused.emit("Select the shots that should become one.")
            return
        if document.apply("Take together", lambda p: nesting.nest(p, shots)):
            place = shots[0]
            document.selection.select([Place(place, 0)])
            key = document.project.shots[place].footage
            name = document.project.footage_named(key).name
            self._question.ask_name(
                "What should the run be called?", name, lambda text: self.rename(key, text)
            )

    def rename(self, key: str, title: str) -> None:
        """Give a nested run another name."""

        def named(project: Project) -> Project:
            run = project.footage_named(key)
            return project.with_footage(run.titled(title)) if isinstance(run, Nested) else project

        self._document.apply("Name run", named)

    def open_run(self, key: str | None = None) -> None:
        """Go inside a nested run: that of a key, or of the selected shot."""
        document = self._document
        if key is None:
            shots = document.selection.shots
            key = document.project.shots[shots[0]].footage if shots else ""
        if not any(footage.key == key for footage in document.project.footage):
            document.refused.emit("Select a shot of a nested run to open it.")
            return
        if document.apply("Open run", lambda p: nesting.open_run(p, key)):
            self._begin_anew()

    def come_back(self) -> None:
        """Leave the run that is open."""
        if self._document.project.outside is None:
            self._document.refused.emit("No nested run is open.")
        elif self._document.apply("Come back", nesting.come_back):
            self._begin_anew()

    def dissolve(self) -> None:
        """Put the shots of a nested run in its place."""
        shots = self._document.selection.shots
        if shots and self._document.apply("Dissolve run", lambda p: nesting.dissolve(p, shots[0])):
            self._document.selection.select([Place(shots[0], 0)])

    def _begin_anew(self) -> None:
        self._document.selection.select([Place(0, 0)] if self._document.project.shots else [])
        self._document.move_playhead(Fraction(0))
