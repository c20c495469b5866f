"""A button that says what it does."""

from PySide6.QtWidgets import QPushButton


def push_button(text: str, tip: str) -> QPushButton:
    """A button with its tooltip; ``&`` in the text stands before the letter of its key."""
    button = QPushButton(text)
    button.setToolTip(tip)
    return button
