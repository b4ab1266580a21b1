"""Effects on a layer, a bus or the master; each remembers its delay lines."""
