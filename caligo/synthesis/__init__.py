"""What sources are built of: unison, phases, partials, tables, spectra. No modules live here."""
