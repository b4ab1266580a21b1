"""What a layer is: voices from notes to a stereo stem, and the levels on the way."""
