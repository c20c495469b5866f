"""A button that says what it does."""

from collections.abc import Callable

from PySide6.QtWidgets import QButtonGroup, QPushButton


def push_button(text: str, tip: str) -> QPushButton:
    """A button with its tooltip; ``&`` in the text stands before the letter of its key."""
    button = QPushButton(text)
    button.setToolTip(tip)
    return button


def choice_chip(text: str, tip: str, group: QButtonGroup, choose: Callable[[], object]) -> QPushButton:
    """A button of a group, of which one at a time is down."""
    chip = push_button(text, tip)
    chip.setCheckable(True)
    chip.setProperty("choice", True)
    chip.clicked.connect(lambda _: choose())
    group.addButton(chip)
    return chip
