"""Why something cannot be had, where it was wished; gone while there is nothing to say."""

from chronoxis.app.text_label import TextLabel


class CautionLabel(TextLabel):
    """Takes as many lines as it needs."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("caution", True)
        self.setWordWrap(True)
        self.hide()

    def say(self, message: str) -> None:
        """Say something, or nothing any more."""
        self.setText(message)
        self.setVisible(bool(message))
