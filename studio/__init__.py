"""The studio: productions, cues and sounds kept in a database, served to the browser."""
