"""One preset in the list: what it is for, and what can be done with it."""

from PySide6.QtGui import QImage
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout

from chronoxis.app.picture_card import PictureCard
from chronoxis.app.push_button import push_button
from chronoxis.app.text_label import plain_tip
from chronoxis.core.files.presets import KeptPreset
from chronoxis.core.model.preset_words import PART_NAMES, in_words


class PresetRow(PictureCard):
    """Its picture, name and purpose, and a button for each act.

    Attributes:
        kept: the preset.
        apply: gives it to shots.
        write: writes it into a file; None of one that ships.
        rename: gives it another name; None likewise.
        remove: takes it away; None likewise.
    """

    def __init__(self, kept: KeptPreset) -> None:
        super().__init__()
        self.kept = kept
        preset = kept.preset
        self._name.show_text(preset.name)
        self._facts.show_text(preset.about or ("Yours" if kept.is_own else ""))
        self._picture.show_image(QImage.fromData(preset.picture) if preset.picture else None)
        said = "\n".join(f"{PART_NAMES[part]}: {in_words(preset, part)}" for part in preset.parts)
        self.setToolTip(plain_tip(f"{preset.about}\n{said}"))
        self.setAccessibleName(f"Preset {preset.name}")
        self.setAccessibleDescription(said)
        self.apply = self._act("Apply", "Give it to the selected shots, in one step of undo")
        own = kept.is_own
        self.write = self._act("Write…", "Write it into a file, to be taken elsewhere") if own else None
        self.rename = self._act("Rename…", "Give it another name") if own else None
        self.remove = self._act("Remove", "Take it off the list") if own else None
        self.head.addWidget(self.apply)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(8, 6, 8, 6)
        rows.addLayout(self.head)
        acts = QHBoxLayout()
        acts.setSpacing(4)
        for button in (self.rename, self.remove, self.write):
            if button is not None:
                acts.addWidget(button)
        acts.addStretch()
        if own:
            rows.addLayout(acts)

    def _act(self, text: str, tip: str) -> QPushButton:
        button = push_button(text, tip)
        button.setProperty("small", True)
        button.setAccessibleName(f"{text.rstrip('…')} {self.kept.preset.name}")
        return button
