"""What Compare shows, as numbers: no Qt."""
