"""Chronoxis for other programs: footage, projects, plans, frames, traces, Checks and exports.

This module alone keeps to semantic versioning: what stands in ``__all__`` goes on working within a major
version. Everything else in the package may change with any release.

A recording into a time-lapse, in four lines:

    from chronoxis import api

    walk = api.Project.of("walk.mp4").with_speed("20x").with_way("long-exposure")
    api.export(api.plan(walk), "walk-20x.mp4")

Projects are values: each ``with_…`` gives another one, and leaves the first as it was. A `Plan` is what a
project comes to, to the frame; what is shown, listed and exported reads it.

Times are seconds, as numbers, `fractions.Fraction`, or text as a person writes it (``"1:30.5"``); speeds are
numbers or text (``"20x"``, ``"1/4x"``, ``"every 24th"``). All that goes wrong is a `ChronoxisError`, whose
message is one line for a person.
"""

from chronoxis.api.extending import Choice, Look, Number, Switch, Trace, Way, WayMaker, parameter
from chronoxis.api.findings import Finding, checks
from chronoxis.api.footage import Footage, open_footage
from chronoxis.api.measured import Beats, CameraMoves, Traces, beats, camera_moves, traces
from chronoxis.api.project import Project, presets
from chronoxis.api.result import Exported, Plan, Progress, export, frames, plan
from chronoxis.core.errors import (
    Cancelled,
    ChronoxisError,
    ExportError,
    FootageError,
    PlanError,
    ProjectFileError,
)
from chronoxis.core.extensions import ExtensionError

__all__ = [
    "Beats",
    "CameraMoves",
    "Cancelled",
    "Choice",
    "ChronoxisError",
    "ExportError",
    "Exported",
    "ExtensionError",
    "Finding",
    "Footage",
    "FootageError",
    "Look",
    "Number",
    "Plan",
    "PlanError",
    "Progress",
    "Project",
    "ProjectFileError",
    "Switch",
    "Trace",
    "Traces",
    "Way",
    "WayMaker",
    "beats",
    "camera_moves",
    "checks",
    "export",
    "frames",
    "open_footage",
    "parameter",
    "plan",
    "presets",
    "traces",
]
