"""Files in and out: audio, Standard MIDI Files, Scala scales, and the documents' JSON."""
