"""*Morning tune*: when its beats are, and where it drops."""

import json

TEMPO = 118
"""Beats a minute."""

BAR = 4
SECONDS = 45
BEGIN = 0.25
"""Seconds before the first beat."""

DROP_BAR = 8
"""The bar, counted from 0, with which the drums come in."""

END_BAR = 20
"""The bar with which they go."""

BEAT = 60 / TEMPO


def beats() -> list[float]:
    """Seconds of all beats."""
    return [BEGIN + number * BEAT for number in range(int((SECONDS - BEGIN) / BEAT))]


def drop() -> float:
    """The second at which it drops."""
    return BEGIN + DROP_BAR * BAR * BEAT


def truth_json() -> str:
    """What is true of it, as JSON."""
    return json.dumps({"tempo": TEMPO, "bar": BAR, "beats": beats(), "drop": drop()}, indent=1)
