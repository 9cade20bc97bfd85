"""The area Flow: Pulse, findings, Loom and Strands, Slice and Story on one axis. `layout` has never heard of Qt."""
