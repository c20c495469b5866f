"""Writing a result into a file, with what the options say of it."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from chronoxis.cli.reporting import reporting
from chronoxis.core.model.export_formats import format_of
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings, SizeWish
from chronoxis.core.render.export import check_output, export
from chronoxis.core.render.plan import Plan


def write_result(
    options: dict[str, Any], begin: Callable[[], Project], planned: Callable[[Project], Plan]
) -> None:
    """Write a file; what the options do not say is as the project has it."""
    output = options["output"]
    with reporting(options["progress"]) as report:
        project = begin()
        saved, wish = project.settings, options["size"]
        settings = ResultSettings(
            format_of(output),
            SizeWish.parse(wish, stretch=options["stretch"]) if wish is not None else saved.size,
            options["quality"] or saved.quality,
            saved.sound if options["sound"] is None else options["sound"] == "keep",
        )
        plan = planned(replace(project, settings=settings))
        check_output(plan, output, overwrite=options["overwrite"])
        report.begin(len(plan.schedule))
        report.done(export(plan, output, overwrite=options["overwrite"], progress=report.progress))
