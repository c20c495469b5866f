"""The page *What happens*: a pace that follows what was measured, shown before it is taken."""

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QVBoxLayout

from chronoxis.app.bench.number_field import NumberField
from chronoxis.app.bench.outcome import Outcome
from chronoxis.app.bench.page import Page, label_for, line
from chronoxis.app.document.document import Document
from chronoxis.app.measuring.added_courses import AddedCourses
from chronoxis.app.measuring.found_lulls import FoundLulls, Known
from chronoxis.app.measuring.proposed_pace import ProposedPace
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import TextLabel
from chronoxis.app.theme.theme import font
from chronoxis.core.errors import PlanError
from chronoxis.core.model import follow_acts
from chronoxis.core.model.follow_acts import CoursesOf
from chronoxis.core.model.project import Project
from chronoxis.core.timing.following import Following, FollowWish
from chronoxis.core.timing.lulls import Course
from chronoxis.core.timing.speed import format_speed, parse_speed
from chronoxis.core.timing.timecode import format_time, parse_time

_FOLLOWED = (
    ("motion", "&motion", "Slow where much moves in the picture, fast where little does"),
    ("change", "chan&ge", "Slow where some part of the picture changes, however small"),
    ("level", "lo&udness", "Slow where it is loud"),
    ("speech", "spee&ch", "Slow where somebody speaks"),
)
_USUAL_RANGE = 4  # times slower and faster than now, where nothing is entered
_USUAL = FollowWish(1, 1, 1)
_USUAL_REACTION = Fraction(_USUAL.reaction)
_LEAST_PASSAGES, _MOST_PASSAGES = 2, 5000


@dataclass(frozen=True, eq=False)
class FollowAct:
    """A pace that is to follow something.

    Attributes:
        project: as it is.
        courses: what is followed.
        wish: how.
        label: of the step of undo.
    """

    project: Project
    courses: CoursesOf
    wish: FollowWish
    label: str = "Pace by what happens"

    def __eq__(self, other: object) -> bool:
        """Whether it is the same of the same project; courses are the same if they are one object."""
        return (
            isinstance(other, FollowAct)
            and (self.project, self.wish) == (other.project, other.wish)
            and self._courses_in_order() == other._courses_in_order()
        )

    __hash__ = None  # type: ignore[assignment]

    def _courses_in_order(self) -> list[tuple[int, list[int]]]:
        return [(number, [id(course) for course in courses]) for number, courses in self.courses.items()]

    @cached_property
    def following(self) -> Following:
        """The pace, before it is fitted exactly. Raises PlanError."""
        return follow_acts.followed(self.project, self.courses, self.wish)

    def done(self) -> Project:
        """The project with it. Raises PlanError."""
        _ = self.following
        return follow_acts.follow(self.project, self.courses, self.wish)


