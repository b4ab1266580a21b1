"""What is drawn: the long view, its preview, pictures of modules, trajectories."""
