"""What Live tells, as text, without Qt."""
