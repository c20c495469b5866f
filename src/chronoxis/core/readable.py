"""Text from files and people, so that it can be shown anywhere."""

import re

# What steers a terminal, breaks a line, or turns the direction of the words around it.
_STEERING = re.compile(
    "[\\x00-\\x08\\x0b-\\x1f\\x7f-\\x9f\\u2028\\u2029\\u200e\\u200f\\u202a-\\u202e\\u2066-\\u2069]"
)


HALVES = re.compile("[\ud800-\udfff]")
"""Halves of characters, which are no text alone; bytes of file names that are no text come as such."""


def well_formed(text: str) -> str:
    """The text with halves of characters made visible, so that it can be written anywhere."""
    return HALVES.sub("\ufffd", text)


def readable(text: str) -> str:
    """The text with characters that are not to be read, but steer what shows them, made visible."""
    return _STEERING.sub("\ufffd", text)


def in_a_line(text: str) -> str:
    """Text in one line, without what steers a terminal."""
    return readable(" ".join(text.splitlines()))
