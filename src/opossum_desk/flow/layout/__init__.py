"""What Flow's views paint, as lists and arrays: from a session and a size, without Qt."""
