"""Telling a person that an export has ended, by the desktop's own means where it has some."""

from typing import Protocol

from PySide6.QtDBus import QDBusConnection, QDBusMessage

from chronoxis.core.queue.jobs import Job, JobState
from chronoxis.core.timing.timecode import format_time

# The portal's ways, for its arguments are plain: that of the older service wants numbers without a sign.
_SERVICE, _PATH = "org.freedesktop.portal.Desktop", "/org/freedesktop/portal/desktop"
_INTERFACE = "org.freedesktop.portal.Notification"


class Notifications(Protocol):
    """Tells a person something, wherever they are."""

    def tell(self, title: str, words: str) -> None:
        """Show a title and some words, without waiting for anything."""


class DesktopNotifications:
    """Those of the desktop portal that freedesktop.org specifies; nothing where the desktop has none."""

    def tell(self, title: str, words: str) -> None:
        """Show a title and some words, without waiting for anything."""
        bus = QDBusConnection.sessionBus()
        if not bus.isConnected():
            return
        message = QDBusMessage.createMethodCall(_SERVICE, _PATH, _INTERFACE, "AddNotification")
        message.setArguments(["chronoxis-export", {"title": title, "body": words}])
        bus.send(message)


def end_in_words(job: Job) -> tuple[str, str]:
    """A title and some words on an export that is done, or has failed."""
    if job.state is JobState.DONE:
        length = format_time(float(job.outcome["length"]), 2)
        return f"{job.output.name} is done", f"{job.total:,} frames, {length}, in {job.output.parent}"
    return f"{job.output.name} was not exported", job.why
