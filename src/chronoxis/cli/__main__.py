"""`python -m chronoxis.cli`: what the window runs for an export."""

from chronoxis.cli import main

main()
