"""What the weave Flow paints, as lists and arrays: from a session and a size, without Qt."""
