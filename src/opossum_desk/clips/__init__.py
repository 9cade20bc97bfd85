"""The weave Clips: all plays of a clip laid over each other, and which clip of a class has which mark."""
