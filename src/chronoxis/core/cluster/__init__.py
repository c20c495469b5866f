"""Results made by several machines: each makes pieces, and one of them puts these together."""
