"""What is measured of footage beside the window, and what is read from it."""
