"""What stands in the queue of exports."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Any

from chronoxis.core.cluster.machines import Machines


class JobState(StrEnum):
    """How an export stands."""

    WAITING = "waiting"
    UNDER_WAY = "under way"
    PAUSED = "paused"
    DONE = "done"
    FAILED = "failed"


@dataclass(frozen=True)
class Job:
    """An export in the queue.

    Attributes:
        id: its number, which stays.
        state: how it stands.
        why: it is paused or failed, or what a person should know of it meanwhile; nothing otherwise.
        name: of the project, or of what is condensed.
        output: the file, the folder or the pattern that it writes.
        overwrite: whether what has that name may be replaced.
        total: result frames; 0 until they are planned.
        done: result frames that are made.
        rate: result frames a second, lately.
        seconds_left: at that rate; None where it is not known.
        needs: bytes that have to be free where it writes before it can go on; 0 if it waits for none.
        tries: how often it was begun since a frame of it was made last.
        outcome: what came out, as `chronoxis render --progress json` tells it.
        expected: seconds that it was expected to take, before it was begun; None where nobody knew.
        picture: a small one of it, as JPEG; nothing until it was begun.
        machines: which ones make it; None for this one alone.
    """

    id: int
    state: JobState
    why: str
    name: str
    output: Path
    overwrite: bool
    total: int = 0
    done: int = 0
    rate: float = 0.0
    seconds_left: float | None = None
    needs: int = 0
    tries: int = 0
    outcome: Mapping[str, Any] = field(default_factory=dict)
    expected: float | None = None
    picture: bytes = b""
    machines: Machines | None = None

    @property
    def is_open(self) -> bool:
        """Whether something is still to be done for it."""
        return self.state in (JobState.WAITING, JobState.UNDER_WAY, JobState.PAUSED)

    @property
    def goes_on(self) -> bool:
        """Whether it is worked at, or will be without anybody doing anything."""
        return self.state in (JobState.WAITING, JobState.UNDER_WAY) or bool(self.needs)


def seconds_left(jobs: Iterable[Job]) -> float | None:
    """Until all of some jobs that go on are done; None where nobody knows of one of them."""
    found = [
        job.seconds_left if job.state is JobState.UNDER_WAY else job.expected for job in jobs if job.goes_on
    ]
    return sum(found) if None not in found else None  # type: ignore[arg-type]
