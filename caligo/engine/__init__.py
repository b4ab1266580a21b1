"""Rendering: from a sound and a score to samples, in any order and any block size."""
