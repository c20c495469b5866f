"""Taking the widgets out of a layout that is filled anew."""

from PySide6.QtWidgets import QLayout


def empty_layout(layout: QLayout) -> None:
    """Take all widgets out at once; they are deleted when Qt comes to it."""
    while (item := layout.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None:
            widget.hide()  # deleting waits, and what is no longer laid out would stand about
            widget.deleteLater()
