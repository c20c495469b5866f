"""Presets in the window: kept, read, written, and given to shots."""
