"""The version of Opossum."""

__version__ = "0.1.0"
