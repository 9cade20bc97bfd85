"""Findings: what is wrong with a take, proved from its records.

One file a kind; `catalogue` registers them; `examine` runs them.  Imports the take, nothing of any interface.
"""
