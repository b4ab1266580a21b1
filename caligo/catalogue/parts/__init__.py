"""The fixed parts of every sound: the sound itself, its layers, sends, buses and master."""
