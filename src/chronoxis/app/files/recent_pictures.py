"""Keeps with what was used lately a small picture of it, and how long it is."""

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtGui import QImage

from chronoxis.app.document.document import Document
from chronoxis.app.files.disk_questions import DiskQuestions
from chronoxis.app.files.project_files import ProjectFiles
from chronoxis.app.files.recent_projects import Recent, remember
from chronoxis.app.footage.loading import Loading
from chronoxis.app.pictures.preview import Preview
from chronoxis.app.small_picture import small_picture
from chronoxis.core.footage.source import Facts
from chronoxis.core.model.photo_run import PhotoFiles

_PICTURE_HEIGHT = 90  # pixels


class RecentPictures(QObject):
    """Remembers footage when it is brought in, and a project by the first of its frames that is shown."""

    def __init__(
        self,
        document: Document,
        files: ProjectFiles,
        loading: Loading,
        preview: Preview,
        disk: DiskQuestions,
    ) -> None:
        super().__init__()
        self._document, self._files, self._preview, self._disk = document, files, preview, disk
        self._remembered: tuple[Path, float] | None = None
        loading.brought_in.connect(self._remember_footage)
        preview.ready.connect(self._remember_project)
        files.changed.connect(self._remember_project)

    def _remember_footage(self, facts: Facts, picture: QImage) -> None:
        origin = facts.origin
        place = origin.folder if isinstance(origin, PhotoFiles) else origin
        if isinstance(place, Path):
            recent = Recent(
                place, length=float(facts.length), picture=small_picture(picture, _PICTURE_HEIGHT)
            )
            self._disk.ask(lambda: remember(recent), lambda _: None)

    def _remember_project(self) -> None:
        """Once for a file and a length: what is shown of it later is no better."""
        path, project, plan = self._files.path, self._document.project, self._document.plan
        if path is None or self._document.is_modified or plan is None or project.outside is not None:
            return
        if plan.project is not project or not plan.is_whole:  # a picture of another one, or a dark one
            return
        length = float(project.result_length)
        if self._remembered == (path, length):
            return
        image = self._preview.image(self._document.result_frame)
        if image is None:
            return
        self._remembered = path, length
        recent = Recent(path, length=length, picture=small_picture(image, _PICTURE_HEIGHT))
        self._disk.ask(lambda: remember(recent), lambda _: None)
