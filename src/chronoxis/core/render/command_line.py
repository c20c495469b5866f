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
    command += ["--format", settings.format.key]
    command += ["--quality", str(int(settings.quality))] if settings.format.has_quality else []
    command += ["--bitrate", str(settings.bitrate)] if settings.bitrate is not None else []
    command += ["--at-most", str(settings.at_most / 1e6)] if settings.at_most is not None else []
    command += [] if settings.sound else ["--sound", "none"]
    command += ["--progress", "json"]
    command += ["--stretch"] if settings.size.stretch else []
    return [*command, "--overwrite"] if overwrite else command
