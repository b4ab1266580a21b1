"""Material: recordings and tables, taken in, looked at, changed and cut."""
