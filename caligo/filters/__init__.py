"""A layer's filters; each remembers, for every voice, the state of its integrators."""
