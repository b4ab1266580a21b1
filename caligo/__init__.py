"""Caligo's core: sounds that change over minutes, as documents, movement and audio.

Nothing in here knows of the web, of a database or of a screen.
"""

ENGINE_VERSION = 26
"""Raised whenever the samples of an unchanged document change; part of every cache key."""
