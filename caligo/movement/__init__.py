"""All that moves: modulators, routes, and the trajectories of parameters."""
