"""Writing a result into a file, with what the options say of it."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from chronoxis.cli.reporting import reporting
from chronoxis.core.files.outputs import check_output
from chronoxis.core.model.export_formats import format_of
from chronoxis.core.model.project import Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.render.export import export, protected_files
from chronoxis.core.render.plan import Plan


def write_result(
    source: Path,
    options: dict[str, Any],
    begin: Callable[[], Project],
    planned: Callable[[Project], Plan],
) -> None:
    """Write a file from a source; what the options do not say is as the project has it."""
    output, overwrite = options["output"], options["overwrite"]
    _refuse_idle(options)
    with reporting(options["progress"]) as report:
        check_output(output, protects=[source], overwrite=overwrite)
        project = begin()
        check_output(output, protects=protected_files(project), overwrite=overwrite)
        saved, wish = project.settings, options["size"]
        settings = ResultSettings(
            format_of(output),
            replace(wish, stretch=options["stretch"]) if wish is not None else saved.size,
            options["quality"] or saved.quality,
            saved.sound if options["sound"] is None else options["sound"] == "keep",
        )
        plan = planned(replace(project, settings=settings))
        report.begin(len(plan.schedule), plan.remark)
        done = export(
            plan,
            output,
            overwrite=overwrite,
            progress=report.progress,
            check=report.check,
        )
        report.done(done)


def _refuse_idle(options: dict[str, Any]) -> None:
    """Raises UsageError for options that would have no effect."""
    if options["stretch"] and (options["size"] is None or options["size"].width is None):
        raise click.UsageError("--stretch fills a --size of width and height, such as 1280x720.")
    if options["quality"] is not None and format_of(options["output"]).lossless:
        raise click.UsageError(f"--quality has no effect on {options['output'].suffix} files: all is kept.")
