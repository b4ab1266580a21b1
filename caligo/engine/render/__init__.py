"""One sound over one score, from any moment and in any blocks."""
