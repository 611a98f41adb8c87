"""The use cases: what an archivist does, one transaction each. Owns transactions and jobs; knows no HTTP.

`Workroom` (in `room`) holds the doors to the world and one object for each part of the work.
"""
