"""News from one part of the studio to the others: who sends them knows of nobody who hears them."""

from django.dispatch import Signal

sound_changed = Signal()
"""A sound or its score was changed and saved; ``sound_id`` says which."""
render_changed = Signal()
"""A render of a sound went on or ended; ``sound_id`` and ``render_id`` say which."""
