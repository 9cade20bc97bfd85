"""The weave Pacing: how regular what recurs is, what it costs, and how much of that was for nothing."""
