"""Commands of the library."""
