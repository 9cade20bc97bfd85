"""What the desk is looking at: axis, window, selection, history, sieve, folding. No Qt here."""
