"""pyglet: its dispatchers, clock and windows."""
