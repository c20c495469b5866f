"""What a desktop needs to know of Chronoxis: its entry, its kind of file, its icon, and its description."""
