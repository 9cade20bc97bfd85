"""The weave Flow: frames × listeners in the order they run, above timers, clips, waits, queues and values."""
