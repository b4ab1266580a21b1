"""Real time: edits, keys, loops, skims and what a start has not heard."""
