"""What can be done with the selection and at the playhead, by menu, key and context menu."""

from collections.abc import Iterable
from fractions import Fraction
from math import ceil

from chronoxis.app.document.document import Document
from chronoxis.app.question_bar import QuestionBar
from chronoxis.core.errors import PlanError
from chronoxis.core.model import arranging, correcting, pacing, sounding
from chronoxis.core.model.beats import turns, with_tap
from chronoxis.core.model.marker import Marker
from chronoxis.core.model.music import Music
from chronoxis.core.model.pacing import CopiedPace
from chronoxis.core.model.playing import place_at, played_at, result_span, result_time_of
from chronoxis.core.model.project import Place, Project
from chronoxis.core.timing.frame_making import PassersBy
from chronoxis.core.timing.reckoner import Quantity
from chronoxis.core.timing.speed import MAX_SPEED, MIN_SPEED
from chronoxis.core.timing.timecode import format_time

_NUDGE = Fraction(11, 10)
_RAMP_STEP = Fraction(1, 10)


class Commands:
    """Turns a person's wish into edits of the document."""

    def __init__(self, document: Document) -> None:
        self._document = document
        self._pace: CopiedPace | None = None

    def set_point(self, *, begin: bool) -> None:
        """Set the in or out point of the shot under the playhead there."""
        document, plan = self._document, self._document.planner.made_now()
        if plan is None:
            return
        number = int(plan.schedule.shots[document.result_frame])
        shot = document.project.shots[number]
        scale = document.project.footage_of(shot).scale
        frames, _ = plan.schedule.sources(document.result_frame)
        source = plan.sources[number]
        if begin:
            points = source.begins(int(frames[0])) * scale, shot.out_point
        else:
            points = shot.in_point, source.begins(int(frames[-1]) + 1) * scale
        label = "Set in point" if begin else "Set out point"
        start = document.project.starts[number]
        if document.apply(label, lambda project: arranging.set_points(project, number, *points)):
            last = document.project.starts[number + 1] - 1 / document.project.rate
            document.move_playhead(start if begin != shot.backwards else last)

    def set_passer_by(self, shot: int, moment: tuple[float, float], wish: PassersBy | None) -> None:
        """Choose what is done about one passer-by; None leaves it to what all of the shot have."""
        span = Fraction(moment[0]), Fraction(moment[1])
        self._document.apply("Passer-by", lambda p: correcting.set_passer_by(p, shot, span, wish))

    def use_all(self) -> None:
        """Open the selected shots up to all of their recordings."""

        def opened(project: Project) -> Project:
            for number in self._document.selection.shots:
                length = project.footage_of(project.shots[number]).length
                project = arranging.set_points(project, number, Fraction(0), length)
            return project

        self._document.apply("Use all", opened)

    def divide(self) -> None:
        """Divide the passage under the playhead there."""
        number, covered = self._at_playhead()
        if self._document.apply("Divide passage", lambda p: pacing.divide(p, number, covered)):
            self._document.selection.select(
                [place_at(self._document.project, float(self._document.playhead) + 1e-6)]
            )

    def merge(self) -> None:
        """Make one passage of the selected ones."""
        places = self._document.selection.in_order
        if self._document.apply("Merge passages", lambda p: pacing.merge(p, places)):
            self._document.selection.select(places[:1])

    def cut(self) -> None:
        """Make two shots of the one under the playhead."""
        number, covered = self._at_playhead()
        self._document.apply("Cut shot", lambda p: arranging.cut_shot(p, number, covered))

    def reverse(self) -> None:
        """Play the selected shots the other way."""
        shots = self._document.selection.shots
        self._document.apply("Reverse", lambda p: arranging.reverse(p, shots))

    def move_shot(self, by: int) -> None:
        """Move the selected shot earlier or later."""
        shots = self._document.selection.shots
        if len(shots) != 1:
            self._document.refused.emit("Select one shot to move it.")
            return
        to = min(max(shots[0] + by, 0), len(self._document.project.shots) - 1)
        if self._document.apply("Move shot", lambda p: arranging.move_shot(p, shots[0], to)):
            passages = len(self._document.project.shots[to].passages)
            self._document.selection.select(Place(to, n) for n in range(passages))

    def duplicate(self) -> None:
        """Put a copy of each selected shot behind it."""
        shots = self._document.selection.shots
        self._document.apply("Duplicate", lambda p: arranging.duplicate(p, shots))

    def delete(self) -> None:
        """Take the selected shots out of the result."""
        shots = self._document.selection.shots
        self._document.apply("Delete", lambda p: arranging.delete_shots(p, shots))

    def copy_pace(self) -> None:
        """Take up the pace of the selected shot."""
        if shots := self._document.selection.shots:
            self._pace = pacing.copy_pace(self._document.project, shots[0])

    def paste_pace(self) -> None:
        """Give the selected shots the pace that was taken up."""
        pace, shots = self._pace, self._document.selection.shots
        if pace is None:
            self._document.refused.emit("Copy the pace of a shot first.")
            return
        self._document.apply("Paste pace", lambda p: pacing.paste_pace(p, shots, pace))

    def nudge_speed(self, direction: int) -> None:
        """Make the selected passages a tenth faster or slower."""
        factor = _NUDGE**direction

        def nudged(project: Project) -> Project:
            for place in self._document.selection.places:
                speed = (project.passage(place).speed * factor).limit_denominator(10_000)
                project = pacing.set_speed(project, [place], min(max(speed, MIN_SPEED), MAX_SPEED))
            return project

        self._document.apply("Change speed", nudged)

    def nudge_ramps(self, direction: int) -> None:
        """Make the ramps at the ends of the selected passages a tenth of a second longer or shorter."""

        def nudged(project: Project) -> Project:
            for joint in self._selected_joints():
                length = max(project.passage(joint).ramp.length + direction * _RAMP_STEP, Fraction(0))
                project = pacing.set_ramps(project, [joint], length=length)
            return project

        self._document.apply("Change ramp", nudged)

    def hold_speed(self) -> None:
        """Hold the selected passages' speeds, or let go of them if all are held."""
        places = self._document.selection.places
        project = self._document.project
        held = all(Quantity.SPEED in project.passage(place).held for place in places)
        self._document.apply(
            "Let go" if held else "Hold", lambda p: pacing.set_held(p, places, Quantity.SPEED, not held)
        )

    def select_all(self) -> None:
        """Select every passage."""
        self._document.selection.select(self._document.project.places())

    def select_next(self, by: int, *, add: bool = False) -> None:
        """Select the next or previous passage, alone or as well, and go there."""
        document = self._document
        places = document.project.places()
        if not places:
            return
        chosen = [places.index(place) for place in document.selection.places if place in places] or [0]
        number = min(max((max(chosen) if by > 0 else min(chosen)) + by, 0), len(places) - 1)
        document.selection.select([*document.selection.places, places[number]] if add else [places[number]])
        document.move_playhead(Fraction(result_span(document.project, places[number])[0] + 1e-6))

    def go_to_edge(self, by: int) -> None:
        """Put the playhead on the next or previous joint, cut or mark."""
        document, project = self._document, self._document.project
        edges = [*project.rows.begins.tolist(), float(project.result_length)]
        edges += [float(mark.at) for mark in project.markers]
        for number, shot in enumerate(project.shots):
            low, high = shot.span
            marks = [float(mark.at) for mark in project.footage_of(shot).markers]
            edges += [result_time_of(project, number, at) for at in marks if low <= at <= high]
        here, near = float(document.playhead), float(1 / project.rate) * 0.99
        beyond = [edge for edge in edges if (edge - here) * by > near]
        if beyond:
            # The first frame that opens there or after it.
            edge = min(beyond) if by > 0 else max(beyond)
            document.move_playhead(ceil(edge * float(project.rate) - 1e-6) / project.rate)

    def mark_result(self) -> None:
        """Mark the result at the playhead, or remove the mark that is there."""
        at = self._document.playhead
        there = any(marker.at == at for marker in self._document.project.markers)
        name = f"M{len(self._document.project.markers) + 1}"
        self._toggle_marker(None, at, name, there)

    def mark_recording(self) -> None:
        """Mark the recording at what plays at the playhead, or remove the mark that is there."""
        project = self._document.project
        if not project.shots:
            return
        number, covered = self._at_playhead()
        footage = project.footage_of(project.shots[number])
        at = project.shots[number].recorded_time(covered)
        there = any(marker.at == at for marker in footage.markers)
        self._toggle_marker(footage.key, at, f"R{len(footage.markers) + 1}", there)

    def nearest_marker(self) -> tuple[str | None, Marker] | None:
        """The mark nearest to the playhead, of the result (no key) or of the recording that plays."""
        project, here = self._document.project, float(self._document.playhead)
        if not project.shots:
            return None
        played = played_at(project, [here])
        footage = project.footage_of(project.shots[int(played.shots[0])])
        moment, speed = float(played.recorded[0]), float(played.speeds[0])
        near: list[tuple[float, str | None, Marker]] = [
            (abs(float(mark.at) - here), None, mark) for mark in project.markers
        ]
        near += [(abs(float(mark.at) - moment) / speed, footage.key, mark) for mark in footage.markers]
        if not near:
            return None
        _, key, marker = min(near, key=lambda each: each[0])
        return key, marker

    def ask_marker_name(self, question: QuestionBar) -> None:
        """Ask for the name of the mark nearest to the playhead."""
        found, document = self.nearest_marker(), self._document
        if found is None:
            document.refused.emit(
                "There is no mark yet: M marks the result at the playhead, Shift+M the recording."
            )
            return
        key, marker = found
        where = document.project.footage_named(key).name if key else "the result"
        question.ask_name(
            f"What happens at {format_time(marker.at, 2)} of {where}?",
            marker.name,
            lambda name: self.rename_marker(key, marker.at, name),
        )

    def tap_beat(self, result_seconds: float) -> None:
        """Put a beat of the music that plays at a result second there."""
        project = self._document.project
        for piece in sorted(project.music, key=lambda piece: piece.at, reverse=True):
            footage = project.footage_named(piece.footage)
            for begin, end, source in turns(piece, footage.stored_length, project.result_length):
                if begin <= result_seconds < end and isinstance(footage, Music):
                    self._tap(footage, result_seconds - begin + source)
                    return
        self._document.refused.emit("No music plays here; lay some under the result to tap along with it.")

    def _tap(self, music: Music, seconds: float) -> None:
        beats = with_tap(music.beats, Fraction(round(seconds * 1000), 1000))
        self._document.apply("Tap beats", lambda p: sounding.set_beats(p, music.key, beats))

    def rename_marker(self, key: str | None, at: Fraction, name: str) -> None:
        """Give a mark of a recording, or of the result, another name."""
        self._document.apply("Name marker", lambda p: arranging.add_marker(p, key, at, name))

    def _toggle_marker(self, key: str | None, at: Fraction, name: str, there: bool) -> None:
        if there:
            self._document.apply("Delete marker", lambda p: arranging.delete_marker(p, key, at))
        else:
            self._document.apply("Add marker", lambda p: arranging.add_marker(p, key, at, name))

    def _selected_joints(self) -> Iterable[Place]:
        project = self._document.project
        joints = {
            Place(place.shot, passage)
            for place in self._document.selection.places
            for passage in (place.passage - 1, place.passage)
        }
        return sorted(p for p in joints if 0 <= p.passage < len(project.shots[p.shot].passages) - 1)

    def _at_playhead(self) -> tuple[int, Fraction]:
        """The shot under the playhead, and how much of it has played: to a whole recorded frame."""
        project = self._document.project
        if not project.shots:
            raise PlanError("There is no shot yet; open a recording first.")
        played = played_at(project, [float(self._document.playhead)])
        number = int(played.shots[0])
        shot = project.shots[number]
        moment = self._document.known.frame_time(project.footage_of(shot), float(played.recorded[0]))
        return number, shot.covered(moment)
