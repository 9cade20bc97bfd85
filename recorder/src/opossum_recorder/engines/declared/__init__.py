"""Dispatchers and functions that the user declared, in `opossum.toml` or on the command line."""
