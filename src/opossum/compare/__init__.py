"""Two takes side by side: what has a counterpart, what differs first, what follows from it, and what it costs.

It knows takes and findings; whoever shows or prints it is elsewhere.
"""
