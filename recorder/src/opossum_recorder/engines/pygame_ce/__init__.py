"""pygame-ce: its clock, event queue, timers and sprites."""
