"""Measurements: loudness, true peak, spectrum, stereo, and how much a sound evolves."""
