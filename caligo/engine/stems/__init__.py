"""Finished stems and mixer states on disk, and the keys that they are found by."""
