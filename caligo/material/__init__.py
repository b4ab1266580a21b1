"""Recordings and wavetables that sources draw on."""
