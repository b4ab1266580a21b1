"""Open sounds, their long views and trajectories, and listening, over WebSockets."""
