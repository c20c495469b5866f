"""The command that does an export: the very one a person could type."""

import sys
from pathlib import Path

from chronoxis.core.model.settings import ResultSettings


def render_command(
    project_file: Path, settings: ResultSettings, output: Path, *, overwrite: bool
) -> list[str]:
    """Program and arguments that export a saved project, with progress as JSON lines."""
    command = [sys.executable, "-m", "chronoxis.cli", "render", str(project_file), "-o", str(output)]
    command += ["--size", str(settings.size)]
    command += [] if settings.format.lossless else ["--quality", str(int(settings.quality))]
    command += ["--sound", "keep" if settings.sound else "none", "--progress", "json"]
    command += ["--stretch"] if settings.size.stretch else []
    return [*command, "--overwrite"] if overwrite else command
