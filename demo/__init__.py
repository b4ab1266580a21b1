"""The demo production, The Long Exposure: an invented documentary, its cues and its sounds."""
