"""The live link: games connect by TCP and stream while they play.

May import `opossum.stream`; knows nothing of takes, findings or any interface.
"""
