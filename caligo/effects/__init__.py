"""The effects, one file each."""
