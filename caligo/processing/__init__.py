"""What filters and effects are, and the chains that they stand in. No modules live here."""
