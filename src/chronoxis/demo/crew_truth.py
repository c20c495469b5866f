"""*Burner crew*: who says what, and who works, when; picture and sound follow this."""

import json
from dataclasses import asdict, dataclass

SECONDS = 90
RATE = 25
SIZE = (1280, 720)
SPEECH = "crew_speech.ogg"
"""All sentences, one after the other."""


@dataclass(frozen=True)
class Sentence:
    """What somebody says.

    Attributes:
        begin: recorded seconds at which it begins.
        voice: whose.
        words: of it.
        spoken: seconds in the file of all sentences between which it stands.
    """

    begin: float
    voice: str
    words: str
    spoken: tuple[float, float] = (0.0, 0.0)

    @property
    def end(self) -> float:
        """Recorded seconds at which it ends."""
        return self.begin + self.spoken[1] - self.spoken[0]


SENTENCES = (
    Sentence(
        2.0,
        "slt",
        "Good morning. This is the burner, and these are the two valves that feed it.",
        (0.400, 4.189),
    ),
    Sentence(8.5, "slt", "We test them one after the other, before anything else.", (4.589, 7.963)),
    Sentence(24.0, "slt", "Both are fine. Now the crew spreads the envelope on the grass.", (8.363, 11.493)),
    Sentence(30.0, "rms", "Careful with the ropes, please.", (11.893, 13.586)),
    Sentence(46.0, "slt", "The fan fills it with cold air, up to about two thirds.", (13.986, 17.259)),
    Sentence(51.5, "rms", "Wait.", (17.659, 17.904)),
    Sentence(
        66.0,
        "slt",
        "Then a short flame warms the air inside, and the balloon gets up by itself.",
        (18.304, 22.429),
    ),
    Sentence(73.0, "rms", "And off we go over the hedge, slowly, towards the river.", (22.829, 26.512)),
)
WORKS = ((12.5, 20.0), (33.5, 43.0), (78.0, 84.0))
"""When the second one works at the basket: hands and ropes move."""

ROARS = ((14.0, 15.5), (17.5, 19.0), (80.0, 82.5))
"""When the burner is lit."""


def speaks(seconds: float) -> str:
    """Whose voice is heard at a moment, or nothing."""
    return next((s.voice for s in SENTENCES if s.begin <= seconds < s.end), "")


def works(seconds: float) -> bool:
    """Whether somebody works at a moment."""
    return any(begin <= seconds < end for begin, end in WORKS)


def roars(seconds: float) -> bool:
    """Whether the burner is lit at a moment."""
    return any(begin <= seconds < end for begin, end in ROARS)


def truth_json() -> str:
    """All of it, as JSON."""
    said = [{**asdict(sentence), "end": sentence.end} for sentence in SENTENCES]
    return json.dumps({"rate": RATE, "size": SIZE, "said": said, "works": WORKS, "roars": ROARS})
