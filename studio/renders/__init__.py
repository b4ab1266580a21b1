"""Renders: sounds written to files in the background."""
