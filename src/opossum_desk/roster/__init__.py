"""The weave Roster: who listened to what, from bind to unbind, on the ground of their owners' lives."""