class HappeningPage(Page):
    """Proposes a pace for the selected shots, and takes it in one step."""

    def __init__(
        self, document: Document, found: FoundLulls, added: AddedCourses, proposed: ProposedPace
    ) -> None:
        super().__init__(document)
        self._found, self._added, self._proposed = found, added, proposed
        self._is_shown = False
        self._outcome = Outcome(document, "pace by what happens")
        self._outcome.changed.connect(self._tell)
        self.follows: dict[str, QCheckBox] = {}
        for key, text, tip in (*_FOLLOWED, *added.offered):
            self.follows[key] = QCheckBox(text)
            self.follows[key].setToolTip(tip)
            self.follows[key].toggled.connect(self._ask)
        self.follows["motion"].setChecked(True)
        self.slowest = self._field("Slowest speed", "No slower than this, such as 2×")
        self.fastest = self._field("Fastest speed", "No faster than this, such as 40×")
        self.length = self._field("Result length", "What the selected shots last together, exactly")
        self.reaction = self._field("Reaction", "Recorded time in which the speed may change altogether")
        self.most = self._field(
            "Passages at most", "So many passages of it at most; for fewer, the pace reacts more slowly"
        )
        self.reaction.setText(f"{_USUAL.reaction:g} s")
        self.most.setText(str(_USUAL.most))
        self.said = TextLabel()
        self.said.setFont(font(11.5, 600))
        self.said.setWordWrap(True)
        self.do = push_button("Take &it", "Make passages with ramps of the curve that is shown dashed")
        self.do.setProperty("main", True)
        self.do.clicked.connect(self._outcome.press)
        self._lay_out()
        found.changed.connect(self._ask)
        added.changed.connect(self._ask)

    def close_workers(self) -> None:
        """Stop the work in the background."""
        self._outcome.close()

    def drop(self) -> None:
        """Propose nothing: another page is shown."""
        if self._is_shown:
            self._is_shown = False
            self._outcome.forget()
            self._proposed.drop()
            self._added.want(())

    def _field(self, name: str, tip: str) -> NumberField:
        field = NumberField(name, tip, 68)
        field.textEdited.connect(self._ask)
        return field

    def _lay_out(self) -> None:
        rows, boxes = QVBoxLayout(self), QGridLayout()
        rows.setContentsMargins(0, 4, 0, 0)
        rows.setSpacing(6)
        about = TextLabel("Fast where little happens, slow where much does, by")
        about.setProperty("dim", True)
        rows.addWidget(about)
        for number, box in enumerate(self.follows.values()):
            boxes.addWidget(box, number // 2, number % 2)
        boxes.setColumnStretch(2, 1)
        boxes.setHorizontalSpacing(24)
        rows.addLayout(boxes)
        rows.addWidget(line())
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        cells = (
            (
                label_for("Slo&west", self.slowest),
                self.slowest,
                label_for("fas&test", self.fastest),
                self.fastest,
            ),
            (
                label_for("L&asts", self.length),
                self.length,
                label_for("m&ost passages", self.most),
                self.most,
            ),
            (label_for("Cha&nges within", self.reaction), self.reaction),
        )
        for row_number, parts in enumerate(cells):
            for column, part in enumerate(parts):
                grid.addWidget(part, row_number, column)
        grid.setColumnStretch(4, 1)
        rows.addLayout(grid)
        rows.addWidget(line())
        last = QHBoxLayout()
        last.addWidget(self.said, 1)
        last.addWidget(self.do)
        rows.addLayout(last)
        rows.addStretch()

    def show_project(self) -> None:
        """Show what is usual where nothing is entered, and propose a pace."""
        self._is_shown = True
        self._ask()

    def _usual(self, project: Project, shots: list[int]) -> tuple[Fraction, Fraction, Fraction]:
        """Slowest and fastest speed, and length, where nothing is entered."""
        lasting = sum((project.shots[n].pace.result_length for n in shots), Fraction(0))
        recorded = sum((project.shots[n].recorded_length for n in shots), Fraction(0))
        speed = (recorded / lasting).limit_denominator(100)
        return speed / _USUAL_RANGE, speed * _USUAL_RANGE, lasting

    def _ask(self, *_: object) -> None:
        """Have a pace worked out as things stand."""
        project, shots = self._document.project, self._document.selection.shots
        if not self._is_shown or not project.shots or not shots:
            return
        usual = self._usual(project, shots)
        for field, number in zip((self.slowest, self.fastest), usual, strict=False):
            field.setPlaceholderText(format_speed(number))
        self.length.setPlaceholderText(format_time(usual[2], 2))
        known = {number: self._found.known(project.footage_of(project.shots[number])) for number in shots}
        chosen = [key for key, box in self.follows.items() if box.isChecked()]
        self._added.want(chosen)
        courses = {number: self._courses_of(project, number, known[number], chosen) for number in shots}
        try:
            self._outcome.ask(FollowAct(project, _courses(known, courses), self._wish(usual)))
        except PlanError as error:
            self._outcome.forget(str(error))

    def _courses_of(
        self, project: Project, number: int, known: Known, chosen: list[str]
    ) -> dict[str, Course | None]:
        """What is to be followed in a shot, by key; None of what is not there, or not measured yet."""
        footage = project.footage_of(project.shots[number])
        own = {key for key, _, _ in _FOLLOWED}
        return {
            key: getattr(known, key) if key in own else self._added.course(footage, key) for key in chosen
        }

    def _wish(self, usual: tuple[Fraction, Fraction, Fraction]) -> FollowWish:
        """What the fields wish. Raises PlanError: they mean nothing."""
        given = [field.text().strip() for field in (self.slowest, self.fastest, self.length)]
        slowest = parse_speed(given[0]) if given[0] else usual[0]
        fastest = parse_speed(given[1]) if given[1] else usual[1]
        length = parse_time(given[2]) if given[2] else usual[2]
        reaction = parse_time(self.reaction.text()) if self.reaction.text().strip() else _USUAL_REACTION
        if not reaction:
            raise PlanError("The speed needs some time to change in, such as 2 s.")
        most = self.most.text().strip()
        if not most.isdecimal() or not _LEAST_PASSAGES <= int(most) <= _MOST_PASSAGES:
            raise PlanError(f"Passages are {_LEAST_PASSAGES} to {_MOST_PASSAGES}, such as 300.")
        return FollowWish(float(slowest), float(fastest), float(length), float(reaction), int(most))

    def _tell(self) -> None:
        """Show what is proposed, and say what comes of it."""
        act, why = self._outcome.act, self._outcome.why
        self.do.setEnabled(not why)
        self.refused.emit(why)
        if why or not isinstance(act, FollowAct) or self._outcome.made is None:
            self._proposed.drop()
            self.said.setText("")
            return
        following = act.following
        self._proposed.propose(act.project, sorted(act.courses), following)
        speeds = [
            float(speed) for pace in following.paces for speed in (pace.speeds.min(), pace.speeds.max())
        ]
        passages = sum(len(laid.speeds) for laid in following.laid)
        text = f"{passages} passages · {_short(min(speeds))} to {_short(max(speeds))}"
        if following.reaction > act.wish.reaction:
            text += f" · changes within {following.reaction:.2g} s, so that these suffice"
        self.said.setText(text)


def _courses(known: dict[int, Known], wanted: dict[int, dict[str, Course | None]]) -> CoursesOf:
    """What is followed, by shot. Raises PlanError: some of it is not there, or not measured yet."""
    if not any(wanted.values()):
        raise PlanError("Choose something that the pace is to follow.")
    courses: dict[int, list[Course]] = {}
    for number, of_shot in known.items():
        for key, course in wanted[number].items():
            there = of_shot.has_sound if key in ("level", "speech") else of_shot.has_pictures
            if course is None:
                raise PlanError(
                    "Still listening and looking; the pace is proposed as soon as that is done."
                    if there
                    else f"There is nothing of that in shot {number + 1}; choose something else."
                )
            courses.setdefault(number, []).append(course)
    return courses


def _short(speed: float) -> str:
    return format_speed(Fraction(f"{speed:.2g}"))
