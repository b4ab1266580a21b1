"""Productions, cues, sounds, scores and versions: what is kept."""
