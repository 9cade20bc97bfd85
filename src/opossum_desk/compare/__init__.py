"""The weave Compare: two takes, each row twice."""
