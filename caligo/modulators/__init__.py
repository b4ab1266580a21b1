"""The modulators, one file each."""
