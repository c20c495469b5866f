"""What is decided about sound, as entries of files."""

from chronoxis.core.files.converter import entries_of
from chronoxis.core.model.music import MusicPiece
from chronoxis.core.model.sound import Mix

entries_of(MusicPiece, names={"in_point": "in", "out_point": "out"})
entries_of(Mix, names={"rules": "effects"})
