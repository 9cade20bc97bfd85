"""The weave Rules: what must hold, each with a strip of where it held and broke."""
