"""The area Live: the games that play, where to hold them, and what is so at a moment."""
