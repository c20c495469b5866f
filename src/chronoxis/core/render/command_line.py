"""The command that does an export: the very one a person could type."""

import sys
from pathlib import Path

from chronoxis.core.model.project import Project


def condense_command(project: Project, output: Path, *, overwrite: bool) -> list[str]:
    """Program and arguments that export a project's result, with progress as JSON lines."""
    shot, settings = project.expect_shot(), project.settings
    command = [sys.executable, "-m", "chronoxis.cli", "condense", str(shot.footage.path), "-o", str(output)]
    command += ["--from", str(shot.in_point), "--to", str(shot.out_point), "--speed", str(shot.speed)]
    command += ["--fps", str(project.rate), "--each", str(shot.each), "--shutter", repr(shot.shutter)]
    command += ["--size", str(settings.size), "--quality", str(int(settings.quality))]
    command += ["--sound", "keep" if settings.sound else "none", "--progress", "json"]
    command += ["--stretch"] if settings.size.stretch else []
    return [*command, "--overwrite"] if overwrite else command
