"""What the weave Roster paints, as lists and arrays: from a session and a size, without Qt."""
