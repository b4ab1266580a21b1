"""What layers sound with: every source is a function of the document, the score and time."""
