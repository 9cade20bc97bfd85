"""The indexes of a take, one file each: what can be derived from the tables once and is asked for often.

A builder takes the recording and the indexes it names, never the whole take. `Take` registers them.
"""
