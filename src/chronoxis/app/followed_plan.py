"""What is shown, played and heard of the document's plan."""

from collections.abc import Hashable

from PySide6.QtCore import QObject

from chronoxis.app.document.document import Document
from chronoxis.app.measuring.proxies import Proxies
from chronoxis.app.pictures.compared import Compared
from chronoxis.app.pictures.preview import Preview
from chronoxis.app.sound.sound_ahead import SoundAhead
from chronoxis.core.footage.reader_pool import ReaderPool
from chronoxis.core.render.plan import Plan


class FollowedPlan(QObject):
    """Has the preview and the sound follow the plan, with proxies where they serve.

    Frames are made anew only when something changed that shows in them.

    Attributes:
        played: the plan that pictures are made by, with proxies where they serve.
    """

    def __init__(
        self,
        document: Document,
        preview: Preview,
        compared: Compared,
        sound: SoundAhead,
        proxies: Proxies,
        readers: ReaderPool,
    ) -> None:
        super().__init__()
        self._document, self._preview, self._compared = document, preview, compared
        self._sound, self._proxies, self._readers = sound, proxies, readers
        self._followed: Plan | None = None
        self.played: Plan | None = None
        self._heard: Plan | None = None
        self._busy: set[Hashable] = set()  # who has use for the cores
        proxies.changed.connect(self._follow_proxies)
        compared.changed.connect(self._follow_heard)

    def follow_plan(self) -> None:
        """Follow the document's plan."""
        plan, before = self._document.plan, self._followed
        if plan is before:
            return
        same = plan is not None and before is not None and plan.looks_like(before)
        self._followed = plan
        if not same:
            self.played = None if plan is None else self._proxies.proxied_plan(plan)
            self._preview.follow(self.played)
            self._keep_readers()
        self._follow_heard()

    def hold_back(self, who: Hashable, on: bool) -> None:
        """Make pictures for what the playhead is about to need alone, while anybody has use for the cores."""
        (self._busy.add if on else self._busy.discard)(who)
        self._preview.hold_back(bool(self._busy))
        self._compared.hold_back(bool(self._busy))

    def _follow_heard(self) -> None:
        """Hear the present result, or the trial that was chosen for that."""
        heard = self._compared.heard_plan or self._followed
        if heard is not self._heard:
            self._heard = heard
            self._sound.follow(heard)

    def _follow_proxies(self) -> None:
        """Play from proxies that were made meanwhile."""
        plan = self._followed
        played = None if plan is None else self._proxies.proxied_plan(plan)
        if played is not None and self.played is not None and played.sources != self.played.sources:
            self.played = played
            self._preview.exchange(played)
            self._keep_readers()

    def _keep_readers(self) -> None:
        plans = (self._followed, self.played, *(each.plan for each in self._compared.beside))
        self._readers.keep_only([source for plan in plans if plan is not None for source in plan.sources])
