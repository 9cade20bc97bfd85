"""The core: reads event-flow streams, holds takes, finds faults.

`stream` decodes what a game recorded, `take` keeps it in columns with the indexes everything else
needs, `findings` examines a take.  Imports point that way round only, and nothing here imports
interface code: whatever a window shows, a script can compute.
"""

__version__ = "0.1.0"
