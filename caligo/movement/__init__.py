"""What modulators and trajectories are built of. No modules live here."""
