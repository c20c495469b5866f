"""What can go wrong, in words a practitioner understands: what, which file, where in it, what to do."""


class ChronoxisError(Exception):
    """Base of every error that is shown to a person as it stands, in one line."""


class FootageError(ChronoxisError):
    """A recording cannot be opened, indexed or decoded."""


class PlanError(ChronoxisError):
    """A wish about time that contradicts itself or the recording."""


class ProjectFileError(ChronoxisError):
    """A project or timeline file cannot be read."""


class ExportError(ChronoxisError):
    """A file cannot be written."""


class AlteredError(ExportError):
    """A file was written by somebody else since it was read; nothing was written over it."""


class Cancelled(Exception):  # noqa: N818 - a request that was honoured, not a failure
    """Work was stopped because somebody asked for it."""
