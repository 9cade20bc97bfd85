"""The take: one recording in columns, its indexes, and the `.take` file.

May import `opossum.stream`; knows nothing of findings or of any interface.
"""
