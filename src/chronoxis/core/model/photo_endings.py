"""What the names of photos end in."""

PLAIN_ENDINGS = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp")
HEIF_ENDINGS = (".heic", ".heif", ".hif")
RAW_ENDINGS = (
    ".dng", ".nef", ".nrw", ".cr2", ".cr3", ".arw", ".srf", ".sr2", ".raf",
    ".orf", ".rw2", ".pef", ".srw", ".x3f", ".iiq", ".3fr", ".erf",
)  # fmt: skip
ENDINGS = PLAIN_ENDINGS + HEIF_ENDINGS + RAW_ENDINGS
