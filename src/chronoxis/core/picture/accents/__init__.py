"""Looks on finished result frames, one a module."""
